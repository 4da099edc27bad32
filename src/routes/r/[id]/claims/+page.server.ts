import { claimsQuery } from '$server/api/storage-endpoints';
import { asked, followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params, url }: PageServerLoadEvent) => {
  const { claim: wanted, ...rest } = Object.fromEntries(url.searchParams);
  const query = claimsQuery.safeParse(rest);
  const view = await asked(params.id, 'claims', { ...(query.success ? query.data : {}), from: 0, limit: 60 });
  const [namespace = '', name = ''] = (wanted ?? '').split('/');
  return { view, claim: wanted ? ((await asked(params.id, 'claim', { namespace, name })) ?? null) : null };
});
