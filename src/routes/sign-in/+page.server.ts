import { redirect } from '@sveltejs/kit';
import { returnTo } from '$server/access/return-to';
import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ url, locals }) => {
  const app = await getApp();
  const to = returnTo(url.searchParams.get('to'));
  if (!app.access.demanded || locals.caller) redirect(303, to);
  return {
    to,
    first: app.access.firstCode !== undefined,
    provider: app.provider.there ? app.provider.title : null,
    failed: url.searchParams.has('failed')
  };
};
