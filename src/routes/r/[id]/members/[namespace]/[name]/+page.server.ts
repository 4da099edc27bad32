import { error } from '@sveltejs/kit';
import { asked } from '$server/services/page';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  depends('rehearsal');
  const sheet = await asked(params.id, 'workload', { namespace: params.namespace, name: params.name });
  if (!sheet) error(404, `Nothing called ${params.namespace}/${params.name} stands here at this moment.`);
  return { sheet };
};
