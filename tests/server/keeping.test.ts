import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from 'vitest';
import { openData } from '$server/db/connection';
import { clusterRepository } from '$server/repositories/clusters';
import { proofRepository } from '$server/repositories/proofs';
import { rehearsalRepository } from '$server/repositories/rehearsals';
import { startHost } from '$server/rehearsals/client';
import { startHosts } from '$server/rehearsals/spread';
import { createApp } from '$server/services/app';
import { LiveBus } from '$server/services/live';
import { driver, southOrigin } from '../core/help';

const folders: string[] = [];
const folder = (): string => {
  const made = mkdtempSync(join(tmpdir(), 'root-barn-keeping-'));
  folders.push(made);
  return made;
};
afterAll(() => {
  for (const one of folders) rmSync(one, { recursive: true, force: true });
});

describe('the database', () => {
  test('is made once, opened again as it is, and keeps foreign keys', async () => {
    const data = folder();
    const opened = await openData(data);
    const first = opened.db;
    await clusterRepository(first).add({ name: 'c', note: '', flag: { hue: 1, weave: 'dots' }, seed: 1, ground: [] }, 0);
    await opened.close();
    expect(existsSync(join(data, 'root-barn.sqlite'))).toBe(true);
    const reopened = await openData(data);
    const again = reopened.db;
    expect((await clusterRepository(again).all()).map((one) => one.name)).toEqual(['c']);
    await expect(
      rehearsalRepository(again).add(
        { id: 'x', cluster: 'nowhere', fork: null, parent: null, forkedAtMs: null, headMs: 0, frontierMs: 0, revision: 0 },
        []
      )
    ).rejects.toThrow(/FOREIGN KEY/);
    await reopened.close();
  });

  test('actions come back in order; a taken-back one stays written but no longer counts', async () => {
    const { db } = await openData(':memory:');
    await clusterRepository(db).add({ name: 'c', note: '', flag: { hue: 1, weave: 'dots' }, seed: 1, ground: [] }, 0);
    const store = rehearsalRepository(db);
    await store.add({ id: 'c', cluster: 'c', fork: null, parent: null, forkedAtMs: null, headMs: 0, frontierMs: 0, revision: 0 }, []);
    const remove = (name: string) => ({ type: 'remove' as const, ref: { kind: 'Pod' as const, namespace: 'n', name } });
    expect([await store.append('c', { atMs: 5, action: remove('a') }), await store.append('c', { atMs: 9, action: remove('b') })]).toEqual([
      1, 2
    ]);
    expect((await store.actions('c')).actions.map((one) => one.atMs)).toEqual([5, 9]);
    expect(await store.withdraw(['c'])).toEqual({ id: 'c', atMs: 9 });
    expect((await store.actions('c')).actions.map((one) => one.atMs)).toEqual([5]);
    expect(await store.append('c', { atMs: 11, action: remove('c') })).toBe(4);
    expect((await store.actions('c')).actions.map((one) => one.atMs)).toEqual([5, 11]);
    expect(await store.find('c')).toMatchObject({ revision: 4, headMs: 11, frontierMs: 11 });
    const rows = await db.selectFrom('action').select(['sequence', 'withdrawn']).orderBy('sequence').execute();
    expect(rows.map((one) => [one.sequence, one.withdrawn])).toEqual([
      [1, 0],
      [2, 1],
      [3, 0]
    ]);
    const times = [await store.withdraw(['c']), await store.withdraw(['c']), await store.withdraw(['c'])].map((one) => one?.atMs);
    expect(times).toEqual([11, 5, undefined]);
    await db.destroy();
  });

  test('of proofs the latest of each is kept in sight, as far as it was run by then', async () => {
    const { db } = await openData(':memory:');
    await clusterRepository(db).add({ name: 'c', note: '', flag: { hue: 1, weave: 'dots' }, seed: 1, ground: [] }, 0);
    await rehearsalRepository(db).add(
      { id: 'c', cluster: 'c', fork: null, parent: null, forkedAtMs: null, headMs: 0, frontierMs: 0, revision: 0 },
      []
    );
    const proofs = proofRepository(db);
    const proof = (atMs: number, state: 'holds' | 'broken') => ({
      id: 'claims' as const,
      title: 'Claims',
      state,
      says: '',
      atMs,
      checks: []
    });
    await proofs.add('c', 'n', 's', [proof(10, 'broken')]);
    await proofs.add('c', 'n', 's', [proof(20, 'holds')]);
    expect((await proofs.latest('c', 15)).map((one) => one.state)).toEqual(['broken']);
    expect((await proofs.latest('c', 20)).map((one) => [one.state, one.set])).toEqual([['holds', 's']]);
    expect(await proofs.latest('c', 5)).toEqual([]);
    await db.destroy();
  });
});

