import { z } from 'zod';
import type { ApiObject } from '$core/model';
import { dataFault } from '../db/faults';
import { sumHolds, sumOf } from '../db/sums';
import type { Database } from '../db/connection';

const flagSchema = z.object({ hue: z.number(), weave: z.enum(['twill', 'stripe', 'check', 'dots']) });
export type Flag = z.infer<typeof flagSchema>;

export interface Cluster {
  readonly name: string;
  readonly note: string;
  readonly flag: Flag;
  readonly seed: number;
  readonly ground: readonly ApiObject[];
  /** A stand-in, a real cluster as its dumps show it, or a stand-in that goes on from one. */
  readonly kind: 'standin' | 'dump' | 'adopted';
}

const damagedNote = 'damaged in the database';
const plainFlag = JSON.stringify({ hue: 0, weave: 'dots' } satisfies Flag);

/** Clusters of the estate. */
export function clusterRepository(db: Database) {
  const shape = (row: { name: string; note: string; flag: string; seed: number; ground: string; kind: string }): Cluster => ({
    name: row.name,
    note: row.note,
    seed: row.seed,
    kind: row.kind === 'dump' || row.kind === 'adopted' ? row.kind : 'standin',
    flag: flagSchema.parse(JSON.parse(row.flag)),
    ground: JSON.parse(row.ground) as ApiObject[]
  });
  type Head = { name: string; note: string; flag: string; seed: number; kind: string; sum: string };
  const headHolds = ({ name, note, flag, seed, kind, sum }: Head) => sumHolds(sum.split(':')[0]!, name, note, flag, seed, kind);
  /** Of a row that isn't as it was written only the name is shown. */
  const headOf = (row: Head) =>
    shape(
      headHolds(row)
        ? { ...row, ground: '[]' }
        : { name: row.name, note: damagedNote, flag: plainFlag, seed: 0, kind: 'standin', ground: '[]' }
    );
  return {
    /** All clusters, without what they stand on. */
    all: async (): Promise<Omit<Cluster, 'ground'>[]> =>
      (await db.selectFrom('cluster').select(['name', 'note', 'flag', 'seed', 'kind', 'sum']).orderBy('place').execute()).map((row) => {
        const { ground: _, ...rest } = headOf(row);
        return rest;
      }),
    /** A cluster without what it stands on, which can be large. */
    async head(name: string): Promise<Omit<Cluster, 'ground'> | undefined> {
      const row = await db
        .selectFrom('cluster')
        .select(['name', 'note', 'flag', 'seed', 'kind', 'sum'])
        .where('name', '=', name)
        .executeTakeFirst();
      if (!row) return undefined;
      const { ground: _, ...rest } = headOf(row);
      return rest;
    },
    /** @throws DataFault where the row isn't as it was written */
    async find(name: string) {
      const row = await db.selectFrom('cluster').selectAll().where('name', '=', name).executeTakeFirst();
      if (row && !(headHolds(row) && sumHolds(row.sum.split(':')[1] ?? '', row.ground)))
        throw dataFault('damaged', `in the row of the cluster ${name}`);
      return row && shape(row);
    },
    /** What the making of a cluster that never ended has left behind: one without a trunk. */
    async dropUnfinished(): Promise<void> {
      await db
        .deleteFrom('cluster')
        .where(({ not, exists, selectFrom }) =>
          not(exists(selectFrom('rehearsal').select('rehearsal.id').whereRef('rehearsal.cluster', '=', 'cluster.name')))
        )
        .where(({ not, exists, selectFrom }) =>
          not(exists(selectFrom('draft').select('draft.id').whereRef('draft.cluster', '=', 'cluster.name')))
        )
        .execute();
    },
    async remove(name: string) {
      await db.deleteFrom('cluster').where('name', '=', name).execute();
    },
    async add({ kind = 'standin', ...cluster }: Omit<Cluster, 'kind'> & { kind?: Cluster['kind'] }, place: number) {
      const { name, note, seed } = cluster;
      const [flag, ground] = [JSON.stringify(cluster.flag), JSON.stringify(cluster.ground)];
      await db
        .insertInto('cluster')
        .values({ name, note, seed, place, kind, flag, ground, sum: `${sumOf(name, note, flag, seed, kind)}:${sumOf(ground)}` })
        .execute();
    }
  };
}
