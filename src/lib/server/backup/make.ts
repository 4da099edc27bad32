import { createHash } from 'node:crypto';
import {
  createReadStream,
  createWriteStream,
  existsSync,
  mkdirSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
  chmodSync
} from 'node:fs';
import { basename, dirname, join, resolve } from 'node:path';
import { pipeline } from 'node:stream/promises';
import Sqlite from 'better-sqlite3';
import tar from 'tar-stream';
import { z } from 'zod';
import { DataFault, dataFault } from '../db/faults';
import { holdFolder } from '../db/lock';
import { migrations } from '../db/migrations';

const databaseFile = 'root-barn.sqlite';
/** What a backup says of itself: its first entry. */
const manifestSchema = z.object({
  format: z.literal('root-barn-backup/1'),
  madeAt: z.string(),
  schema: z.string(),
  bytes: z.number(),
  sha256: z.string(),
  counts: z.record(z.string(), z.number())
});
export type Manifest = z.infer<typeof manifestSchema>;

const counted = ['cluster', 'rehearsal', 'action', 'draft', 'proof', 'drill', 'dump', 'account'];

async function sha256(path: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(path)) hash.update(chunk as Buffer);
  return hash.digest('hex');
}

/**
 * Makes a backup of a data folder while it is in use: one tar file with a manifest and the database, as they are at one moment.
 * @param out made anew; a half-made file never stands under this name
 * @throws DataFault where the database isn't there, or is damaged
 */
export async function makeBackup(folder: string, out: string): Promise<Manifest> {
  const source = join(folder, databaseFile);
  if (!existsSync(source)) throw dataFault('gone', source);
  mkdirSync(dirname(resolve(out)), { recursive: true, mode: 0o700 });
  const copy = `${out}.copy`;
  const half = `${out}.half`;
  rmSync(copy, { force: true });
  try {
    const from = new Sqlite(source, { readonly: true });
    from.pragma('busy_timeout = 10000');
    // One reading transaction: whatever is written meanwhile isn't in it, and doesn't make it begin anew.
    from.exec(`VACUUM INTO '${copy.replaceAll("'", "''")}'`);
    from.close();
    const look = new Sqlite(copy);
    const [found] = look.pragma('integrity_check(1)') as [{ integrity_check: string }];
    if (found.integrity_check !== 'ok') throw dataFault('damaged', source);
    const counts = Object.fromEntries(
      counted.map((table) => [table, (look.prepare(`SELECT count(*) AS n FROM "${table}"`).get() as { n: number }).n])
    );
    const schema = (look.prepare('SELECT max(name) AS name FROM kysely_migration').get() as { name: string }).name;
    look.close();
    const manifest: Manifest = {
      format: 'root-barn-backup/1',
      madeAt: new Date().toISOString(),
      schema,
      bytes: statSync(copy).size,
      sha256: await sha256(copy),
      counts
    };
    const pack = tar.pack();
    const written = pipeline(pack, createWriteStream(half, { mode: 0o600 }));
    pack.entry({ name: 'manifest.json' }, JSON.stringify(manifest, null, 2));
    const entry = pack.entry({ name: databaseFile, size: manifest.bytes, mode: 0o600 });
    await pipeline(createReadStream(copy), entry);
    pack.finalize();
    await written;
    renameSync(half, out);
    return manifest;
  } finally {
    for (const path of [copy, half]) rmSync(path, { force: true });
  }
}

/**
 * Puts a backup into a data folder. Everything is looked at before anything is replaced: the sum, the database, its version.
 * @param over whether a database that stands there may be replaced
 * @throws DataFault with what is wrong and what to do; the folder is as it was then
 */
export async function restoreBackup(file: string, folder: string, over = false): Promise<Manifest> {
  const bad = (why: string) =>
    new DataFault('damaged', `The backup ${file} can't be used: ${why}.`, 'Take another backup; nothing in the data folder was changed.');
  if (!existsSync(file)) throw new DataFault('gone', `There is no file ${file}.`, 'Name the backup.');
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  const letGo = holdFolder(folder);
  const target = join(folder, databaseFile);
  const fresh = `${target}.restored`;
  try {
    if (existsSync(target) && !over)
      throw new DataFault(
        'held',
        `There is a database in ${folder} already.`,
        'Name an empty folder with --data, or add --over to replace it.'
      );
    let manifest: Manifest | undefined;
    let sum = '';
    const extract = tar.extract();
    const reading = pipeline(createReadStream(file), extract).catch((error: unknown) => {
      throw bad(error instanceof Error ? error.message : 'it is no archive');
    });
    const entries = (async () => {
      for await (const entry of extract) {
        if (entry.header.name === 'manifest.json') {
          const chunks: Buffer[] = [];
          for await (const chunk of entry as AsyncIterable<Buffer>) chunks.push(chunk);
          const parsed = manifestSchema.safeParse(JSON.parse(Buffer.concat(chunks).toString('utf8')));
          if (!parsed.success) throw bad('its manifest is not one of Root Barn');
          manifest = parsed.data;
        } else if (basename(entry.header.name) === databaseFile && manifest) {
          const hash = createHash('sha256');
          await pipeline(
            entry as unknown as AsyncIterable<Buffer>,
            async function* (source: AsyncIterable<Buffer>) {
              for await (const chunk of source) {
                hash.update(chunk);
                yield chunk;
              }
            },
            createWriteStream(fresh, { mode: 0o600 })
          );
          sum = hash.digest('hex');
        } else entry.resume();
      }
    })();
    try {
      await Promise.all([reading, entries]);
    } catch (error) {
      throw error instanceof DataFault ? error : bad('it is not whole');
    }
    if (!manifest) throw bad('it holds no manifest');
    if (sum !== manifest.sha256) throw bad('its database is not the one that was written (the sums differ)');
    const known = Object.keys(await migrations.getMigrations());
    if (!known.includes(manifest.schema)) throw dataFault('newer', file);
    const look = new Sqlite(fresh);
    const [found] = look.pragma('integrity_check(1)') as [{ integrity_check: string }];
    // Whoever was signed in there isn't signed in here.
    if (found.integrity_check === 'ok' && (look.prepare("SELECT 1 FROM sqlite_master WHERE name = 'session'").get() as unknown))
      look.exec('DELETE FROM session');
    look.close();
    if (found.integrity_check !== 'ok') throw bad('its database is damaged');
    for (const end of ['', '-wal', '-shm']) rmSync(`${target}${end}`, { force: true });
    renameSync(fresh, target);
    chmodSync(target, 0o600);
    writeFileSync(join(folder, 'root-barn.json'), JSON.stringify({ database: databaseFile }), { mode: 0o600 });
    return manifest;
  } finally {
    for (const end of ['', '-wal', '-shm', '-journal']) rmSync(`${fresh}${end}`, { force: true });
    letGo();
  }
}
