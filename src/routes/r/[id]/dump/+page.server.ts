import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  depends('rehearsal');
  const app = await getApp();
  const dumps = await app.reading.of(params.id);
  if (!dumps.ok) error(404, `${params.id} was not read from a dump.`);
  return { dumps: dumps.value };
};
