import { json } from '@sveltejs/kit';
import { openapi } from '$server/api/openapi';

export const GET = () => json(openapi());
