import { error } from '@sveltejs/kit';
import { asked, followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const sheet = await asked(params.id, 'blueprint', { id: params.blueprint });
  if (!sheet) error(404, `There is no blueprint ${params.blueprint}.`);
  return { first: sheet };
});
