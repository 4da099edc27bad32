import type { RequestHandler } from './$types';
import { liveStream } from '$server/api/live';

export const GET: RequestHandler = ({ request, params, locals, getClientAddress }) =>
  liveStream(request, params.id, locals.caller?.session ?? locals.caller?.name.concat(' ', getClientAddress()) ?? '');
