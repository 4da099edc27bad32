import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import { asked } from '$server/services/page';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  depends('rehearsal');
  const app = await getApp();
  const kept = await app.keptProofs(params.id);
  if (!kept.ok) error(404, kept.refusal.detail);
  const sets = await asked(params.id, 'sets', {});
  return { proofs: kept.value, sets };
};
