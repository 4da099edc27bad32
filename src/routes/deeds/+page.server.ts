import { error } from '@sveltejs/kit';
import { deedsQuery } from '$server/api/access-endpoints';
import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ url }) => {
  const asked = Object.fromEntries([...url.searchParams].filter(([, value]) => value !== ''));
  const query = deedsQuery.safeParse(asked);
  if (!query.success) error(400, query.error.issues[0]?.message ?? 'bad query');
  const app = await getApp();
  return { deeds: await app.deeds(query.data), query: query.data, days: app.settings['keep-deeds'] };
};
