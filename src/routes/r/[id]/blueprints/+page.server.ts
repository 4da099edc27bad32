import { blueprints } from '$core/blueprints';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async () => ({ list: blueprints.map(({ id, title, says }) => ({ id, title, says })) });
