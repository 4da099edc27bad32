import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => {
  const app = await getApp();
  return { clusters: (await app.clusters.all()).map(({ name, kind }) => ({ name, kind })) };
};
