import { z } from 'zod';
import { roles } from '../access/roles';
import { done, notFound, refused } from '../services';
import { endpoint, listed } from './endpoint';

const name = z.string().min(1).max(200);
const password = z.string().min(1).max(1_000);
const role = z.enum(roles);

const signing = [
  endpoint({
    method: 'GET',
    path: '/session',
    summary: 'Who you are here, and whether people sign in at all',
    needs: 'open',
    answer: 'Session',
    run: async ({ app, caller }) =>
      done(
        caller.name === 'stranger'
          ? { signIn: true, name: null, role: null }
          : { signIn: app.access.demanded, name: caller.name, role: caller.role }
      )
  }),
  endpoint({
    method: 'POST',
    path: '/session',
    summary: 'Sign in; the answer sets a cookie',
    needs: 'open',
    deed: null,
    body: z.strictObject({ name, password }),
    answer: 'Somebody',
    async run({ app, body, caller }) {
      const found = await app.access.signIn(body.name, body.password, caller);
      await app.did(found.ok ? { name: body.name } : { name: 'stranger' }, {
        what: found.ok ? 'signed in' : 'failed to sign in',
        detail: found.ok ? `from ${caller.peer}` : `as ${body.name.slice(0, 60)} from ${caller.peer}`
      });
      return found;
    }
  }),
  endpoint({
    method: 'DELETE',
    path: '/session',
    summary: 'Sign out',
    needs: 'reader',
    deed: 'signed out',
    answer: 'AccountName',
    run: ({ app, caller }) => app.access.signOut(caller)
  }),
  endpoint({
    method: 'PUT',
    path: '/session/password',
    summary: 'Change your own password; your other sessions end',
    needs: 'reader',
    deed: 'changed the own password',
    body: z.strictObject({ old: password, password }),
    answer: 'AccountName',
    run: ({ app, caller, body }) => app.access.changeOwn(caller, body.old, body.password)
  }),
  endpoint({
    method: 'POST',
    path: '/first-keeper',
    summary: 'Make the first account, with the code that the start printed',
    needs: 'open',
    deed: null,
    body: z.strictObject({ code: z.string().min(1).max(100), name, password }),
    answer: 'Somebody',
    async run({ app, body, caller }) {
      const made = await app.access.firstKeeper(body.code, body.name, body.password, caller.peer);
      await app.did(made.ok ? { name: body.name } : { name: 'stranger' }, {
        what: made.ok ? 'became the first keeper' : 'failed to become the first keeper',
        detail: `from ${caller.peer}`
      });
      return made;
    }
  })
];

const keeping = [
  endpoint({
    method: 'GET',
    path: '/accounts',
    summary: 'All accounts',
    needs: 'keeper',
    answer: 'Accounts',
    run: ({ app }) => listed(app.access.accounts())
  }),
  endpoint({
    method: 'POST',
    path: '/accounts',
    summary: 'Make an account',
    needs: 'keeper',
    deed: null,
    body: z.strictObject({ name, role, password }),
    answer: 'Somebody',
    status: 201,
    async run({ app, body, caller }) {
      const made = await app.access.addAccount(body.name, body.role, body.password);
      if (made.ok) await app.did(caller, { what: 'made an account', detail: `${body.name}, ${body.role}` });
      return made;
    }
  }),
  endpoint({
    method: 'PUT',
    path: '/accounts/{account}',
    summary: 'Give an account another role or password; with another password its sessions end',
    needs: 'keeper',
    deed: null,
    body: z.strictObject({ role: role.optional(), password: password.optional() }),
    answer: 'Somebody',
    async run({ app, params, body, caller }) {
      const changed = await app.access.changeAccount(params.account, body);
      if (changed.ok)
        await app.did(caller, {
          what: 'changed an account',
          detail: [params.account, body.role, body.password === undefined ? '' : 'new password'].filter(Boolean).join(', ')
        });
      return changed;
    }
  }),
  endpoint({
    method: 'DELETE',
    path: '/accounts/{account}',
    summary: 'End an account; its sessions end with it',
    needs: 'keeper',
    deed: null,
    answer: 'AccountName',
    async run({ app, params, caller }) {
      const ended = await app.access.endAccount(params.account);
      if (ended.ok) await app.did(caller, { what: 'ended an account', detail: params.account });
      return ended;
    }
  }),
  endpoint({
    method: 'GET',
    path: '/tokens',
    summary: 'Tokens of programs, without the tokens themselves',
    needs: 'keeper',
    answer: 'Tokens',
    run: ({ app }) => listed(app.access.tokens())
  }),
  endpoint({
    method: 'POST',
    path: '/tokens',
    summary: 'Make a token for a program; it is shown this once',
    needs: 'keeper',
    deed: null,
    body: z.strictObject({ name, role, days: z.number().int().min(1).max(365) }),
    answer: 'NewToken',
    status: 201,
    async run({ app, body, caller }) {
      const made = await app.access.addToken(body.name, body.role, body.days, caller);
      if (made.ok) await app.did(caller, { what: 'made a token', detail: `${body.name}, ${body.role}, ${body.days} days` });
      return made;
    }
  }),
  endpoint({
    method: 'DELETE',
    path: '/tokens/{token}',
    summary: 'End a token',
    needs: 'keeper',
    deed: 'ended a token',
    answer: 'TokenId',
    run: ({ app, params }) => app.access.endToken(Number(params.token))
  })
];

