import { getApp } from '$server/services';
import { asked, followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params, url }: PageServerLoadEvent) => {
  const app = await getApp();
  const { namespace, workload } = params;
  const [moves, all] = await Promise.all([
    asked(params.id, 'moves', { namespace, workload, to: url.searchParams.get('to') ?? '' }),
    app.clusters.all()
  ]);
  return { moves, namespace, workload, flags: Object.fromEntries(all.map((one) => [one.name, one.flag])) };
});
