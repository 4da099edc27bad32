import { getApp } from '$server/services';
import { asked } from '$server/services/page';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends, url }) => {
  depends('rehearsal');
  const app = await getApp();
  const trials = await app.trials.latest(params.id);
  const backend = url.searchParams.get('backend');
  return {
    view: await asked(params.id, 'supply', {}),
    trials: trials.ok ? trials.value : [],
    assets: backend === null ? null : ((await asked(params.id, 'assets', { backend })) ?? null)
  };
};
