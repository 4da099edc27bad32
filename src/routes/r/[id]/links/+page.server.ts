import { getApp } from '$server/services';
import { asked, followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const app = await getApp();
  const linked = await asked(params.id, 'linked', {});
  const all = await app.clusters.all();
  const fork = params.id.split('~')[1] ?? null;
  const rehearsals = new Set((await app.rehearsals.all()).map((one) => one.id));
  return {
    linked,
    fork,
    flags: Object.fromEntries(all.map((one) => [one.name, one.flag])),
    /** Clusters that could be linked: stand-ins that aren't yet, and have a fork of this name where this is one. */
    others: all
      .filter(
        (one) =>
          one.kind !== 'dump' &&
          one.name !== params.id.split('~')[0] &&
          !linked.links.some((link) => [link.a, link.b].includes(one.name) && [link.a, link.b].includes(linked.here))
      )
      .map((one) => ({ name: one.name, there: rehearsals.has(fork === null ? one.name : `${one.name}~${fork}`) }))
  };
});
