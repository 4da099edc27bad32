import { asked } from '$server/services/page';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends, url }) => {
  depends('rehearsal');
  const namespace = url.searchParams.get('namespace');
  return {
    view: await asked(params.id, 'manifests', namespace ? { namespace } : {}),
    all: (await asked(params.id, 'manifests', {})).items,
    namespace
  };
};
