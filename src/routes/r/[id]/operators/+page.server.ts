import { asked } from '$server/services/page';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ params, depends }) => {
  depends('rehearsal');
  return { view: await asked(params.id, 'operators', {}) };
};
