import type { TimedAction } from '$core/standin';
import type { Database } from '../db/connection';

export interface Rehearsal {
  readonly id: string;
  readonly cluster: string;
  readonly fork: string | null;
  readonly parent: string | null;
  readonly forkedAtMs: number | null;
  readonly headMs: number;
  readonly frontierMs: number;
  readonly revision: number;
}

export interface StoredSnapshot {
  readonly actions: number;
  readonly atMs: number;
  readonly engine: string;
  readonly bytes: Buffer;
}

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
        'revision'
      ]);
  return {
    all: (): Promise<Rehearsal[]> => rows().orderBy('id').execute(),
    find: (id: string): Promise<Rehearsal | undefined> => rows().where('id', '=', id).executeTakeFirst(),

    async actions(id: string): Promise<TimedAction[]> {
      const list = await db
        .selectFrom('action')
        .select(['at_ms', 'body'])
        .where('rehearsal', '=', id)
        .where('withdrawn', '=', 0)
        .orderBy('sequence')
        .execute();
      return list.map((row) => ({ atMs: row.at_ms, action: JSON.parse(row.body) as TimedAction['action'] }));
    },

    /** Makes a rehearsal with the actions it starts from, in one transaction. */
    async add(one: Rehearsal, actions: readonly TimedAction[]): Promise<void> {
      await db.transaction().execute(async (tx) => {
        await tx
          .insertInto('rehearsal')
          .values({
            id: one.id,
            cluster: one.cluster,
            fork: one.fork,
            parent: one.parent,
            forked_at_ms: one.forkedAtMs,
            head_ms: one.headMs,
            frontier_ms: one.frontierMs,
            revision: one.revision
          })
          .execute();
        const values = actions.map(({ atMs, action }, i) => ({
          rehearsal: one.id,
          sequence: i + 1,
          at_ms: atMs,
          body: JSON.stringify(action),
          withdrawn: 0,
          created_at: new Date().toISOString()
        }));
        if (values.length) await tx.insertInto('action').values(values).execute();
      });
    },

    /** Writes an action down before it is answered; the clock stands at its moment from then on. */
    async append(id: string, { atMs, action }: TimedAction): Promise<number> {
      return db.transaction().execute(async (tx) => {
        const { last } = await tx
          .selectFrom('action')
          .select(({ fn }) => fn.max('sequence').as('last'))
          .where('rehearsal', '=', id)
          .executeTakeFirstOrThrow();
        await tx
          .insertInto('action')
          .values({
            rehearsal: id,
            sequence: (last ?? 0) + 1,
            at_ms: atMs,
            body: JSON.stringify(action),
            withdrawn: 0,
            created_at: new Date().toISOString()
          })
          .execute();
        const { revision } = await tx
          .updateTable('rehearsal')
          .set(({ eb }) => ({ revision: eb('revision', '+', 1), head_ms: atMs, frontier_ms: atMs }))
          .where('id', '=', id)
          .returning('revision')
          .executeTakeFirstOrThrow();
        return revision;
      });
    },

    /** Marks the latest action as taken back. Gives when it was, or undefined when there is none. */
    async withdraw(id: string): Promise<number | undefined> {
      return db.transaction().execute(async (tx) => {
        const last = await tx
          .selectFrom('action')
          .select(['id', 'at_ms'])
          .where('rehearsal', '=', id)
          .where('withdrawn', '=', 0)
          .orderBy('sequence', 'desc')
          .limit(1)
          .executeTakeFirst();
        if (!last) return undefined;
        await tx.updateTable('action').set({ withdrawn: 1 }).where('id', '=', last.id).execute();
        await tx
          .updateTable('rehearsal')
          .set(({ eb }) => ({ revision: eb('revision', '+', 1), head_ms: last.at_ms, frontier_ms: last.at_ms }))
          .where('id', '=', id)
          .execute();
        return last.at_ms;
      });
    },

    async setClock(id: string, headMs: number, frontierMs: number): Promise<void> {
      await db.updateTable('rehearsal').set({ head_ms: headMs, frontier_ms: frontierMs }).where('id', '=', id).execute();
    },

    async remove(id: string): Promise<void> {
      await db.deleteFrom('rehearsal').where('id', '=', id).execute();
    },

    async snapshot(id: string): Promise<StoredSnapshot | undefined> {
      const row = await db.selectFrom('snapshot').selectAll().where('rehearsal', '=', id).executeTakeFirst();
      return row && { actions: row.actions, atMs: row.at_ms, engine: row.engine, bytes: row.bytes };
    },

    async keepSnapshot(id: string, one: StoredSnapshot): Promise<void> {
      const values = { rehearsal: id, actions: one.actions, at_ms: one.atMs, engine: one.engine, bytes: one.bytes };
      await db
        .insertInto('snapshot')
        .values(values)
        .onConflict((oc) => oc.column('rehearsal').doUpdateSet(values))
        .execute();
    },

    async dropSnapshot(id: string): Promise<void> {
      await db.deleteFrom('snapshot').where('rehearsal', '=', id).execute();
    }
  };
}

export type RehearsalRepository = ReturnType<typeof rehearsalRepository>;
