import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params }) => {
  const app = await getApp();
  const draft = await app.drafts.find(Number(params.draft));
  if (!draft) error(404, 'There is no such draft; it may have been thrown away.');
  return { draft };
};
