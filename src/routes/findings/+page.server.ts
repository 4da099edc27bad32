import { rules } from '$core/checker';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = () => ({ rules: rules.map(({ id, level, title }) => ({ id, level, title })) });
