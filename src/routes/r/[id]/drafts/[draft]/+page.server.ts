import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  depends('draft');
  const app = await getApp();
  const draft = await app.drafts.find(Number(params.draft));
  if (!draft) error(404, 'There is no such draft; it may have been thrown away.');
  return { draft, clusters: (await app.clusters.all()).filter((one) => one.kind === 'standin').map((one) => one.name) };
};
