import { getApp } from '$server/services';
import { asked, followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params, url }: PageServerLoadEvent) => {
  const app = await getApp();
  const trials = await app.trials.latest(params.id);
  const backend = url.searchParams.get('backend');
  return {
    view: await asked(params.id, 'supply', {}),
    trials: trials.ok ? trials.value : [],
    assets: backend === null ? null : ((await asked(params.id, 'assets', { backend })) ?? null)
  };
});
