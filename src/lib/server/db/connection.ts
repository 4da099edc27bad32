import { chmodSync, existsSync, mkdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { Kysely, Migrator, SqliteDialect } from 'kysely';
import { dataFault, dataFaultOf, type DataFault } from './faults';
import { holdFolder } from './lock';
import { migrations } from './migrations';
import type { Schema } from './schema';

export type Database = Kysely<Schema>;
type Handle = InstanceType<typeof Sqlite>;

export const databaseFile = 'root-barn.sqlite';
/** Says that there has been a database here, so that one that is gone isn't taken for a new beginning. */
const markerFile = 'root-barn.json';

export interface DataOptions {
  /** The most bytes that the database may take; left out: as much as the disk has. */
  readonly mostBytes?: number | undefined;
  /** Begin anew: what is there goes, once nobody else holds the folder. */
  readonly fresh?: boolean | undefined;
}

/** The data of this process: two connections to one file, and what concerns the file itself. */
export interface Data {
  readonly db: Database;
  /**
   * A second connection for what may be lost until it is finished (the parts of a dump that is being read), so that nobody waits for
   * the disk. A database in memory has one connection only, which serves for both.
   */
  readonly soft: Database;
  readonly folder: string;
  /** Why nothing can be kept just now: the file was taken away, say. Undefined while all is well. */
  fault(): DataFault | undefined;
  /** Copies the database to a file while it is in use. */
  copyTo(file: string): Promise<void>;
  /** Bytes that the database takes on the disk. */
  bytes(): number;
  /** Brings everything into the one file, closes it and lets the folder go. */
  close(): Promise<void>;
}

function connect(path: string, soft: boolean, { mostBytes }: DataOptions): { db: Database; sqlite: Handle } {
  const sqlite = new Sqlite(path);
  sqlite.pragma('busy_timeout = 5000');
  sqlite.pragma('journal_mode = WAL');
  sqlite.pragma(`synchronous = ${soft ? 'NORMAL' : 'FULL'}`);
  sqlite.pragma('foreign_keys = ON');
  if (mostBytes !== undefined) {
    const [{ page_size }] = sqlite.pragma('page_size') as [{ page_size: number }];
    sqlite.pragma(`max_page_count = ${Math.max(1, Math.floor(mostBytes / page_size))}`);
  }
  return { db: new Kysely<Schema>({ dialect: new SqliteDialect({ database: sqlite }) }), sqlite };
}

/** What is wrong with a file before anything of it is read. */
function lookAtFile(folder: string, path: string): void {
  if (existsSync(path)) {
    if (statSync(path).size === 0) throw dataFault('emptied', path);
    return;
  }
  if (existsSync(`${path}-wal`) || existsSync(join(folder, markerFile))) throw dataFault('gone', path);
}

/** Whether a file is whole, ours, and not of a later version. */
async function lookInside(sqlite: Handle, path: string): Promise<'new' | 'older' | 'same'> {
  const [found] = sqlite.pragma('quick_check(1)') as [{ quick_check: string } | undefined];
  if (found?.quick_check !== 'ok') throw dataFault('damaged', path);
  const tables = (sqlite.prepare("SELECT name FROM sqlite_master WHERE type = 'table'").all() as { name: string }[]).map((one) => one.name);
  if (!tables.length) return 'new';
  if (!tables.includes('kysely_migration')) throw dataFault('foreign', path);
  const run = (sqlite.prepare('SELECT name FROM kysely_migration').all() as { name: string }[]).map((one) => one.name);
  const known = Object.keys(await migrations.getMigrations());
  if (run.some((one) => !known.includes(one))) throw dataFault('newer', path);
  return run.length < known.length ? 'older' : 'same';
}

const bothFiles = (path: string) => ['', '-wal', '-shm'].map((end) => `${path}${end}`).filter((one) => existsSync(one));

/**
 * Opens the database of a data folder, checks it and brings it up to date. Write-ahead log, foreign keys on, every commit on the disk
 * before it is answered. Nobody but the user who runs it may read the files.
 * @param folder made when it doesn't exist; ':memory:' for one that is gone when closed
 * @throws DataFault with one sentence and a way out
 */
export async function openData(folder: string, options: DataOptions = {}): Promise<Data> {
  if (folder === ':memory:') {
    const { db } = connect(folder, false, options);
    await migrate(db, folder);
    return { db, soft: db, folder, fault: () => undefined, copyTo: async () => undefined, bytes: () => 0, close: () => db.destroy() };
  }
  const path = join(folder, databaseFile);
  let letGo = () => {};
  let sqlite: Handle | undefined;
  try {
    mkdirSync(folder, { recursive: true, mode: 0o700 });
    letGo = holdFolder(folder);
    if (options.fresh) for (const file of [...bothFiles(path), join(folder, markerFile)]) rmSync(file, { force: true });
    lookAtFile(folder, path);
    const main = connect(path, false, options);
    sqlite = main.sqlite;
    const state = await lookInside(sqlite, path);
    if (state === 'older') {
      // The state before an upgrade is kept, so that there is a way back.
      const kept = join(folder, `before-upgrade-${new Date().toISOString().slice(0, 10)}.sqlite`);
      if (!existsSync(kept)) sqlite.exec(`VACUUM INTO '${kept.replaceAll("'", "''")}'`);
      chmodSync(kept, 0o600);
    }
    await migrate(main.db, path);
    const soft = connect(path, true, options);
    for (const file of bothFiles(path)) chmodSync(file, 0o600);
    writeFileSync(join(folder, markerFile), JSON.stringify({ database: databaseFile }), { mode: 0o600 });
    return dataOf(folder, path, main, soft, letGo);
  } catch (error) {
    sqlite?.close();
    letGo();
    throw dataFaultOf(error, path) ?? error;
  }
}

function dataOf(folder: string, path: string, main: ReturnType<typeof connect>, soft: ReturnType<typeof connect>, letGo: () => void): Data {
  const { ino } = statSync(path);
  return {
    db: main.db,
    soft: soft.db,
    folder,
    fault() {
      try {
        const now = statSync(path);
        if (now.ino !== ino) return dataFault('gone', path);
        return now.size === 0 ? dataFault('emptied', path) : undefined;
      } catch {
        return dataFault('gone', path);
      }
    },
    async copyTo(file) {
      await main.sqlite.backup(file);
    },
    bytes: () => bothFiles(path).reduce((sum, file) => sum + statSync(file).size, 0),
    async close() {
      await soft.db.destroy();
      // A connection that was never asked for anything isn't closed by that.
      soft.sqlite.close();
      try {
        // So that the file alone is whole, without what stands beside it.
        main.sqlite.pragma('wal_checkpoint(TRUNCATE)');
      } catch {
        // With a full disk the log beside it stays, and is read again at the next start.
      }
      await main.db.destroy();
      main.sqlite.close();
      letGo();
    }
  };
}

async function migrate(db: Database, path: string): Promise<void> {
  const { error } = await new Migrator({ db, provider: migrations }).migrateToLatest();
  if (!error) return;
  // What a newer version has run was looked for before: a name that nobody knows, or that doesn't stand in its order, is damage.
  if (/^corrupted migrations/.test(String((error as Error).message))) throw dataFault('damaged', path);
  throw dataFaultOf(error, path) ?? error;
}
