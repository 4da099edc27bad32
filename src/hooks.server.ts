import type { Handle, HandleServerError } from '@sveltejs/kit';

const foreign = (request: Request, url: URL): boolean => {
  if (request.method === 'GET' || request.method === 'HEAD') return false;
  const origin = request.headers.get('origin');
  if (origin !== null && origin !== url.origin) return true;
  return request.headers.get('sec-fetch-site') === 'cross-site';
};

/** Pages of other sites may not act here; programs, which send no origin, may. */
export const handle: Handle = async ({ event, resolve }) => {
  if (foreign(event.request, event.url)) {
    const body = {
      type: 'urn:root-barn:problem:foreign-origin',
      title: 'Another site may not act here',
      status: 403,
      detail: 'The request came from a page of another origin.',
      remedy: 'Open Root Barn at the address that it printed at its start.'
    };
    return new Response(JSON.stringify(body), { status: 403, headers: { 'content-type': 'application/problem+json' } });
  }
  const response = await resolve(event);
  response.headers.set('x-content-type-options', 'nosniff');
  response.headers.set('referrer-policy', 'same-origin');
  return response;
};

/** What went wrong on our side is written to the log; the reader gets a number to find it by. */
export const handleError: HandleServerError = ({ error, event, status }) => {
  if (status === 404) return { message: 'There is nothing here.' };
  const mark = crypto.randomUUID().slice(0, 8);
  console.error(`[${mark}] ${event.request.method} ${event.url.pathname}:`, error);
  return { message: `Something went wrong on our side (${mark} in the log). What you wrote is kept; load the page again.` };
};
