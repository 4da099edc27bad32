import { copyFileSync, existsSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import Sqlite from 'better-sqlite3';
import { Kysely, Migrator, SqliteDialect, sql } from 'kysely';
import { describe, expect, test } from 'vitest';
import { openData } from '$server/db/connection';
import { dataFaultOf } from '$server/db/faults';
import { migrations } from '$server/db/migrations';
import { draftRepository } from '$server/repositories/drafts';
import { addClusterTo, trunkOf } from '$server/repositories/new-cluster';
import { rehearsalRepository } from '$server/repositories/rehearsals';
import { createApp } from '$server/services/app';
import { settingsOf } from '$server/settings';
import { driver, southOrigin } from '../core/help';
import { folder } from './own';

const file = (data: string) => join(data, 'root-barn.sqlite');
/** Why a folder can't be opened. */
const faultOf = async (data: string) => {
  try {
    await (await openData(data)).close();
    return undefined;
  } catch (error) {
    const fault = dataFaultOf(error);
    if (!fault) throw error;
    expect(fault.message).toMatch(/^[A-Z/].*\.$/);
    expect(fault.remedy.length).toBeGreaterThan(20);
    return fault.code;
  }
};

describe('a data folder', () => {
  test('is for its user alone, and after the end the file alone is whole', async () => {
    const data = folder();
    const app = await createApp({ data });
    expect((await app.rehearsals.send('south-quay', driver())).ok).toBe(true);
    await app.close();
    expect(existsSync(`${file(data)}-wal`)).toBe(false);
    expect(statSync(file(data)).mode & 0o077).toBe(0);
    const alone = folder();
    copyFileSync(file(data), file(alone));
    const again = await createApp({ data: alone });
    expect(await again.rehearsals.state('south-quay')).toMatchObject({ ok: true, value: { clock: { actions: 4 } } });
    await again.close();
  });

  test('is held by one process: a second one is told who has it', async () => {
    const data = folder();
    const first = await openData(data);
    await expect(openData(data)).rejects.toThrow(new RegExp(`in use by the process ${process.pid}, since 20`));
    await first.close();
    await (await openData(data)).close();
  });

  test('that is emptied, foreign, newer, locked or gone is said to be so, and never begun anew', async () => {
    const made = async () => {
      const data = folder();
      await (await openData(data)).close();
      return data;
    };
    const emptied = await made();
    writeFileSync(file(emptied), '');
    expect(await faultOf(emptied)).toBe('emptied');
    const gone = await made();
    rmSync(file(gone));
    expect(await faultOf(gone)).toBe('gone');
    const foreign = folder();
    new Sqlite(file(foreign)).exec('CREATE TABLE other (a)');
    expect(await faultOf(foreign)).toBe('foreign');
    const text = folder();
    writeFileSync(file(text), 'these are notes of somebody'.repeat(500));
    expect(await faultOf(text)).toBe('damaged');
    const newer = await made();
    const later = new Sqlite(file(newer));
    later.exec("INSERT INTO kysely_migration VALUES ('999-later', '2027-01-01')");
    later.close();
    expect(await faultOf(newer)).toBe('newer');
    const locked = await made();
    const other = new Sqlite(file(locked));
    other.pragma('locking_mode = EXCLUSIVE');
    other.exec('BEGIN EXCLUSIVE');
    expect(await faultOf(locked)).toBe('locked');
    other.close();
    // A lock at the first time doesn't stick.
    expect(await faultOf(locked)).toBeUndefined();
  });

  test('what a process that ended in the middle of making a cluster has left goes at the next start; --fresh begins anew', async () => {
    const data = folder();
    const app = await createApp({ data, empty: true });
    await app.clusters.add({ name: 'half', note: '', flag: { hue: 1, weave: 'dots' }, seed: 1, ground: [] }, 0);
    await app.close();
    const again = await createApp({ data, empty: true });
    expect(await again.clusters.all()).toEqual([]);
    await again.openDemo();
    await again.close();
    const fresh = await createApp({ data, empty: true, settings: settingsOf({ ROOT_BARN_FRESH: 'yes' }) });
    expect(await fresh.clusters.all()).toEqual([]);
    await fresh.close();
  });

  test('a cluster, and a draft, are written whole or not at all', async () => {
    const app = await createApp({ data: folder(), empty: true });
    const trunk = trunkOf('half', 0);
    const cluster = { name: 'half', note: '', flag: { hue: 1, weave: 'dots' as const }, seed: 1, ground: [] };
    const failing = async () => {
      throw new Error('no more room');
    };
    await expect(addClusterTo(app.db)(cluster, [{ rehearsal: trunk, actions: [] }], failing)).rejects.toThrow('no more room');
    expect([await app.clusters.all(), await app.db.selectFrom('rehearsal').selectAll().execute()]).toEqual([[], []]);
    await addClusterTo(app.db)(cluster, [{ rehearsal: trunk, actions: [] }]);
    const drafts = draftRepository(app.db);
    await sql`CREATE TRIGGER full BEFORE INSERT ON draft_state BEGIN SELECT RAISE(ABORT, 'no more room'); END`.execute(app.db);
    await expect(drafts.add('half', 'one', [{ name: 'a.yaml', text: 'a' }])).rejects.toThrow('no more room');
    expect(await app.db.selectFrom('draft').selectAll().execute()).toEqual([]);
    await sql`DROP TRIGGER full`.execute(app.db);
    const id = await drafts.add('half', 'one', [{ name: 'a.yaml', text: 'a' }]);
    const draft = (await drafts.find(id))!;
    await sql`CREATE TRIGGER full BEFORE UPDATE ON draft BEGIN SELECT RAISE(ABORT, 'no more room'); END`.execute(app.db);
    await expect(drafts.keep(draft, { files: [{ name: 'a.yaml', text: 'b' }] })).rejects.toThrow('no more room');
    expect(await drafts.states(id)).toHaveLength(1);
    await app.close();
  });

  test('taken away or emptied while it is used: nothing is called kept', async () => {
    const data = folder();
    const opened = await openData(data);
    expect(opened.fault()).toBeUndefined();
    rmSync(file(data));
    expect(opened.fault()?.code).toBe('gone');
    writeFileSync(file(data), 'x');
    expect(opened.fault()?.code).toBe('gone');
    await opened.close();
  });

  test('bytes that flip in 200 places: refused, named, or without effect; never silently something else', async () => {
    const data = folder();
    const app = await createApp({ data, empty: true });
    const { seed, ground } = southOrigin();
    await app.clusters.add({ name: 'south-quay', note: 'n', flag: { hue: 1, weave: 'dots' }, seed, ground }, 0);
    await rehearsalRepository(app.db).add(
      { id: 'south-quay', cluster: 'south-quay', fork: null, parent: null, forkedAtMs: null, headMs: 0, frontierMs: 0, revision: 0 },
      []
    );
    const big = { apiVersion: 'v1', kind: 'ConfigMap', metadata: { name: 'big', namespace: 'default' }, data: { a: 'b'.repeat(9_000) } };
    for (const value of ['a', 'b', 'c'])
      expect((await app.rehearsals.send('south-quay', [{ ...big, data: { a: value.repeat(9_000) } } as never])).ok).toBe(true);
    await app.rehearsals.undo('south-quay');
    const draft = await app.drafts.add('south-quay', 'mine', [{ name: 'a.yaml', text: 'kind: Secret\n'.repeat(400) }]);
    const look = async (one: typeof app) => {
      const state = await one.rehearsals.state('south-quay');
      const journal = state.ok && !state.value.broken ? await one.rehearsals.journal('south-quay', 0, undefined, 0) : undefined;
      return JSON.stringify([
        state.ok ? (state.value.broken ?? state.value.revision) : state.refusal.code,
        journal?.ok ? journal.value.hash : null,
        (await one.drafts.find(draft))?.files,
        (await one.clusters.all()).map((cluster) => [cluster.name, cluster.note, cluster.seed])
      ]);
    };
    const right = await look(app);
    await app.close();
    const bytes = readFileSync(file(data));
    const outcomes = { refused: 0, named: 0, same: 0 };
    for (let i = 0; i < 200; i += 1) {
      const flipped = Buffer.from(bytes);
      const at = Math.floor(((i + 0.5) * bytes.length) / 200);
      flipped[at] = flipped[at]! ^ (1 << (i % 8));
      const place = folder();
      writeFileSync(file(place), flipped);
      try {
        const again = await createApp({ data: place, empty: true });
        try {
          const found = await look(again);
          if (found === right) outcomes.same += 1;
          else if (/after|damaged/.test(found)) outcomes.named += 1;
          else expect(found, `a byte at ${at}`).toBe(right);
        } finally {
          await again.close();
        }
      } catch (error) {
        if ((error as { matcherResult?: unknown }).matcherResult) throw error;
        expect(dataFaultOf(error), `a byte at ${at}: ${String(error)}`).toBeDefined();
        outcomes.refused += 1;
      }
      rmSync(place, { recursive: true, force: true });
    }
    expect(outcomes.refused + outcomes.named).toBeGreaterThan(40);
    expect(outcomes.same).toBeGreaterThan(10);
  });

  test('a list of versions that has a gap, or a name that nobody knows, is damage and no surprise', async () => {
    const data = folder();
    await (await createApp({ data, empty: true })).close();
    const db = new Sqlite(file(data));
    db.prepare("DELETE FROM kysely_migration WHERE name LIKE '005-%'").run();
    db.close();
    await expect(createApp({ data, empty: true })).rejects.toMatchObject({ code: 'damaged' });
  });
});

/** A database as an earlier version has left it, with what somebody had in it. */
async function earlier(upTo: string): Promise<string> {
  const data = folder();
  const db = new Kysely<unknown>({ dialect: new SqliteDialect({ database: new Sqlite(file(data)) }) });
  const { error } = await new Migrator({ db, provider: migrations }).migrateTo(upTo);
  if (error) throw error;
  const { seed, ground, actions, headMs } = southOrigin();
  await sql`INSERT INTO cluster (name, place, note, flag, seed, ground) VALUES ('c', 0, 'n', '{"hue":1,"weave":"dots"}', ${seed}, ${JSON.stringify(ground)})`.execute(
    db
  );
  for (const [id, fork] of [
    ['c', null],
    ['c~side', 'side']
  ] as const) {
    await sql`INSERT INTO rehearsal VALUES (${id}, 'c', ${fork}, ${fork && 'c'}, ${fork && 2_000}, ${headMs}, ${headMs}, ${actions.length})`.execute(
      db
    );
    for (const [i, { atMs, action }] of actions.entries())
      await sql`INSERT INTO action (rehearsal, sequence, at_ms, body, withdrawn) VALUES (${id}, ${i + 1}, ${atMs}, ${JSON.stringify(action)}, 0)`.execute(
        db
      );
    await sql`INSERT INTO action (rehearsal, sequence, at_ms, body, withdrawn) VALUES (${id}, 99, 1, '{"type":"remove","ref":{}}', 1)`.execute(
      db
    );
  }
  const name = upTo.slice(0, 3);
  if (name < '003') await sql`INSERT INTO draft (cluster, name, text) VALUES ('c', 'first', 'a: ä')`.execute(db);
  else {
    const files = (text: string) => JSON.stringify([{ name: 'draft.yaml', text }]);
    await sql`INSERT INTO draft (cluster, name, files, state) VALUES ('c', 'first', ${files('a: ä')}, 2)`.execute(db);
    for (const [parent, text] of [
      [null, ''],
      [1, 'a: ä'],
      [2, 'a: later']
    ] as const)
      await sql`INSERT INTO draft_state (draft, parent, files, lines, cause, at) VALUES (1, ${parent}, ${gzipSync(files(text))}, 1, 'written', '2026-01-01')`.execute(
        db
      );
  }
  await db.destroy();
  return data;
}

describe('a database of an earlier version', () => {
  test.each(['001-first', '002-trials', '003-draft-files', '004-dumps', '005-dump-scope'])(
    '%s: rehearsals, forks, texts and their undo go on',
    async (upTo) => {
      const data = await earlier(upTo);
      const app = await createApp({ data });
      const fresh = await createApp({ data: ':memory:' });
      const hashOf = async (one: typeof app, id: string) => {
        const found = await one.rehearsals.journal(id, 0, undefined, 0);
        return found.ok ? found.value.hash : found.refusal.code;
      };
      // The same actions on the same ground: the same journal as where they are new.
      const { seed, ground, actions, headMs } = southOrigin();
      await fresh.clusters.add({ name: 'c', note: '', flag: { hue: 1, weave: 'dots' }, seed, ground }, 9);
      const trunk = {
        id: 'c',
        cluster: 'c',
        fork: null,
        parent: null,
        forkedAtMs: null,
        headMs,
        frontierMs: headMs,
        revision: actions.length
      };
      await rehearsalRepository(fresh.db).add(trunk, actions);
      expect(await hashOf(app, 'c')).toBe(await hashOf(fresh, 'c'));
      const state = await app.rehearsals.state('c~side');
      expect(state).toMatchObject({ ok: true, value: { nowMs: headMs, parent: 'c', clock: { actions: actions.length } } });
      expect(state.ok && state.value.broken).toBeFalsy();
      expect(await hashOf(app, 'c')).toBe(await hashOf(app, 'c~side'));
      expect((await app.rehearsals.send('c', driver())).ok).toBe(true);
      const draft = (await app.drafts.find(1))!;
      expect(draft.files).toEqual([{ name: 'draft.yaml', text: 'a: ä' }]);
      expect((await app.writing.keep(1, { files: [{ name: 'draft.yaml', text: 'a: c' }] }, draft.revision)).ok).toBe(true);
      expect(await app.writing.step(1, 'undo', undefined)).toMatchObject({ ok: true, value: { files: [{ text: 'a: ä' }] } });
      await fresh.close();
      await app.close();
      // The state before the upgrade is kept beside it.
      expect(existsSync(join(data, `before-upgrade-${new Date().toISOString().slice(0, 10)}.sqlite`))).toBe(true);
    }
  );
});
