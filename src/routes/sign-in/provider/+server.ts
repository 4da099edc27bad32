import { redirect } from '@sveltejs/kit';
import { returnTo } from '$server/access/return-to';
import { log, loggable } from '$server/log';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

/** Sends the browser to the provider of identities. */
export const GET: RequestHandler = async ({ url, cookies }) => {
  const app = await getApp();
  if (!app.provider.there) redirect(303, '/sign-in');
  const begun = await app.provider
    .begin(new URL('/sign-in/back', url.origin).href, returnTo(url.searchParams.get('to')))
    .catch((error: unknown) => {
      log.error(loggable(error), 'the provider of identities does not answer');
    });
  if (!begun) redirect(303, '/sign-in?failed');
  cookies.set('root-barn-way', begun.id, {
    path: '/sign-in',
    httpOnly: true,
    sameSite: 'lax',
    secure: url.protocol === 'https:',
    maxAge: 600
  });
  redirect(303, begun.url);
};
