import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import { followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const app = await getApp();
  const found = await app.rehearsals.ask(params.id, 'backups', {});
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  return { backups: found.value };
});
