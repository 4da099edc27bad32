import { createHash, randomBytes } from 'node:crypto';
import { Attempts } from '../access/attempts';
import { hashPassword, passwordFault, passwordHolds } from '../access/passwords';
import { type Caller, type Role } from '../access/roles';
import type { AccessRepository, Account, Token } from '../repositories/access';
import { done, notFound, refused, type Answer, type Refusal } from './answer';

/** A session ends after so long without a call, and after so long in any case. Source: OWASP ASVS 5.0, 7.3 (documented limits). */
const idleMs = 12 * 3_600_000;
const longestMs = 7 * 86_400_000;
const seenEveryMs = 60_000;
const mostTokenDays = 365;

const hashOf = (secret: string): string => createHash('sha256').update(secret).digest('hex');

export const wrongSignIn: Refusal = {
  code: 'wrong-sign-in',
  status: 401,
  title: 'That is not right',
  detail: 'Name and password do not go together.',
  remedy: 'Check both; a keeper can set a new password.'
};
export const signInNeeded: Refusal = {
  code: 'sign-in-needed',
  status: 401,
  title: 'Sign in first',
  detail: 'This is for people who have signed in.',
  remedy: 'Sign in at /sign-in, or send a token: Authorization: Bearer <token>.'
};
export const roleNeeded = (needed: Role, has: Role): Refusal => ({
  code: 'role-needed',
  status: 403,
  title: 'Your role may not do this',
  detail: `This takes the role ${needed}; yours is ${has}.`,
  remedy: 'Ask a keeper, who can change roles.'
});
const slowDown = (waitMs: number): Refusal => ({
  code: 'too-many-attempts',
  status: 429,
  title: 'Too many attempts',
  detail: `There were too many wrong attempts; the next one is taken in ${Math.ceil(waitMs / 1_000)} s.`,
  remedy: 'Wait, then try again. A keeper can set a new password.'
});
const badPassword = (fault: string): Refusal => ({
  code: 'bad-password',
  status: 422,
  title: 'This password is not taken',
  detail: `The password ${fault}.`,
  remedy: 'Take twelve characters or more that nobody guesses: several words, say.'
});
const badName: Refusal = {
  code: 'bad-name',
  status: 422,
  title: 'This is no name for an account',
  detail: 'A name has 1 to 60 letters, digits, ".", "_", "@" or "-".',
  remedy: 'Write e.g. anna.berg.'
};
const lastKeeper: Refusal = {
  code: 'last-keeper',
  status: 409,
  title: 'Somebody has to be keeper',
  detail: 'This is the only keeper that is left.',
  remedy: 'Make another one first.'
};
/** Stands where other accounts have a password: whoever comes through the provider under this name. */
const throughProvider = 'provider';
/** What guesses of the first code are counted under; no name of an account. */
const firstKeeper = 'first keeper';
const nameRule = /^[\p{L}\d._@-]{1,60}$/u;

/** Signing in and out, accounts, tokens of programs, and who a call comes from. */
export class AccessService {
  private readonly attempts = new Attempts();
  private readonly watchers = new Set<() => void>();
  /** With it the first keeper is made; known to whoever started this process. */
  firstCode: string | undefined;

  constructor(
    private readonly store: AccessRepository,
    /** Whether people have to sign in. */
    readonly demanded: boolean,
    private readonly tls: boolean
  ) {}

  /** Looks whether anybody could sign in at all; if not, a code for the first keeper is drawn. */
  async begin(): Promise<void> {
    if (!this.demanded) return;
    if (!(await this.keepers()).length) this.firstCode = randomBytes(12).toString('base64url');
  }

  private async keepers(): Promise<Account[]> {
    return (await this.store.accounts()).filter((one) => one.role === 'keeper' && one.endedAt === null);
  }

  get cookieName(): string {
    return this.tls ? '__Host-root-barn' : 'root-barn';
  }

  private cookie(value: string, seconds: number): string {
    return `${this.cookieName}=${value}; Path=/; HttpOnly; SameSite=Lax; Max-Age=${seconds}${this.tls ? '; Secure' : ''}`;
  }

