import type { Correction } from '$core/exports';
import type { Summary } from '../dumps/client';
import type { Database } from '../db/connection';

/** What the reader says of a cluster that was read: which others it is linked with, and who looks after its workloads from one of them. */
export interface Joined {
  readonly with: readonly string[];
  readonly operator?: {
    readonly cluster: string;
    readonly kind: 'Deployment' | 'StatefulSet';
    readonly namespace: string;
    readonly name: string;
  };
}

/** A dump that was read. */
export interface Dump {
  readonly id: number;
  readonly cluster: string;
  readonly takenMs: number;
  readonly objects: number;
  readonly readAt: string;
  readonly summary: Summary;
  readonly corrections: readonly Correction[];
}

/**
 * Dumps of real clusters: objects in parts, and what was read in sum.
 * @param soft the connection for parts, which needn't be on the disk before the dump is finished
 */
export function dumpRepository(db: Database, soft: Database = db) {
  const complete = (cluster: string) =>
    db.selectFrom('dump').selectAll().where('cluster', '=', cluster).where('complete', '=', 1).orderBy('id', 'desc');
  const shape = (row: {
    id: number;
    cluster: string;
    taken_ms: number;
    objects: number;
    read_at: string;
    summary: string;
    corrections: string;
  }): Dump => ({
    id: row.id,
    cluster: row.cluster,
    takenMs: row.taken_ms,
    objects: row.objects,
    readAt: row.read_at,
    summary: JSON.parse(row.summary) as Summary,
    corrections: JSON.parse(row.corrections) as Correction[]
  });
  return {
    async begin(cluster: string): Promise<number> {
      const { id } = await db
        .insertInto('dump')
        .values({ cluster, complete: 0, taken_ms: 0, objects: 0, summary: '{}', read_at: new Date().toISOString() })
        .returning('id')
        .executeTakeFirstOrThrow();
      return id;
    },
    async addPart(dump: number, bytes: Uint8Array): Promise<void> {
      await soft
        .insertInto('dump_part')
        .values({ dump, bytes: Buffer.from(bytes) })
        .execute();
    },
    async finish(id: number, summary: Summary, takenMs: number): Promise<void> {
      await db
        .updateTable('dump')
        .set({ complete: 1, taken_ms: takenMs, objects: summary.objects, summary: JSON.stringify(summary) })
        .where('id', '=', id)
        .execute();
    },
    async correct(id: number, corrections: readonly Correction[]): Promise<void> {
      await db
        .updateTable('dump')
        .set({ corrections: JSON.stringify(corrections) })
        .where('id', '=', id)
        .execute();
    },
    /** What the reader says belongs together with a cluster. */
    async joined(cluster: string): Promise<Joined> {
      const row = await db.selectFrom('dump_joined').select('body').where('cluster', '=', cluster).executeTakeFirst();
      return row ? (JSON.parse(row.body) as Joined) : { with: [] };
    },
    async join(cluster: string, joined: Joined): Promise<void> {
      const body = JSON.stringify(joined);
      await db
        .insertInto('dump_joined')
        .values({ cluster, body })
        .onConflict((one) => one.column('cluster').doUpdateSet({ body }))
        .execute();
    },
    async drop(id: number): Promise<void> {
      await db.deleteFrom('dump').where('id', '=', id).execute();
    },
    /** What a reading that never ended has left behind. */
    async dropUnfinished(): Promise<void> {
      await db.deleteFrom('dump').where('complete', '=', 0).execute();
    },
    async dropAll(cluster: string): Promise<void> {
      await db.deleteFrom('dump').where('cluster', '=', cluster).execute();
      await db.deleteFrom('dump_joined').where('cluster', '=', cluster).execute();
    },
    of: async (cluster: string): Promise<Dump[]> => (await complete(cluster).execute()).map(shape),
    async latest(cluster: string): Promise<Dump | undefined> {
      const row = await complete(cluster).executeTakeFirst();
      return row && shape(row);
    },
    async find(id: number): Promise<Dump | undefined> {
      const row = await db.selectFrom('dump').selectAll().where('id', '=', id).where('complete', '=', 1).executeTakeFirst();
      return row && shape(row);
    },
    /** The parts of a dump, one after another. */
    async *parts(id: number): AsyncGenerator<Buffer> {
      let last = 0;
      for (;;) {
        const row = await db
          .selectFrom('dump_part')
          .select(['id', 'bytes'])
          .where('dump', '=', id)
          .where('id', '>', last)
          .orderBy('id')
          .limit(1)
          .executeTakeFirst();
        if (!row) return;
        last = row.id;
        yield row.bytes;
      }
    }
  };
}
