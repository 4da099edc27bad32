import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import { followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const app = await getApp();
  const dumps = await app.reading.of(params.id);
  if (!dumps.ok) error(404, `${params.id} was not read from a dump.`);
  const scope = await app.reading.scope(params.id);
  const joined = await app.reading.joined(params.id);
  const all = await app.clusters.all();
  return {
    dumps: dumps.value,
    scope: scope.ok ? scope.value : [],
    joined: joined.ok ? joined.value : { with: [] },
    /** Other clusters that were read. */
    read: all.flatMap((one) => (one.kind === 'dump' && one.name !== params.id ? [one.name] : []))
  };
});