  /** Who calls, by the cookie or the token that came along; undefined for a stranger. */
  async callerOf(headers: Headers, peer: string, renew = true): Promise<Caller | undefined> {
    const bearer = /^Bearer ([\w-]{20,200})$/.exec(headers.get('authorization') ?? '')?.[1];
    if (bearer) {
      const token = await this.store.token(hashOf(bearer));
      if (!token || token.endsAt <= new Date().toISOString()) return undefined;
      return { name: `token ${token.name}`, role: token.role, peer };
    }
    const secret = (headers.get('cookie') ?? '')
      .split(';')
      .map((one) => one.trim())
      .find((one) => one.startsWith(`${this.cookieName}=`))
      ?.slice(this.cookieName.length + 1);
    if (!secret) return undefined;
    const hash = hashOf(secret);
    const session = await this.store.session(hash);
    const now = Date.now();
    if (!session) return undefined;
    if (now - session.seenAt > idleMs || now - session.madeAt > longestMs) {
      await this.store.endSession(hash);
      return undefined;
    }
    if (renew && now - session.seenAt > seenEveryMs) await this.store.seen(hash, now);
    return { name: session.account, role: session.role, peer, session: hash };
  }

  /** Calls when a session, an account or a token has been ended, until what it gives is called. */
  whenEnded(look: () => void): () => void {
    this.watchers.add(look);
    return () => void this.watchers.delete(look);
  }
  /** Waits for an end, and tells of it. */
  private async ended<T>(end: Promise<T>): Promise<T> {
    const came = await end;
    for (const look of this.watchers) look();
    return came;
  }

  /** Whether whoever began something long ago may still be here; looking doesn't count as being active. */
  async stillIn(headers: Headers): Promise<boolean> {
    return !this.demanded || (await this.callerOf(headers, '', false)) !== undefined;
  }

  /** A new session, under an id that nobody knew before. */
  private async opened(name: string, role: Role): Promise<Answer<{ name: string; role: Role }>> {
    const secret = randomBytes(32).toString('base64url');
    await this.store.addSession(hashOf(secret), name, Date.now());
    return { ...done({ name, role }), cookie: this.cookie(secret, longestMs / 1_000) };
  }

  /** Why an attempt isn't looked at yet; if it is, it counts from now on. */
  private slowed(name: string, peer: string): Refusal | undefined {
    const waitMs = this.attempts.waitMs(name, peer);
    if (waitMs > 0) return slowDown(waitMs);
    this.attempts.begun(name, peer);
    return undefined;
  }

  async signIn(name: string, password: string, caller: { peer: string; session?: string | undefined }) {
    const slow = this.slowed(name, caller.peer);
    if (slow) return refused<{ name: string; role: Role }>(slow);
    const account = await this.store.account(name);
    if (!(await passwordHolds(password, account?.password)) || !account) {
      this.attempts.failed(name, caller.peer);
      return refused<{ name: string; role: Role }>(wrongSignIn);
    }
    this.attempts.succeeded(name, caller.peer);
    if (caller.session) await this.ended(this.store.endSession(caller.session));
    return this.opened(account.name, account.role);
  }

  /** Signs somebody in whom a provider of identities vouches for; made as an account at the first time. */
  async signInThrough(name: string, first: Role) {
    const known = (await this.store.accounts()).find((one) => one.name === name);
    const account = known && (await this.store.account(name));
    // An ended account stays ended; one with a password is somebody's own, whatever the provider calls its people.
    if (known && account?.password !== throughProvider) return refused<{ name: string; role: Role }>(wrongSignIn);
    if (!known) await this.store.addAccount(name, first, throughProvider);
    return this.opened(name, account?.role ?? first);
  }

  async signOut(caller: Caller): Promise<Answer<{ name: string }>> {
    if (caller.session) await this.ended(this.store.endSession(caller.session));
    return { ...done({ name: caller.name }), cookie: this.cookie('', 0) };
  }

  /** Makes the first keeper with the code that the start printed. */
  async firstKeeper(code: string, name: string, password: string, peer: string) {
    type Made = { name: string; role: Role };
    const slow = this.slowed(firstKeeper, peer);
    if (slow) return refused<Made>(slow);
    if (!this.firstCode || code !== this.firstCode || (await this.keepers()).length)
      return refused<Made>({ ...wrongSignIn, detail: 'This is not the code that the start of Root Barn has printed.' });
    this.attempts.succeeded(firstKeeper, peer);
    const fault = this.accountFault(name, password);
    if (fault) return refused<Made>(fault);
    this.firstCode = undefined;
    await this.store.addAccount(name, 'keeper', await hashPassword(password));
    return this.opened(name, 'keeper');
  }

