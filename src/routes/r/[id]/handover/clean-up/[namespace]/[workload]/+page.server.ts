import { error } from '@sveltejs/kit';
import { asked, followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params, url }: PageServerLoadEvent) => {
  const { namespace, workload } = params;
  const keep = (url.searchParams.get('keep') ?? '').split(',');
  const keeps = { data: keep.includes('data'), copies: keep.includes('copies') };
  const found = await asked(params.id, 'cleanUp', { namespace, workload, keeps });
  if (!found.tried) error(404, `There is no workload ${namespace}/${workload}.`);
  return { namespace, workload, keeps, tried: found.tried };
});
