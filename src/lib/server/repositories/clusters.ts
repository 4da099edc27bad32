import { z } from 'zod';
import type { ApiObject } from '$core/model';
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
  return {
    /** All clusters, without what they stand on. */
    all: async (): Promise<Omit<Cluster, 'ground'>[]> =>
      (await db.selectFrom('cluster').select(['name', 'note', 'flag', 'seed', 'kind']).orderBy('place').execute()).map((row) => {
        const { ground: _, ...rest } = shape({ ...row, ground: '[]' });
        return rest;
      }),
    /** A cluster without what it stands on, which can be large. */
    async head(name: string): Promise<Omit<Cluster, 'ground'> | undefined> {
      const row = await db
        .selectFrom('cluster')
        .select(['name', 'note', 'flag', 'seed', 'kind'])
        .where('name', '=', name)
        .executeTakeFirst();
      if (!row) return undefined;
      const { ground: _, ...rest } = shape({ ...row, ground: '[]' });
      return rest;
    },
    async find(name: string) {
      const row = await db.selectFrom('cluster').selectAll().where('name', '=', name).executeTakeFirst();
      return row && shape(row);
    },
    async remove(name: string) {
      await db.deleteFrom('cluster').where('name', '=', name).execute();
    },
    async add({ kind = 'standin', ...cluster }: Omit<Cluster, 'kind'> & { kind?: Cluster['kind'] }, place: number) {
      const { name, note, seed } = cluster;
      await db
        .insertInto('cluster')
        .values({ name, note, seed, place, kind, flag: JSON.stringify(cluster.flag), ground: JSON.stringify(cluster.ground) })
        .execute();
    }
  };
}
