import { error } from '@sveltejs/kit';
import { asked } from '$server/services/page';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  depends('rehearsal');
  const sheet = await asked(params.id, 'blueprint', { id: params.blueprint });
  if (!sheet) error(404, `There is no blueprint ${params.blueprint}.`);
  return { first: sheet };
};
