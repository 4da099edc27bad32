import { error } from '@sveltejs/kit';
import { deedsQuery } from '$server/api/access-endpoints';
import { csvResponse } from '$server/csv';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

/** Who did what, narrowed as on the page. */
export const GET: RequestHandler = async ({ url }) => {
  const query = deedsQuery.safeParse({ limit: '20000', ...Object.fromEntries(url.searchParams) });
  if (!query.success) error(400, query.error.issues[0]?.message ?? 'bad query');
  const deeds = await (await getApp()).deeds(query.data);
  const rows = deeds.map((one) => [one.id, one.at, one.who, one.what, one.cluster, one.rehearsal, one.draft, one.detail]);
  return csvResponse('who-did-what', ['id', 'at', 'who', 'what', 'cluster', 'rehearsal', 'draft', 'detail'], rows);
};