  private accountFault(name: string, password: string): Refusal | undefined {
    if (!nameRule.test(name)) return badName;
    const fault = passwordFault(password, name);
    return fault === undefined ? undefined : badPassword(fault);
  }

  accounts = async (): Promise<Answer<Account[]>> => done(await this.store.accounts());

  async addAccount(name: string, role: Role, password: string): Promise<Answer<{ name: string; role: Role }>> {
    const fault = this.accountFault(name, password);
    if (fault) return refused(fault);
    if (await this.store.account(name))
      return refused({
        code: 'name-taken',
        status: 409,
        title: 'There is such an account',
        detail: `${name} exists.`,
        remedy: 'Choose another name.'
      });
    await this.store.addAccount(name, role, await hashPassword(password));
    return done({ name, role });
  }

  /** Changes role or password; with another password every session of the account ends. */
  async changeAccount(name: string, { role, password }: { role?: Role | undefined; password?: string | undefined }) {
    type Changed = { name: string; role: Role };
    const account = await this.store.account(name);
    if (!account) return refused<Changed>(notFound(`The account ${name}`));
    if (role && role !== 'keeper' && account.role === 'keeper' && (await this.keepers()).length < 2) return refused<Changed>(lastKeeper);
    if (password !== undefined) {
      const fault = passwordFault(password, name);
      if (fault) return refused<Changed>(badPassword(fault));
      await this.store.changeAccount(name, { password: await hashPassword(password) });
      await this.ended(this.store.endSessionsOf(name));
    }
    if (role) await this.store.changeAccount(name, { role });
    return done<Changed>({ name, role: role ?? account.role });
  }

  /** One's own password; the other sessions of the account end. */
  async changeOwn(caller: Caller, old: string, next: string): Promise<Answer<{ name: string }>> {
    const slow = this.slowed(caller.name, caller.peer);
    if (slow) return refused(slow);
    const account = await this.store.account(caller.name);
    if (!account || !(await passwordHolds(old, account.password))) {
      this.attempts.failed(caller.name, caller.peer);
      return refused({ ...wrongSignIn, detail: 'The present password is another one.' });
    }
    this.attempts.succeeded(caller.name, caller.peer);
    const fault = passwordFault(next, caller.name);
    if (fault) return refused(badPassword(fault));
    await this.store.changeAccount(caller.name, { password: await hashPassword(next) });
    await this.ended(this.store.endSessionsOf(caller.name, caller.session));
    return done({ name: caller.name });
  }

  async endAccount(name: string): Promise<Answer<{ name: string }>> {
    const account = await this.store.account(name);
    if (!account) return refused(notFound(`The account ${name}`));
    if (account.role === 'keeper' && (await this.keepers()).length < 2) return refused(lastKeeper);
    await this.ended(this.store.endAccount(name));
    return done({ name });
  }

  tokens = async (): Promise<Answer<Token[]>> => done(await this.store.tokens());

  /** A token for a program; it is shown this once. */
  async addToken(name: string, role: Role, days: number, caller: Caller): Promise<Answer<{ id: number; token: string; endsAt: string }>> {
    const token = `rb_${randomBytes(32).toString('base64url')}`;
    const endsAt = new Date(Date.now() + Math.min(days, mostTokenDays) * 86_400_000).toISOString();
    const id = await this.store.addToken(name, role, hashOf(token), caller.name, endsAt);
    return done({ id, token, endsAt });
  }

  async endToken(id: number): Promise<Answer<{ id: number }>> {
    return (await this.ended(this.store.endToken(id)))
      ? done({ id })
      : refused(notFound(`A token of this number that hasn't ended`, 'GET /api/v1/tokens lists them.'));
  }

  /** What is over: sessions that nobody uses. */
  async tidy(now = Date.now()): Promise<void> {
    await this.store.dropSessions(now - idleMs, now - longestMs);
  }
}
