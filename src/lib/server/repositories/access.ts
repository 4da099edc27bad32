import type { Database } from '../db/connection';
import { roles, type Role } from '../access/roles';

export interface Account {
  readonly name: string;
  readonly role: Role;
  readonly madeAt: string;
  /** When it was ended; nobody signs in with it any more. */
  readonly endedAt: string | null;
}

export interface Token {
  readonly id: number;
  readonly name: string;
  readonly role: Role;
  readonly madeBy: string;
  readonly madeAt: string;
  readonly endsAt: string;
  readonly endedAt: string | null;
}

export interface Deed {
  readonly id: number;
  readonly at: string;
  readonly who: string;
  readonly what: string;
  readonly cluster: string | null;
  readonly rehearsal: string | null;
  readonly draft: number | null;
  readonly detail: string;
}

const roleOf = (text: string): Role => roles.find((one) => one === text) ?? 'reader';
const stamp = () => new Date().toISOString();

/** Accounts, sessions, tokens of programs, and who did what. */
export function accessRepository(db: Database) {
  return {
    async accounts(): Promise<Account[]> {
      const rows = await db.selectFrom('account').select(['name', 'role', 'made_at', 'ended_at']).orderBy('name').execute();
      return rows.map((row) => ({ name: row.name, role: roleOf(row.role), madeAt: row.made_at, endedAt: row.ended_at }));
    },
    /** An account that isn't ended, with what is kept of its password. */
    async account(name: string): Promise<{ name: string; role: Role; password: string } | undefined> {
      const row = await db.selectFrom('account').selectAll().where('name', '=', name).where('ended_at', 'is', null).executeTakeFirst();
      return row && { name: row.name, role: roleOf(row.role), password: row.password };
    },
    /** Makes an account, or makes one anew that was ended. */
    async addAccount(name: string, role: Role, password: string): Promise<void> {
      const values = { name, role, password, made_at: stamp(), ended_at: null };
      await db
        .insertInto('account')
        .values(values)
        .onConflict((oc) => oc.column('name').doUpdateSet(values))
        .execute();
    },
    async changeAccount(name: string, change: { role?: Role; password?: string }): Promise<void> {
      await db.updateTable('account').set(change).where('name', '=', name).execute();
    },
    async endAccount(name: string): Promise<void> {
      await db.updateTable('account').set({ ended_at: stamp() }).where('name', '=', name).execute();
      await db.deleteFrom('session').where('account', '=', name).execute();
    },

    async addSession(hash: string, account: string, now: number): Promise<void> {
      await db.insertInto('session').values({ hash, account, made_at: now, seen_at: now }).execute();
    },
    async session(hash: string): Promise<{ account: string; role: Role; madeAt: number; seenAt: number } | undefined> {
      const row = await db
        .selectFrom('session')
        .innerJoin('account', 'account.name', 'session.account')
        .select(['session.account', 'session.made_at', 'session.seen_at', 'account.role'])
        .where('session.hash', '=', hash)
        .where('account.ended_at', 'is', null)
        .executeTakeFirst();
      return row && { account: row.account, role: roleOf(row.role), madeAt: row.made_at, seenAt: row.seen_at };
    },
    async seen(hash: string, now: number): Promise<void> {
      await db.updateTable('session').set({ seen_at: now }).where('hash', '=', hash).execute();
    },
    async endSession(hash: string): Promise<void> {
      await db.deleteFrom('session').where('hash', '=', hash).execute();
    },
    async endSessionsOf(account: string, but?: string): Promise<void> {
      await db
        .deleteFrom('session')
        .where('account', '=', account)
        .where('hash', '!=', but ?? '')
        .execute();
    },
    async dropSessions(seenBefore: number, madeBefore: number): Promise<void> {
      await db
        .deleteFrom('session')
        .where((eb) => eb.or([eb('seen_at', '<', seenBefore), eb('made_at', '<', madeBefore)]))
        .execute();
    },

    async tokens(): Promise<Token[]> {
      const rows = await db.selectFrom('token').selectAll().orderBy('id', 'desc').execute();
      return rows.map((row) => ({
        id: row.id,
        name: row.name,
        role: roleOf(row.role),
        madeBy: row.made_by,
        madeAt: row.made_at,
        endsAt: row.ends_at,
        endedAt: row.ended_at
      }));
    },
    async token(hash: string): Promise<{ name: string; role: Role; endsAt: string } | undefined> {
      const row = await db.selectFrom('token').selectAll().where('hash', '=', hash).where('ended_at', 'is', null).executeTakeFirst();
      return row && { name: row.name, role: roleOf(row.role), endsAt: row.ends_at };
    },
    async addToken(name: string, role: Role, hash: string, madeBy: string, endsAt: string): Promise<number> {
      const { id } = await db
        .insertInto('token')
        .values({ name, role, hash, made_by: madeBy, made_at: stamp(), ends_at: endsAt, ended_at: null })
        .returning('id')
        .executeTakeFirstOrThrow();
      return id;
    },
    /** @returns whether there was such a token that hadn't ended */
    async endToken(id: number): Promise<boolean> {
      const [one] = await db.updateTable('token').set({ ended_at: stamp() }).where('id', '=', id).where('ended_at', 'is', null).execute();
      return one !== undefined && one.numUpdatedRows > 0n;
    },

    async addDeed(deed: Omit<Deed, 'id' | 'at'>): Promise<void> {
      await db
        .insertInto('deed')
        .values({ ...deed, at: stamp() })
        .execute();
    },
    /** Who did what, newest first. Texts are looked for anywhere in what was done. */
    async deeds(ask: {
      who?: string | undefined;
      about?: string | undefined;
      text?: string | undefined;
      before?: number | undefined;
      limit: number;
    }): Promise<Deed[]> {
      let found = db.selectFrom('deed').selectAll().orderBy('id', 'desc').limit(ask.limit);
      if (ask.who) found = found.where('who', '=', ask.who);
      if (ask.before !== undefined) found = found.where('id', '<', ask.before);
      const { about, text } = ask;
      if (about) found = found.where((eb) => eb.or([eb('cluster', '=', about), eb('rehearsal', '=', about)]));
      if (text) {
        const part = `%${text.replace(/[\\%_]/g, '\\$&')}%`;
        found = found.where(({ eb, ref, val }) =>
          eb.or(['what', 'detail', 'who'].map((column) => eb(ref(column as 'what'), 'like', val(part))))
        );
      }
      return found.execute();
    },
    async dropDeeds(before: string): Promise<void> {
      await db.deleteFrom('deed').where('at', '<', before).execute();
    }
  };
}

export type AccessRepository = ReturnType<typeof accessRepository>;
