import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { makeBackup, restoreBackup } from '$server/backup/make';
import { createApp } from '$server/services/app';
import { settingsOf } from '$server/settings';
import { ownServer } from '../../scripts/own-server.mjs';
import { driver } from '../core/help';
import { folder, value, hashOf, map, type OwnApp } from './own';

describe('a backup', () => {
  test('made while others write, restored elsewhere: the same journals, the same drafts, and nobody signed in', async () => {
    const server = await ownServer({ data: folder(), quiet: true, flags: ['--sign-in'] });
    const code = /with the code (\S+) /.exec(server.said())![1]!;
    const headers = { 'content-type': 'application/json', origin: server.base };
    const made = await fetch(`${server.base}/api/v1/first-keeper`, {
      method: 'POST',
      headers,
      body: JSON.stringify({ code, name: 'k', password: 'tall masts in winter' })
    });
    const cookie = made.headers.get('set-cookie')!.split(';')[0]!;
    const post = (path: string, body: string) =>
      fetch(`${server.base}/api/v1${path}`, { method: 'POST', headers: { ...headers, cookie }, body });
    let going = true;
    let sent = 0;
    const writing = (async () => {
      while (
        going &&
        (await post('/rehearsals/south-quay/send', `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: c${sent}, namespace: default}\n`)).ok
      )
        sent += 1;
    })();
    await post('/clusters/north-quay/drafts', JSON.stringify({ name: 'mine', text: 'a: ä\n' }));
    const out = join(folder(), 'one.tar');
    await expect.poll(() => sent, { timeout: 20_000 }).toBeGreaterThan(8);
    const before = sent;
    const manifest = await makeBackup(server.data, out);
    const after = sent;
    await expect.poll(() => sent, { timeout: 20_000 }).toBeGreaterThan(after + 4);
    going = false;
    await writing;
    server.kill();
    await server.ended;
    expect(sent).toBeGreaterThan(after);
    expect(statSync(out).mode & 0o077).toBe(0);
    expect(manifest.counts).toMatchObject({ cluster: 4, draft: 1, account: 1 });

    const place = folder();
    await restoreBackup(out, place);
    const [there, here] = [await createApp({ data: place }), await createApp({ data: server.data })];
    const count = async (app: OwnApp) =>
      (await value(app.rehearsals.ask('south-quay', 'objects', { kind: 'ConfigMap' }))).filter((one) => /^c\d+$/.test(one.metadata.name))
        .length;
    const kept = await count(there);
    expect(kept).toBeGreaterThanOrEqual(before);
    expect(kept).toBeLessThanOrEqual(after + 1);
    expect(await count(here)).toBe(sent);
    // The source, taken back to what the backup holds, has come the same way.
    for (let i = sent; i > kept; i -= 1) await value(here.rehearsals.undo('south-quay'));
    for (const id of ['south-quay', 'north-quay', 'harbour']) expect(await hashOf(there, id), id).toBe(await hashOf(here, id));
    expect((await there.drafts.of('north-quay')).map((one) => one.files)).toEqual([[{ name: 'draft.yaml', text: 'a: ä\n' }]]);
    expect(await there.access.callerOf(new Headers({ cookie }), '')).toBeUndefined();
    await there.close();
    await here.close();
  }, 120_000);

  test('that was cut, altered, or is none, changes nothing; a folder that is used or full is left alone', async () => {
    const data = folder();
    await (await createApp({ data })).close();
    const out = join(folder(), 'one.tar');
    await makeBackup(data, out);
    const bytes = readFileSync(out);
    const bad = (name: string, content: Uint8Array) => {
      const path = join(folder(), name);
      writeFileSync(path, content);
      return path;
    };
    const flipped = Buffer.from(bytes);
    flipped[Math.floor(bytes.length / 2)]! ^= 1;
    for (const path of [
      bad('cut.tar', bytes.subarray(0, bytes.length / 2)),
      bad('flipped.tar', flipped),
      bad('text.tar', Buffer.from('hello')),
      join(data, 'none.tar')
    ]) {
      const place = folder();
      await expect(restoreBackup(path, place), path).rejects.toThrow(/can't be used|There is no file/);
      expect(readdirSync(place).filter((one) => one.startsWith('root-barn'))).toEqual([]);
    }
    await expect(restoreBackup(out, data)).rejects.toThrow(/There is a database in .* already/);
    const used = await createApp({ data });
    await expect(restoreBackup(out, data, true)).rejects.toThrow(/in use by the process/);
    await used.close();
    await restoreBackup(out, data, true);
    await (await createApp({ data })).close();
  });

  test('by schedule, so many kept; and from the command line', async () => {
    const data = folder();
    const to = folder();
    const app = await createApp({
      data,
      settings: settingsOf({ ROOT_BARN_BACKUP_TO: to, ROOT_BARN_BACKUP_KEEP: '2', ROOT_BARN_BACKUP_EVERY: '1' })
    });
    const now = Date.now();
    await app.backups.tend(now);
    expect(app.backups.list()).toHaveLength(1);
    // Not again before its time, and not again at once after a failure.
    await app.backups.tend(now + 60_000);
    expect(app.backups.list()).toHaveLength(1);
    for (const day of ['20260101', '20260102', '20260103']) writeFileSync(join(to, `root-barn-${day}-000000.tar`), 'old');
    writeFileSync(join(to, 'notes.txt'), 'mine');
    await app.backups.tend(now + 3_700_000);
    expect(app.backups.list()).toHaveLength(2);
    expect(existsSync(join(to, 'notes.txt'))).toBe(true);
    await app.close();
    const out = join(folder(), 'cli.tar');
    const run = (...words: string[]) => spawnSync('node', ['build/worker/backup.js', ...words], { encoding: 'utf8' });
    expect(run('backup', out, '--data', data)).toMatchObject({
      status: 0,
      stdout: expect.stringMatching(/4 clusters, 8 rehearsals with \d+ actions/) as string
    });
    const place = join(folder(), 'new');
    expect(run('restore', out, '--data', place)).toMatchObject({
      status: 0,
      stdout: expect.stringContaining('Start Root Barn with --data') as string
    });
    expect(run('restore', out, '--data', place)).toMatchObject({ status: 1, stderr: expect.stringContaining('--over') as string });
    expect(run('restore')).toMatchObject({ status: 2 });
  });
});

describe('a cluster taken to another machine', () => {
  test('comes to the same journals there, with forks, drafts and proofs; another name, another journal for nobody', async () => {
    const [here, there] = [await createApp({ data: folder() }), await createApp({ data: folder(), empty: true })];
    await value(here.rehearsals.send('south-quay', driver()));
    await value(here.rehearsals.move('south-quay', { until: 'settled' }));
    await value(here.rehearsals.fork('south-quay', 'side', undefined));
    await value(here.rehearsals.send('south-quay~side', [map('one')]));
    await value(here.prove('south-quay', 'tickets', 'bookings'));
    await here.drafts.add('south-quay', 'mine', [{ name: 'a.yaml', text: 'a: ä' }]);
    const text = JSON.stringify(await value(here.transfer.give('south-quay')));
    expect(await value(there.transfer.take(text, 'other'))).toMatchObject({ id: 'other', rehearsals: 2, drafts: 1 });
    for (const [from, to] of [
      ['south-quay', 'other'],
      ['south-quay~side', 'other~side']
    ] as const)
      expect(await hashOf(there, to)).toBe(await hashOf(here, from));
    expect(await there.rehearsals.state('other~side')).toMatchObject({ value: { parent: 'other', fork: 'side' } });
    const proofs = await value(there.keptProofs('other'));
    expect(proofs.map(({ id, state, stale }) => [id, state, stale])).toEqual(
      (await value(here.keptProofs('south-quay'))).map(({ id, state, stale }) => [id, state, stale])
    );
    expect((await there.rehearsals.send('other', [map('two')])).ok).toBe(true);
    // What was altered on its way, or could never have been taken, is turned away, and nothing of it stays.
    const odd = JSON.parse(text) as { cluster: { ground: object[] }; rehearsals: { actions: { action: { objects: object[] } }[] }[] };
    const take = async (mend: (one: typeof odd) => void, summed = true) => {
      const one = structuredClone(odd) as typeof odd & { sum?: string };
      mend(one);
      if (summed) {
        const { sumOf } = await import('$server/db/sums');
        const { sum: _, ...rest } = one;
        one.sum = sumOf(JSON.stringify(rest));
      }
      const taken = await there.transfer.take(JSON.stringify(one), 'bad');
      return taken.ok ? 'taken' : taken.refusal.detail;
    };
    expect(await take((one) => void (one.rehearsals[0]!.actions.length = 1), false)).toMatch(/its sum differs/);
    const huge = {
      apiVersion: 'apps/v1',
      kind: 'StatefulSet',
      metadata: { name: 'a', namespace: 'default' },
      spec: {
        replicas: 1e9,
        selector: { matchLabels: { a: 'b' } },
        template: { metadata: { labels: { a: 'b' } }, spec: { containers: [{ name: 'a', image: 'b/c:1' }] } }
      }
    };
    expect(await take((one) => void (one.rehearsals[0]!.actions.at(-1)!.action.objects = [huge]))).toMatch(
      /more than this program can bear/
    );
    expect(await take((one) => void (one.cluster.ground[0] = { kind: 'Node' }))).toMatch(/no export of Root Barn/);
    expect(await there.transfer.take('{"format":', 'bad')).toMatchObject({ ok: false });
    expect(await there.transfer.take(text, 'other')).toMatchObject({ ok: false, refusal: { code: 'name-taken' } });
    expect((await there.clusters.all()).map((one) => one.name)).toEqual(['other']);
    expect((await there.removeCluster('other')).ok).toBe(true);
    await here.close();
    await there.close();
  }, 60_000);
});
