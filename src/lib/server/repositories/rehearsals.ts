import { sql } from 'kysely';
import { readAction, type TimedAction } from '$core/standin';
import type { Database } from '../db/connection';
import { sumHolds, sumOf } from '../db/sums';
import { KeptAction } from '../rehearsals/kept-action';
import { inTransaction } from '../db/transaction';

export interface Rehearsal {
  readonly id: string;
  readonly cluster: string;
  readonly fork: string | null;
  readonly parent: string | null;
  readonly forkedAtMs: number | null;
  readonly headMs: number;
  readonly frontierMs: number;
  readonly revision: number;
  /** Where its clock stands isn't as it was written. */
  readonly damaged?: true;
}

export interface StoredSnapshot {
  /** How many actions it holds. */
  readonly actions: number;
  readonly atMs: number;
  readonly engine: string;
  readonly bytes: Buffer;
}

/** The actions of a rehearsal as they were written down. */
export interface KeptActions {
  /** Those up to the first that can't be read any more. */
  readonly actions: readonly KeptAction[];
  /** The first that can't be read: how many come before it and are whole, how many from it on, and when it was. */
  readonly damaged?: { readonly after: number; readonly from: number; readonly atMs: number };
}

/** Whether a text without a sum is an action at all. */
function isAction(body: string): boolean {
  try {
    readAction(JSON.parse(body));
    return true;
  } catch {
    return false;
  }
}

/** How the text of an action begins that joins a cluster to another one. */
const joinHead = '{"type":"join"';

