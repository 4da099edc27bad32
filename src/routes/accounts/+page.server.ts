import { getApp } from '$server/services';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ depends, locals }) => {
  depends('app:accounts');
  const app = await getApp();
  const [accounts, tokens] = [await app.access.accounts(), await app.access.tokens()];
  return {
    own: locals.caller?.name ?? '',
    demanded: app.access.demanded,
    accounts: accounts.ok ? accounts.value : [],
    tokens: tokens.ok ? tokens.value : [],
    backups: app.backups.list(),
    now: new Date().toISOString()
  };
};
