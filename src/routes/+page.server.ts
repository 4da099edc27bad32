import type { PageServerLoad } from './$types';
import { getApp } from '$server/services';

export const load: PageServerLoad = async ({ depends }) => {
  depends('estate');
  const app = await getApp();
  return { clusters: await app.estate() };
};
