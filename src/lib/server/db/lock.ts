import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import Sqlite from 'better-sqlite3';
import { DataFault } from './faults';

/** Who holds a data folder. */
interface Holder {
  readonly pid: number;
  readonly since: string;
}

/**
 * Holds a data folder for this process, so that two servers never write the same data. The lock is the operating system's on a small
 * file (taken through SQLite): it ends with the process, however that ends.
 * @returns what lets it go
 * @throws DataFault where another process holds it, with who that is
 */
export function holdFolder(folder: string): () => void {
  const path = join(folder, 'holder.sqlite');
  const note = join(folder, 'holder.json');
  const lock = new Sqlite(path, { timeout: 0 });
  try {
    // Kept in memory, so that holding it needs no room on the disk.
    lock.pragma('journal_mode = MEMORY');
    lock.exec('BEGIN EXCLUSIVE');
  } catch (error) {
    lock.close();
    if (!/^SQLITE_(BUSY|LOCKED)/.test(String((error as { code?: unknown }).code))) throw error;
    let who = 'another process';
    try {
      const holder = JSON.parse(readFileSync(note, 'utf8')) as Holder;
      who = `the process ${holder.pid}, since ${holder.since}`;
    } catch {
      // It has just begun, and hasn't said who it is yet.
    }
    throw new DataFault(
      'held',
      `The data folder ${folder} is in use by ${who}.`,
      'End that one first, or give this one a folder of its own with --data.'
    );
  }
  writeFileSync(note, JSON.stringify({ pid: process.pid, since: new Date().toISOString() } satisfies Holder), { mode: 0o600 });
  return () => {
    rmSync(note, { force: true });
    lock.close();
  };
}
