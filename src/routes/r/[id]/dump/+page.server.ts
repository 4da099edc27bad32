import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import { followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const app = await getApp();
  const dumps = await app.reading.of(params.id);
  if (!dumps.ok) error(404, `${params.id} was not read from a dump.`);
  const scope = await app.reading.scope(params.id);
  return { dumps: dumps.value, scope: scope.ok ? scope.value : [] };
});
