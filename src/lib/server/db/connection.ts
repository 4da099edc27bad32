import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { Kysely, Migrator, SqliteDialect } from 'kysely';
import { migrations } from './migrations';
import type { Schema } from './schema';

export type Database = Kysely<Schema>;

/**
 * Opens the database of a data folder and brings it up to date. Write-ahead log, foreign keys on, every commit on the disk before it
 * is answered.
 * @param folder made when it doesn't exist; ':memory:' for one that is gone when closed
 */
export async function openDatabase(folder: string): Promise<Database> {
  const inMemory = folder === ':memory:';
  if (!inMemory) mkdirSync(folder, { recursive: true });
  const sqlite = new Sqlite(inMemory ? folder : join(folder, 'root-barn.sqlite'));
  sqlite.pragma('journal_mode = WAL');
  sqlite.pragma('synchronous = FULL');
  sqlite.pragma('foreign_keys = ON');
  sqlite.pragma('busy_timeout = 5000');
  const db = new Kysely<Schema>({ dialect: new SqliteDialect({ database: sqlite }) });
  const { error } = await new Migrator({ db, provider: migrations }).migrateToLatest();
  if (error) throw error;
  return db;
}
