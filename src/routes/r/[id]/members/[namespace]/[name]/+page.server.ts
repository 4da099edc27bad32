import { error } from '@sveltejs/kit';
import { asked, followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const sheet = await asked(params.id, 'workload', { namespace: params.namespace, name: params.name });
  if (!sheet) error(404, `Nothing called ${params.namespace}/${params.name} stands here at this moment.`);
  return { sheet };
});