describe('the application', () => {
  test('lays the demo down once; a second start keeps what was done', async () => {
    const data = folder();
    const first = await createApp({ data });
    expect((await first.estate()).map((one) => one.name)).toEqual(['south-quay', 'harbour', 'north-quay', 'pilot-house']);
    expect((await first.rehearsals.send('south-quay', driver())).ok).toBe(true);
    await first.rehearsals.move('south-quay', { until: 'settled' });
    const proved = await first.prove('south-quay', 'tickets', 'bookings');
    const before = await first.rehearsals.journal('south-quay', 0, undefined, 0);
    await first.close();
    const second = await createApp({ data });
    const state = await second.rehearsals.state('south-quay');
    expect(state.ok && state.value).toMatchObject({ revision: 4, settled: true });
    expect(await second.rehearsals.journal('south-quay', 0, undefined, 0)).toEqual(before);
    expect(await second.keptProofs('south-quay')).toEqual(proved);
    await second.close();
  });

  test('two who send at once are taken one after the other, or told', async () => {
    const app = await createApp({ data: ':memory:' });
    const both = await Promise.all([app.rehearsals.send('south-quay', driver(), 3), app.rehearsals.send('south-quay', driver(), 3)]);
    expect(both.map((one) => (one.ok ? 'taken' : one.refusal.code)).sort()).toEqual(['stale-revision', 'taken']);
    await app.close();
  });

  test("a fork can be taken away, a trunk can't; a taken name is told", async () => {
    const app = await createApp({ data: ':memory:' });
    expect((await app.rehearsals.fork('south-quay', 'one', 2_000)).ok).toBe(true);
    expect(await app.rehearsals.fork('south-quay', 'one', 2_000)).toMatchObject({ ok: false, refusal: { code: 'name-taken' } });
    expect(await app.rehearsals.state('south-quay~one')).toMatchObject({
      ok: true,
      value: { nowMs: 2_000, forkedAtMs: 2_000, parent: 'south-quay' }
    });
    expect((await app.rehearsals.drop('south-quay~one')).ok).toBe(true);
    expect(await app.rehearsals.state('south-quay~one')).toMatchObject({ ok: false, refusal: { code: 'unknown-rehearsal' } });
    expect(await app.rehearsals.drop('south-quay')).toMatchObject({ ok: false, refusal: { code: 'trunk-stays' } });
    await app.close();
  });
});

describe('the worker', () => {
  test('answers like the host in the process; one that dies is started again, and its worlds are said to be lost', async () => {
    const { seed, ground, actions, headMs } = southOrigin();
    const opening = { id: 'x', origin: { seed, ground }, actions, headMs, frontierMs: headMs };
    let lost = 0;
    const far = startHost(
      './build/worker/rehearsal-worker.js',
      () => {},
      () => (lost += 1)
    );
    const near = startHost(undefined, () => {});
    for (const host of [far, near]) {
      await host.open(opening);
      await host.prepare('x', { type: 'send', objects: driver() });
      await host.commit('x');
    }
    expect(await far.move('x', { until: 'settled' })).toEqual(await near.move('x', { until: 'settled' }));
    expect(await far.journal('x', 0, undefined, 3)).toEqual(await near.journal('x', 0, undefined, 3));
    await expect(far.status('nobody')).rejects.toThrow(/not open/);
    const broken = startHost(
      './tests/fixtures/dying-worker.mjs',
      () => {},
      () => (lost += 1)
    );
    await expect(broken.status('x')).rejects.toThrow(/ended|died/);
    await expect(broken.status('x')).rejects.toThrow(/ended|died/);
    expect(lost).toBeGreaterThanOrEqual(2);
  });

  test('a call that is made between the failure of a worker and its end belongs to the worker that follows it', async () => {
    const host = startHost('./tests/fixtures/throwing-worker.mjs', () => {});
    for (let i = 0; i < 5; i += 1) {
      await expect(host.status('x')).rejects.toThrow(/out of step/);
      expect(await host.stats()).toBe('well');
    }
    await host.end();
  });
});

