import { error } from '@sveltejs/kit';
import { getApp } from '$server/services';
import { followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const app = await getApp();
  const wrong = await app.reading.wrong(params.id);
  if (!wrong.ok) error(404, `${params.id} was not read from a dump.`);
  return { wrong: wrong.value };
});
