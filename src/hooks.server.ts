import { redirect, type Handle, type HandleServerError, type RequestEvent, type ServerInit } from '@sveltejs/kit';
import { building } from '$app/environment';
import { holds, localCaller, type Caller, type Role } from '$server/access/roles';
import { dataRefusal } from '$server/api/dispatch';
import '$server/api/live';
import { problemResponse } from '$server/api/problem';
import { dataFaultOf } from '$server/db/faults';
import { isAborted, log, loggable } from '$server/log';
import { getApp, roleNeeded, signInNeeded } from '$server/services';

/** The data are opened and checked before anybody is listened to. */
export const init: ServerInit = async () => {
  if (building) return;
  const app = await getApp();
  const place = globalThis as { rootBarnEnd?: () => Promise<void>; rootBarnCode?: string | undefined };
  place.rootBarnCode = app.access.firstCode;
  place.rootBarnEnd = () => app.close();
  // What nobody waits for mustn't end the process for everybody.
  process.on('unhandledRejection', (error) => log.error(loggable(error), 'something failed that nobody waited for'));
  // What the first page shows is stood up while nobody waits for it yet; what can't be says so on the page.
  void app.estate().catch((error: unknown) => log.warn(loggable(error), 'clusters could not be stood up ahead of the first page'));
};

/** Pages of other sites may not act here; programs, which send no origin, may with a token or where nobody signs in. */
function foreign({ request, url }: RequestEvent, byCookie: boolean): boolean {
  if (request.method === 'GET' || request.method === 'HEAD') return false;
  const origin = request.headers.get('origin');
  const site = request.headers.get('sec-fetch-site');
  if (origin !== null && origin !== url.origin) return true;
  if (site === 'cross-site' || site === 'same-site') return true;
  // A cookie alone doesn't tell that one of our pages asks.
  return byCookie && origin === null && site === null;
}

const foreignOrigin = {
  code: 'foreign-origin',
  status: 403,
  title: 'Another site may not act here',
  detail: 'The request came from a page of another origin.',
  remedy: 'Open Root Barn at the address that it printed at its start.'
};

/**
 * Routes that strangers may see. Routes are what a path comes to once it is decoded, so that no other way of writing it gets past.
 */
const openRoutes = new Set<string | null>(['/sign-in', '/sign-in/provider', '/sign-in/back', '/healthz', '/readyz']);
/** The programs' interface looks by itself who may what. */
const ownLook = '/api/v1/[...path]';
/** Routes that take more than looking. */
const routeRoles: Readonly<Record<string, Role>> = {
  '/accounts': 'keeper',
  '/deeds': 'engineer',
  '/deeds/csv': 'engineer',
  '/metrics': 'keeper'
};

/** Whether a call asks for the values of secrets, in a file or from the interface. */
const uncovers = (url: URL): boolean => url.searchParams.getAll('secrets').some((one) => one === 'keep' || one === 'yes');

/** Whether somebody may have a page, and where to go if not. */
function turnedAway({ url, request, route }: RequestEvent, caller: Caller | undefined): Response | undefined {
  if (route.id === ownLook || openRoutes.has(route.id)) return undefined;
  if (!caller) {
    if (request.headers.get('accept')?.includes('text/html') && request.method === 'GET')
      redirect(303, `/sign-in?to=${encodeURIComponent(url.pathname + url.search)}`);
    return problemResponse(signInNeeded);
  }
  const needed = routeRoles[route.id ?? ''] ?? (uncovers(url) ? 'engineer' : undefined);
  return needed && !holds(caller.role, needed) ? problemResponse(roleNeeded(needed, caller.role)) : undefined;
}

function noteUncovered(caller: Caller, { url, route }: RequestEvent): Promise<void> | undefined {
  if (route.id === ownLook || !uncovers(url)) return undefined;
  return getApp().then((app) =>
    app.did(caller, { what: 'took a file with secrets', rehearsal: url.pathname.split('/')[2], detail: url.pathname })
  );
}

export const handle: Handle = async ({ event, resolve }) => {
  const began = performance.now();
  event.locals.mark = crypto.randomUUID().slice(0, 8);
  let response: Response;
  if (building) return resolve(event);
  try {
    const app = await getApp();
    const peer = event.getClientAddress();
    const caller = app.access.demanded ? await app.access.callerOf(event.request.headers, peer) : { ...localCaller, peer };
    if (caller) event.locals.caller = caller;
    event.locals.peer = peer;
    const { rootBarnCalls } = globalThis as { rootBarnCalls?: Map<string, AbortController> };
    event.locals.left = rootBarnCalls?.get(event.request.headers.get('x-root-barn-call') ?? '')?.signal ?? event.request.signal;
    const away = foreign(event, caller?.session !== undefined) ? problemResponse(foreignOrigin) : turnedAway(event, caller);
    if (!away && caller) await noteUncovered(caller, event);
    response = away ?? (await resolve(event));
    const { method } = event.request;
    const route = event.route.id ?? 'none';
    const seconds = (performance.now() - began) / 1_000;
    app.metrics.requests.inc({ method, route, status: String(response.status) });
    app.metrics.seconds.observe({ route }, seconds);
    const grave = response.status >= 500 ? 'error' : response.status >= 400 ? 'info' : method === 'GET' ? 'debug' : 'info';
    log[grave](
      {
        mark: event.locals.mark,
        method,
        path: event.url.pathname,
        status: response.status,
        ms: Math.round(seconds * 1_000),
        who: caller?.name
      },
      'answered'
    );
  } catch (error) {
    const fault = dataFaultOf(error);
    if (!fault) throw error;
    log.error({ mark: event.locals.mark, ...loggable(error) }, 'the data cannot be used');
    response = problemResponse(dataRefusal(fault));
  }
  response.headers.set('x-content-type-options', 'nosniff');
  response.headers.set('referrer-policy', 'same-origin');
  if (!response.headers.has('cache-control')) response.headers.set('cache-control', 'private, no-store');
  return response;
};

/** What went wrong on our side is written to the log; the reader gets a number to find it by. */
export const handleError: HandleServerError = ({ error, event, status }) => {
  if (status === 404) return { message: 'There is nothing here.' };
  if (status < 500) return { message: "The request can't be read." };
  const { mark } = event.locals;
  if (isAborted(error)) {
    log.debug({ mark, path: event.url.pathname }, 'the caller has gone');
    return { message: 'The sending was cut off.' };
  }
  const fault = dataFaultOf(error);
  log.error(
    { mark, method: event.request.method, path: event.url.pathname, ...loggable(error) },
    fault ? 'the data cannot be used' : 'a page failed'
  );
  if (fault) return { message: `${fault.message} ${fault.remedy}` };
  return { message: `Something went wrong on our side (${mark} in the log). Load the page again; if it stays so, the log says where.` };
};