export const deedsQuery = z.object({
  who: z.string().max(200).optional(),
  about: z.string().max(300).optional().describe('a cluster or a rehearsal'),
  text: z.string().max(200).optional(),
  before: z.coerce.number().int().optional().describe('the number of a deed: those before it'),
  limit: z.coerce.number().int().min(1).max(20_000).default(200)
});

const operating = [
  endpoint({
    method: 'GET',
    path: '/deeds',
    summary: 'Who did what, newest first',
    needs: 'engineer',
    query: deedsQuery,
    answer: 'Deeds',
    run: async ({ app, query }) => done({ items: await app.deeds(query) })
  }),
  endpoint({
    method: 'GET',
    path: '/backups',
    summary: 'The backups in the folder for them',
    needs: 'keeper',
    answer: 'Backups',
    run: async ({ app }) => done({ items: app.backups.list() })
  }),
  endpoint({
    method: 'POST',
    path: '/backups',
    summary: 'Make a backup of everything now',
    needs: 'keeper',
    deed: 'made a backup',
    answer: 'Backup',
    status: 201,
    run: ({ app }) => app.backups.make()
  }),
  endpoint({
    method: 'GET',
    path: '/clusters/{name}/export',
    summary: 'A cluster with its rehearsals, drafts and proofs as one document, for another machine. The values of secrets are in it',
    needs: 'engineer',
    deed: 'exported a cluster with its secrets',
    query: z.object({ only: z.string().optional().describe('a fork; the others are left out') }),
    answer: 'Transfer',
    run: ({ app, params, query }) => app.transfer.give(params.name, query.only)
  }),
  endpoint({
    method: 'POST',
    path: '/clusters/import',
    summary: 'Take a cluster in that was exported elsewhere',
    deed: 'took a cluster in',
    query: z.object({ name: z.string().max(63).optional().describe('another name for it') }),
    body: 'transfer',
    answer: 'TakenIn',
    status: 201,
    async run({ app, body, query }) {
      const taken = await app.transfer.take(body, query.name);
      if (taken.ok) app.bus.publish({ rehearsal: taken.value.id, kind: 'forked', clock: null, revision: 0 });
      return taken;
    }
  }),
  endpoint({
    method: 'PUT',
    path: '/presence',
    summary: 'Say that you have a draft or a rehearsal open, or leave it; gives who else is there',
    needs: 'reader',
    deed: null,
    body: z.strictObject({
      id: z.string().min(8).max(60).describe('drawn by the page'),
      draft: z.number().int().optional(),
      rehearsal: z.string().max(200),
      doing: z.enum(['looks', 'writes', 'gone'])
    }),
    answer: 'Presence',
    async run({ app, body, caller }) {
      if (!(await app.rehearsals.all()).some((one) => one.id === body.rehearsal))
        return refused(notFound(`The rehearsal ${body.rehearsal}`));
      const place = body.draft === undefined ? `rehearsal ${body.rehearsal}` : `draft ${body.draft}`;
      const me = { id: body.id, who: caller.name, doing: body.doing === 'gone' ? ('looks' as const) : body.doing };
      return done({ items: app.presence.told(place, body.rehearsal, me, body.doing === 'gone') });
    }
  })
];

/** Signing in, accounts, tokens, who did what, backups, and clusters from and for other machines. */
export const accessEndpoints = [...signing, ...keeping, ...operating];
