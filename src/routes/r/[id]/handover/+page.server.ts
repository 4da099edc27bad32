import { asked, followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params, url }: PageServerLoadEvent) => {
  const namespace = url.searchParams.get('namespace');
  return {
    view: await asked(params.id, 'manifests', namespace ? { namespace } : {}),
    all: (await asked(params.id, 'manifests', {})).items,
    namespace,
    workloads: (await asked(params.id, 'sets', {})).filter((one) => !namespace || one.namespace === namespace)
  };
});
