import { z } from 'zod';
import type { Database } from '../db/connection';

const texts = z.record(z.string(), z.string());
const body = z.object({
  calc: z.string(),
  written: texts,
  of: z.object({ namespace: z.string(), name: z.string() }).optional(),
  taken: texts.optional()
});

/** A sizing that is kept by name. */
export interface KeptSizing extends z.infer<typeof body> {
  readonly id: number;
  readonly name: string;
}

/** Sizings of clusters, each under its name. */
export function sizingRepository(db: Database) {
  return {
    /** Keeps a sizing; one of the same name is replaced. */
    async keep(cluster: string, name: string, sizing: z.infer<typeof body>): Promise<number> {
      const row = { body: JSON.stringify(sizing), updated_at: new Date().toISOString() };
      const kept = await db
        .insertInto('sizing')
        .values({ cluster, name, ...row })
        .onConflict((one) => one.columns(['cluster', 'name']).doUpdateSet(row))
        .returning('id')
        .executeTakeFirstOrThrow();
      return kept.id;
    },
    /** What is kept for a cluster, by name; what can't be read is left out. */
    async of(cluster: string): Promise<KeptSizing[]> {
      const rows = await db.selectFrom('sizing').selectAll().where('cluster', '=', cluster).orderBy('name').execute();
      return rows.flatMap((row) => {
        const read = body.safeParse(JSON.parse(row.body));
        return read.success ? [{ ...read.data, id: row.id, name: row.name }] : [];
      });
    },
    /** Takes one away. Gives whether it was there. */
    async drop(cluster: string, id: number): Promise<boolean> {
      const { numDeletedRows } = await db.deleteFrom('sizing').where('cluster', '=', cluster).where('id', '=', id).executeTakeFirst();
      return numDeletedRows > 0n;
    }
  };
}
