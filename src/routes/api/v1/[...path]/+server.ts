import type { RequestHandler } from './$types';
import { dispatch } from '$server/api/dispatch';

const handle: RequestHandler = ({ request, params }) => dispatch(request, `/${params.path}`);

export const GET = handle;
export const POST = handle;
export const PUT = handle;
export const DELETE = handle;
