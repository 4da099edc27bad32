import { gunzipSync, gzipSync } from 'node:zlib';
import { z } from 'zod';
import type { Database } from '../db/connection';
import { dataFault } from '../db/faults';
import { sumHolds, sumOf } from '../db/sums';
import { inTransaction } from '../db/transaction';

const filesSchema = z.array(z.object({ name: z.string(), text: z.string() }));
export type DraftFile = z.infer<typeof filesSchema>[number];

export interface Draft {
  readonly id: number;
  readonly cluster: string;
  readonly name: string;
  readonly files: readonly DraftFile[];
  readonly state: number | null;
  readonly updatedAt: string;
  /** Goes up with every change. */
  readonly revision: number;
}

/** A draft as it stood at a pause in writing. */
export interface DraftState {
  readonly id: number;
  readonly parent: number | null;
  readonly lines: number;
  readonly cause: string;
  readonly at: string;
}

/** Where a draft was sent, with what it said then. */
export interface DraftSent {
  readonly id: number;
  readonly rehearsal: string;
  readonly atMs: number;
  readonly at: string;
  readonly files: readonly DraftFile[];
}

/** So many states of a draft are kept; the oldest go first. */
const mostStates = 300;

const pack = (files: readonly DraftFile[]): Buffer => gzipSync(JSON.stringify(files));
const unpack = (bytes: Buffer): DraftFile[] => filesSchema.parse(JSON.parse(gunzipSync(bytes).toString('utf8')));
const linesOf = (files: readonly DraftFile[]): number =>
  files.reduce((sum, one) => sum + (one.text.trim() ? one.text.trimEnd().split('\n').length : 0), 0);

/** Drafts: manifests being written, kept per cluster until they are thrown away, with all they have been. */
export function draftRepository(db: Database) {
  const rows = () =>
    db.selectFrom('draft').select(['id', 'cluster', 'name', 'files', 'state', 'revision', 'sum', 'updated_at as updatedAt']);
  const shape = ({ sum, ...row }: { files: string; sum: string } & Omit<Draft, 'files'>): Draft => {
    if (!sumHolds(sum, row.name, row.files)) throw dataFault('damaged', `in the row of the draft ${row.id}`);
    return { ...row, files: filesSchema.parse(JSON.parse(row.files)) };
  };

  async function addState(db: Database, draft: number, parent: number | null, files: readonly DraftFile[], cause: string): Promise<number> {
    const { id } = await db
      .insertInto('draft_state')
      .values({ draft, parent, files: pack(files), lines: linesOf(files), cause, at: new Date().toISOString() })
      .returning('id')
      .executeTakeFirstOrThrow();
    const old = await db
      .selectFrom('draft_state')
      .select('id')
      .where('draft', '=', draft)
      .orderBy('id', 'desc')
      .offset(mostStates)
      .limit(1)
      .executeTakeFirst();
    if (old) await db.deleteFrom('draft_state').where('draft', '=', draft).where('id', '<=', old.id).execute();
    return id;
  }
  const set = (db: Database, draft: Draft, { files, name = draft.name, state }: { files?: string; name?: string; state?: number | null }) =>
    db
      .updateTable('draft')
      .set(({ eb }) => ({
        name,
        ...(files === undefined ? {} : { files }),
        ...(state === undefined ? {} : { state }),
        sum: sumOf(name, files ?? JSON.stringify(draft.files)),
        revision: eb('revision', '+', 1),
        updated_at: new Date().toISOString()
      }))
      .where('id', '=', draft.id)
      .execute();
  const find = async (id: number): Promise<Draft | undefined> => {
    const row = await rows().where('id', '=', id).executeTakeFirst();
    return row && shape(row);
  };
  async function filesOf(draft: number, state: number): Promise<DraftFile[] | undefined> {
    const row = await db.selectFrom('draft_state').select('files').where('id', '=', state).where('draft', '=', draft).executeTakeFirst();
    return row && unpack(row.files);
  }

  return {
    of: async (cluster: string): Promise<Draft[]> => (await rows().where('cluster', '=', cluster).orderBy('id').execute()).map(shape),
    find,
    filesOf,
    async add(cluster: string, name: string, files: readonly DraftFile[]): Promise<number> {
      const text = JSON.stringify(files);
      return inTransaction(db, async (tx) => {
        const { id } = await tx
          .insertInto('draft')
          .values({ cluster, name, files: text, state: null, updated_at: new Date().toISOString(), sum: sumOf(name, text) })
          .returning('id')
          .executeTakeFirstOrThrow();
        const state = await addState(tx, id, null, files, 'begun');
        await tx.updateTable('draft').set({ state }).where('id', '=', id).execute();
        return id;
      });
    },
    /** Keeps what was written; a new state only where something changed. */
    async keep(draft: Draft, change: { name?: string; files?: readonly DraftFile[]; cause?: string }): Promise<void> {
      const { name, files, cause = 'written' } = change;
      const text = files && JSON.stringify(files);
      if (!files || text === JSON.stringify(draft.files)) {
        if (name !== undefined && name !== draft.name) await set(db, draft, { name });
        return;
      }
      await inTransaction(db, async (tx) => {
        const state = await addState(tx, draft.id, draft.state, files, cause);
        await set(tx, draft, { files: text!, state, ...(name === undefined ? {} : { name }) });
      });
    },
    states: (id: number): Promise<DraftState[]> =>
      db.selectFrom('draft_state').select(['id', 'parent', 'lines', 'cause', 'at']).where('draft', '=', id).orderBy('id', 'desc').execute(),
    /** Steps back to the state before, or on to the latest that followed; undefined where there is none. */
    async step(draft: Draft, to: 'undo' | 'redo'): Promise<Draft | undefined> {
      const { id } = draft;
      if (!draft.state) return undefined;
      const here = await db.selectFrom('draft_state').select('parent').where('id', '=', draft.state).executeTakeFirst();
      const next =
        to === 'undo'
          ? here?.parent
          : (await db.selectFrom('draft_state').select('id').where('parent', '=', draft.state).orderBy('id', 'desc').executeTakeFirst())
              ?.id;
      const files = next ? await filesOf(id, next) : undefined;
      if (!files || !next) return undefined;
      await set(db, draft, { files: JSON.stringify(files), state: next });
      return find(id);
    },
    async sent(id: number): Promise<DraftSent[]> {
      const found = await db.selectFrom('draft_sent').selectAll().where('draft', '=', id).orderBy('id', 'desc').execute();
      return found.map((one) => ({ id: one.id, rehearsal: one.rehearsal, atMs: one.at_ms, at: one.at, files: unpack(one.files) }));
    },
    async addSent(id: number, rehearsal: string, atMs: number, files: readonly DraftFile[]): Promise<void> {
      await db
        .insertInto('draft_sent')
        .values({ draft: id, rehearsal, at_ms: atMs, files: pack(files), at: new Date().toISOString() })
        .execute();
    },
    async remove(id: number): Promise<void> {
      await db.deleteFrom('draft').where('id', '=', id).execute();
    }
  };
}
