import { redirect } from '@sveltejs/kit';
import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params }) => {
  const dump = (await (await getApp()).reading.of(params.id)).ok;
  redirect(307, `/r/${encodeURIComponent(params.id)}/${dump ? 'wrong' : 'members'}`);
};
