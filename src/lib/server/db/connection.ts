import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { Kysely, Migrator, SqliteDialect } from 'kysely';
import { migrations } from './migrations';
import type { Schema } from './schema';

export type Database = Kysely<Schema>;

/** Opens a connection; with `soft`, commits reach the disk with the next checkpoint only. */
function connect(folder: string, soft: boolean): Kysely<Schema> {
  const inMemory = folder === ':memory:';
  const sqlite = new Sqlite(inMemory ? folder : join(folder, 'root-barn.sqlite'));
  sqlite.pragma('journal_mode = WAL');
  sqlite.pragma(`synchronous = ${soft ? 'NORMAL' : 'FULL'}`);
  sqlite.pragma('foreign_keys = ON');
  sqlite.pragma('busy_timeout = 5000');
  return new Kysely<Schema>({ dialect: new SqliteDialect({ database: sqlite }) });
}

/**
 * A second connection for what may be lost until it is finished (the parts of a dump that is being read), so that nobody waits for the disk.
 * A database in memory has one connection only, which serves for both.
 */
export const softConnection = (folder: string, main: Database): Database => (folder === ':memory:' ? main : connect(folder, true));

/**
 * Opens the database of a data folder and brings it up to date. Write-ahead log, foreign keys on, every commit on the disk before it
 * is answered.
 * @param folder made when it doesn't exist; ':memory:' for one that is gone when closed
 */
export async function openDatabase(folder: string): Promise<Database> {
  if (folder !== ':memory:') mkdirSync(folder, { recursive: true });
  const db = connect(folder, false);
  const { error } = await new Migrator({ db, provider: migrations }).migrateToLatest();
  if (error) throw error;
  return db;
}
