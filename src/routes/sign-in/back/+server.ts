import { isRedirect, redirect } from '@sveltejs/kit';
import { log, loggable } from '$server/log';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

/** Where the provider of identities sends the browser back to. */
export const GET: RequestHandler = async ({ url, cookies, locals }) => {
  const app = await getApp();
  const id = cookies.get('root-barn-way') ?? '';
  cookies.delete('root-barn-way', { path: '/sign-in' });
  try {
    const found = app.provider.there ? await app.provider.end(id, url) : undefined;
    const signed = found && (await app.access.signInThrough(found.name, app.settings['oidc-role']));
    if (!found || !signed?.ok || !signed.cookie) redirect(303, '/sign-in?failed');
    await app.did({ name: found.name }, { what: 'signed in', detail: `through ${app.provider.title} from ${locals.peer}` });
    return new Response(null, { status: 303, headers: { location: found.to, 'set-cookie': signed.cookie } });
  } catch (error) {
    if (isRedirect(error)) throw error;
    log.warn(loggable(error), 'a sign-in through the provider failed');
    redirect(303, '/sign-in?failed');
  }
};
