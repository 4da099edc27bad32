import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import { followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const app = await getApp();
  const found = await app.rehearsals.ask(params.id, 'backups', {});
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  const workload = found.value.workloads.find((one) => one.namespace === params.namespace && one.name === params.workload);
  if (!workload) error(404, `Nothing of ${params.namespace}/${params.workload} keeps anything that could be copied.`);
  return { workload, stores: found.value.stores };
});
