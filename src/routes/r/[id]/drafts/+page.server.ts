import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ parent, depends }) => {
  depends('app:drafts');
  const { cluster } = await parent();
  const app = await getApp();
  const list = await app.drafts.of(cluster.name);
  return {
    list: await Promise.all(
      list.map(async ({ id, name, files, updatedAt }) => ({
        id,
        name,
        updatedAt,
        files: files.length,
        lines: files.reduce((sum, one) => sum + (one.text.trim() ? one.text.trimEnd().split('\n').length : 0), 0),
        sentTo: [...new Set((await app.drafts.sent(id)).map((one) => one.rehearsal))]
      }))
    )
  };
};
