import { asked } from '$server/services/page';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends, url }) => {
  depends('rehearsal');
  const view = await asked(params.id, 'claims', {});
  const wanted = url.searchParams.get('claim');
  const [namespace = '', name = ''] = (wanted ?? '').split('/');
  return { view, claim: wanted ? ((await asked(params.id, 'claim', { namespace, name })) ?? null) : null };
};
