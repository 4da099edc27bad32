import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import { asked, followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const app = await getApp();
  const kept = await app.keptProofs(params.id);
  if (!kept.ok) error(404, kept.refusal.detail);
  const sets = await asked(params.id, 'sets', {});
  return { proofs: kept.value, sets };
});
