import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params }) => {
  const app = await getApp();
  const id = Number(params.draft);
  const draft = await app.drafts.find(id);
  if (!draft) error(404, 'There is no such draft; it may have been thrown away.');
  return { draft: { id, name: draft.name, state: draft.state }, states: await app.drafts.states(id) };
};
