import type { Database } from './connection';

/**
 * Carries work out as a whole or not at all. A full disk makes SQLite take a transaction back by itself; that there is nothing left to
 * take back then mustn't hide why. Within another transaction the work is part of that one.
 */
export async function inTransaction<T>(db: Database, work: (tx: Database) => Promise<T>): Promise<T> {
  if (db.isTransaction) return work(db);
  let why: unknown;
  try {
    return await db.transaction().execute(async (tx) => {
      try {
        return await work(tx);
      } catch (error) {
        why = error;
        throw error;
      }
    });
  } catch (error) {
    throw why ?? error;
  }
}
