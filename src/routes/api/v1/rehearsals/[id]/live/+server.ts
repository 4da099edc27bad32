import type { RequestHandler } from './$types';
import { liveStream } from '$server/api/live';

export const GET: RequestHandler = ({ request, params }) => liveStream(request, params.id);
