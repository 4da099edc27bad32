import type { RequestHandler } from './$types';
import { dispatch } from '$server/api/dispatch';

const handle: RequestHandler = ({ request, params, locals }) =>
  dispatch(request, `/${params.path}`, locals.caller ?? null, locals.peer, locals.left);

export const GET = handle;
export const POST = handle;
export const PUT = handle;
export const DELETE = handle;
