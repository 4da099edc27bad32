import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ parent, depends }) => {
  depends('drafts');
  const { cluster } = await parent();
  const app = await getApp();
  return {
    list: (await app.drafts.of(cluster.name)).map(({ id, name, text, updatedAt }) => ({
      id,
      name,
      updatedAt,
      lines: text.split('\n').length
    }))
  };
};
