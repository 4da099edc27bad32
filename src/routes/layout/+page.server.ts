import { startingGround } from '$core/briefs';
import { readManifests } from '$core/manifest';
import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

/** A layout begins with a plain one, or with that of a cluster that is there. */
export const load: PageServerLoad = async ({ url }) => {
  const app = await getApp();
  const from = url.searchParams.get('from');
  const names = (await app.clusters.all()).map((one) => one.name);
  const free = (wanted: string) =>
    names.includes(wanted) ? Array.from({ length: 99 }, (_, i) => `${wanted}-${i + 2}`).find((one) => !names.includes(one))! : wanted;
  const found = from === null ? undefined : await app.layouts.document(from);
  const read = found?.ok ? readManifests(found.value.yaml).objects[0]?.object : undefined;
  const like = read?.kind === 'Ground' ? read : undefined;
  const ground = like ? { ...like, metadata: { name: free(like.metadata.name) } } : startingGround(free('new-quay'), 'production');
  return { ground, check: await app.layouts.check(ground) };
};
