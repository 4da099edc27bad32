import type { PageServerLoad } from './$types';
import { getApp } from '$server/services';

export const load: PageServerLoad = async ({ depends }) => {
  depends('estate');
  const app = await getApp();
  const loadedAt = app.bus.latestId;
  return { loadedAt, clusters: await app.estate() };
};
