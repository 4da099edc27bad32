import type { PageServerLoad } from './$types';
import { getApp } from '$server/services';

export const load: PageServerLoad = async ({ depends }) => {
  depends('app:estate');
  const app = await getApp();
  const asOf = app.bus.latestId;
  const clusters = await app.estate();
  return { asOf, clusters, linked: await app.linkedGroups() };
};