/** Rehearsals with what was done in them, and their cached snapshots. */
export function rehearsalRepository(db: Database) {
  const rows = () =>
    db
      .selectFrom('rehearsal')
      .select([
        'id',
        'cluster',
        'fork',
        'parent',
        'forked_at_ms as forkedAtMs',
        'head_ms as headMs',
        'frontier_ms as frontierMs',
        'revision',
        'sum'
      ]);
  const shape = ({ sum, ...row }: Rehearsal & { sum: string }): Rehearsal =>
    sumHolds(sum, row.headMs, row.frontierMs, row.revision) ? row : { ...row, damaged: true };
  const clockSum = (headMs: number, frontierMs: number, revision: number) => sumOf(headMs, frontierMs, revision);
  const stored = (one: Rehearsal) => ({
    id: one.id,
    cluster: one.cluster,
    fork: one.fork,
    parent: one.parent,
    forked_at_ms: one.forkedAtMs,
    head_ms: one.headMs,
    frontier_ms: one.frontierMs,
    revision: one.revision,
    sum: clockSum(one.headMs, one.frontierMs, one.revision)
  });
  const valuesOf = (rehearsal: string, sequence: number, { atMs, action }: TimedAction) => {
    const body = JSON.stringify(action);
    return {
      rehearsal,
      sequence,
      at_ms: atMs,
      body,
      withdrawn: 0,
      created_at: new Date().toISOString(),
      sum: sumOf(0, atMs, body)
    };
  };
  /** The clock stands at a moment, and somebody has changed something. Gives the new revision. */
  async function stands(tx: Database, id: string, atMs: number): Promise<number> {
    const { revision } = await tx.selectFrom('rehearsal').select('revision').where('id', '=', id).executeTakeFirstOrThrow();
    const next = { revision: revision + 1, head_ms: atMs, frontier_ms: atMs, sum: clockSum(atMs, atMs, revision + 1) };
    await tx.updateTable('rehearsal').set(next).where('id', '=', id).execute();
    return revision + 1;
  }
  /** The clock stands at a moment because that of another one does. */
  async function clockStands(tx: Database, id: string, atMs: number): Promise<void> {
    const now = await tx.selectFrom('rehearsal').select('revision').where('id', '=', id).executeTakeFirst();
    if (!now) return;
    const next = { head_ms: atMs, frontier_ms: atMs, sum: clockSum(atMs, atMs, now.revision) };
    await tx.updateTable('rehearsal').set(next).where('id', '=', id).execute();
  }
  async function addFork(tx: Database, one: Rehearsal, from: string, untilMs: number): Promise<void> {
    await tx.insertInto('rehearsal').values(stored(one)).execute();
    await sql`
      INSERT INTO action (rehearsal, sequence, at_ms, body, withdrawn, created_at, sum)
      SELECT ${one.id}, row_number() OVER (ORDER BY sequence), at_ms, body, 0, created_at, sum
      FROM action WHERE rehearsal = ${from} AND withdrawn = 0 AND at_ms <= ${untilMs}
      ORDER BY sequence`.execute(tx);
    await sql`
      INSERT INTO snapshot (rehearsal, actions, at_ms, engine, bytes, last_action)
      SELECT ${one.id}, s.actions, s.at_ms, s.engine, s.bytes,
        coalesce((SELECT max(id) FROM action WHERE rehearsal = ${one.id} AND sequence = s.actions), 0)
      FROM snapshot s
      WHERE s.rehearsal = ${from} AND s.at_ms <= ${untilMs}
        AND s.actions = (SELECT count(*) FROM action WHERE rehearsal = ${from} AND withdrawn = 0 AND id <= s.last_action)`.execute(tx);
  }
  return {
    all: async (): Promise<Rehearsal[]> => (await rows().orderBy('id').execute()).map(shape),
    async find(id: string): Promise<Rehearsal | undefined> {
      const row = await rows().where('id', '=', id).executeTakeFirst();
      return row && shape(row);
    },

    /** What was done, in order. An action that isn't as it was written ends the list; nothing is guessed. */
    async actions(id: string): Promise<KeptActions> {
      const list = await db
        .selectFrom('action')
        .select(['at_ms', 'body', 'sum', 'withdrawn'])
        .where('rehearsal', '=', id)
        .orderBy('sequence')
        .execute();
      const actions: KeptAction[] = [];
      let lastMs = 0;
      for (const [i, row] of list.entries()) {
        const holds = sumHolds(row.sum, row.withdrawn, row.at_ms, row.body);
        if (holds && row.withdrawn) continue;
        if (!holds || row.at_ms < lastMs || (row.sum === '' && !isAction(row.body)))
          return { actions, damaged: { after: actions.length, from: list.length - i, atMs: row.at_ms } };
        actions.push(new KeptAction(row.at_ms, row.body));
        lastMs = row.at_ms;
      }
      return { actions };
    },

    /** How many actions stand up to a moment (virtual ms). */
    async actionsUntil(id: string, untilMs: number): Promise<number> {
      const { count } = await db
        .selectFrom('action')
        .select(({ fn }) => fn.countAll<number>().as('count'))
        .where('rehearsal', '=', id)
        .where('withdrawn', '=', 0)
        .where('at_ms', '<=', untilMs)
        .executeTakeFirstOrThrow();
      return count;
    },

    /** When the latest action of some rehearsals was taken (virtual ms); undefined without any. */
    async lastActionMs(ids: readonly string[]): Promise<number | undefined> {
      const row = await db
        .selectFrom('action')
        .select(({ fn }) => fn.max<number | null>('at_ms').as('last'))
        .where('rehearsal', 'in', ids)
        .where('withdrawn', '=', 0)
        .executeTakeFirst();
      return row?.last ?? undefined;
    },

    /** Makes a rehearsal with the actions it starts from, in one transaction. */
    async add(one: Rehearsal, actions: readonly TimedAction[]): Promise<void> {
      await inTransaction(db, async (tx) => {
        await tx.insertInto('rehearsal').values(stored(one)).execute();
        // So many rows at a time: a statement takes a bounded number of values.
        for (let from = 0; from < actions.length; from += 1_000)
          await tx
            .insertInto('action')
            .values(actions.slice(from, from + 1_000).map((action, i) => valuesOf(one.id, from + i + 1, action)))
            .execute();
      });
    },

    /** Makes rehearsals that begin with the actions of others up to a moment (virtual ms), and with their snapshots where those fit. */
    async addForks(forks: readonly { readonly one: Rehearsal; readonly from: string }[], untilMs: number): Promise<void> {
      await inTransaction(db, async (tx) => {
        for (const { one, from } of forks) await addFork(tx, one, from, untilMs);
      });
    },

    /** Which rehearsals were joined to which clusters, as what was done in them says. */
    async joins(): Promise<{ rehearsal: string; with: string; atMs: number }[]> {
      const found = await sql<{ rehearsal: string; body: string; at_ms: number }>`
        SELECT rehearsal, body, at_ms FROM action WHERE withdrawn = 0 AND substr(body, 1, 14) = ${sql.lit(joinHead)}`.execute(db);
      return found.rows.flatMap(({ rehearsal, body, at_ms }) => {
        try {
          const { with: cluster } = JSON.parse(body) as { with?: unknown };
          return typeof cluster === 'string' ? [{ rehearsal, with: cluster, atMs: at_ms }] : [];
        } catch {
          return [];
        }
      });
    },

    /**
     * Writes an action down before it is answered; the clock stands at its moment from then on.
     * @param kin other rehearsals whose clock goes with it
     */
    async append(id: string, action: TimedAction, kin: readonly string[] = []): Promise<number> {
      return inTransaction(db, async (tx) => {
        for (const one of kin) await clockStands(tx, one, action.atMs);
        const { last } = await tx
          .selectFrom('action')
          .select(({ fn }) => fn.max('sequence').as('last'))
          .where('rehearsal', '=', id)
          .executeTakeFirstOrThrow();
        await tx
          .insertInto('action')
          .values(valuesOf(id, (last ?? 0) + 1, action))
          .execute();
        return stands(tx, id, action.atMs);
      });
    },

    /**
     * Marks the latest action of some rehearsals that have one clock as taken back. Gives whose it was and when, or undefined when there is
     * none.
     */
    async withdraw(ids: readonly string[]): Promise<{ id: string; atMs: number } | undefined> {
      return inTransaction(db, async (tx) => {
        const last = await tx
          .selectFrom('action')
          .select(['id', 'at_ms', 'body', 'rehearsal'])
          .where('rehearsal', 'in', ids)
          .where('withdrawn', '=', 0)
          .orderBy('at_ms', 'desc')
          .orderBy('id', 'desc')
          .limit(1)
          .executeTakeFirst();
        if (!last) return undefined;
        await tx
          .updateTable('action')
          .set({ withdrawn: 1, sum: sumOf(1, last.at_ms, last.body) })
          .where('id', '=', last.id)
          .execute();
        for (const one of ids) if (one !== last.rehearsal) await clockStands(tx, one, last.at_ms);
        await stands(tx, last.rehearsal, last.at_ms);
        return { id: last.rehearsal, atMs: last.at_ms };
      });
    },

    async setClock(id: string, headMs: number, frontierMs: number): Promise<void> {
      const now = await db.selectFrom('rehearsal').select('revision').where('id', '=', id).executeTakeFirst();
      if (!now) return;
      await db
        .updateTable('rehearsal')
        .set({ head_ms: headMs, frontier_ms: frontierMs, sum: clockSum(headMs, frontierMs, now.revision) })
        .where('id', '=', id)
        .where('revision', '=', now.revision)
        .execute();
    },

    async remove(id: string): Promise<void> {
      await db.deleteFrom('rehearsal').where('id', '=', id).execute();
    },

    /** The latest snapshot whose actions all still stand; later ones may follow it. */
    async snapshot(id: string): Promise<StoredSnapshot | undefined> {
      const row = await db.selectFrom('snapshot').selectAll().where('rehearsal', '=', id).executeTakeFirst();
      if (!row) return undefined;
      const { held } = await db
        .selectFrom('action')
        .select(({ fn }) => fn.countAll<number>().as('held'))
        .where('rehearsal', '=', id)
        .where('withdrawn', '=', 0)
        .where('id', '<=', row.last_action)
        .executeTakeFirstOrThrow();
      if (held !== row.actions) return undefined;
      return { actions: row.actions, atMs: row.at_ms, engine: row.engine, bytes: row.bytes };
    },

    async keepSnapshot(id: string, one: StoredSnapshot): Promise<void> {
      const last = await db
        .selectFrom('action')
        .select('id')
        .where('rehearsal', '=', id)
        .where('withdrawn', '=', 0)
        .orderBy('sequence')
        .offset(Math.max(0, one.actions - 1))
        .limit(1)
        .executeTakeFirst();
      const last_action = one.actions ? (last?.id ?? 0) : 0;
      const values = { rehearsal: id, actions: one.actions, at_ms: one.atMs, engine: one.engine, bytes: one.bytes, last_action };
      await db
        .insertInto('snapshot')
        .values(values)
        .onConflict((oc) => oc.column('rehearsal').doUpdateSet(values))
        .execute();
    }
  };
}

export type RehearsalRepository = ReturnType<typeof rehearsalRepository>;