describe('workers beside each other', () => {
  test('a cluster stands in one of them with its forks; all together they answer like one', async () => {
    const { seed, ground, actions, headMs } = southOrigin();
    const opening = (id: string) => ({ id, origin: { seed, ground }, actions, headMs, frontierMs: headMs });
    const told = new Set<string>();
    const hosts = startHosts(
      './build/worker/rehearsal-worker.js',
      (id) => told.add(id),
      () => {},
      { workers: 2 }
    );
    const near = startHost(undefined, () => {});
    for (const id of ['a', 'b']) await hosts.open(opening(id));
    await near.open(opening('a'));
    await hosts.copy([['b', 'b~fork']]);
    for (const host of [hosts, near]) {
      await host.prepare('a', { type: 'send', objects: driver() });
      await host.commit('a');
    }
    const moved = await Promise.all(['a', 'b', 'b~fork'].map((id) => hosts.move(id, { until: 'settled' })));
    expect(moved[0]).toEqual(await near.move('a', { until: 'settled' }));
    expect(moved[1]).toEqual(moved[2]);
    expect(await hosts.journal('a', 0, undefined, 3)).toEqual(await near.journal('a', 0, undefined, 3));
    expect(await hosts.journal('b', 0, undefined, 3)).toEqual(await hosts.journal('b~fork', 0, undefined, 3));
    expect(await hosts.stats()).toMatchObject({ worlds: 3 });
    expect((await hosts.unused(Date.now() + 1)).map((one) => one.id).sort()).toEqual(['a', 'b', 'b~fork']);
    expect((await hosts.read('kind: Namespace\napiVersion: v1\nmetadata: {name: x}\n')).problems).toEqual([]);
    await hosts.move('a', { run: 1 });
    await hosts.haltAll();
    expect((await hosts.status('a')).running).toBe(0);
    await hosts.end();
  });

  test('one that ends takes its own worlds along, and no others', async () => {
    const lost: string[] = [];
    const hosts = startHosts(
      './tests/fixtures/throwing-worker.mjs',
      () => {},
      (stood) => lost.push(...['x', 'x~fork', 'y', 'never'].filter(stood)),
      { workers: 2 }
    );
    await hosts.has('x');
    await hosts.has('y');
    await expect(hosts.status('x~fork')).rejects.toThrow(/out of step/);
    expect(lost).toEqual(['x', 'x~fork']);
    await hosts.end();
  });
});

describe('the live bus', () => {
  const event = { rehearsal: 'a', kind: 'clock' as const, clock: null, revision: 1 };
  test('remembers the latest 500; whoever missed more, or comes from another start, loads anew', () => {
    const bus = new LiveBus();
    const seen: number[] = [];
    const stop = bus.watch((one) => seen.push(one.id));
    for (let i = 0; i < 600; i += 1) bus.publish(event);
    stop();
    bus.publish(event);
    expect(seen).toHaveLength(600);
    expect(bus.since(seen.at(-1)!)).toHaveLength(1);
    expect(bus.since(seen[0]!)).toBeUndefined();
    expect(bus.since(seen.at(-1)! + 1_000)).toBeUndefined();
    expect(bus.since(seen[200]!)!.map((one) => one.id)).toEqual([...seen.slice(201), seen.at(-1)! + 1]);
  });
});
