import type { Database } from '../db/connection';

export interface Draft {
  readonly id: number;
  readonly cluster: string;
  readonly name: string;
  readonly text: string;
  readonly updatedAt: string;
}

/** Drafts: manifests being written, kept per cluster until they are thrown away. */
export function draftRepository(db: Database) {
  const rows = () => db.selectFrom('draft').select(['id', 'cluster', 'name', 'text', 'updated_at as updatedAt']);
  return {
    of: (cluster: string): Promise<Draft[]> => rows().where('cluster', '=', cluster).orderBy('id').execute(),
    find: (id: number): Promise<Draft | undefined> => rows().where('id', '=', id).executeTakeFirst(),
    async add(cluster: string, name: string, text: string): Promise<number> {
      const { id } = await db
        .insertInto('draft')
        .values({ cluster, name, text, updated_at: new Date().toISOString() })
        .returning('id')
        .executeTakeFirstOrThrow();
      return id;
    },
    async change(id: number, set: { name?: string; text?: string }): Promise<void> {
      await db
        .updateTable('draft')
        .set({ ...set, updated_at: new Date().toISOString() })
        .where('id', '=', id)
        .execute();
    },
    async remove(id: number): Promise<void> {
      await db.deleteFrom('draft').where('id', '=', id).execute();
    }
  };
}
