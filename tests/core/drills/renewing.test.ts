/* What wears out and is replaced under load: a disk of a pool, and the certificate that members show. */
import { expect, test } from 'vitest';
import { drilled, offers } from '$core/drills';
import { asManifest } from '$core/manifest';
import type { Disk, Pod, Pool } from '$core/model';
import { workloadNamed } from '$core/proofs';
import { driverGates, rootLine } from '$core/rootline';
import { taken, type Taken, type Tried } from '$core/sizing';
import { certificateInSecret, World, type Snapshot } from '$core/standin';
import { firstBreak, harbourPool, objects, ref } from '../help';
import { answered, must } from '../roomy';
import { standing } from './help';

const gib = 2 ** 30;
const diskOf = (world: World, name: string): Disk => world.store.get('Disk', '', name)!;
const made = (object: Disk | Pool, spec: object) => asManifest({ ...object, spec: { ...object.spec, ...spec } } as Disk);

/** A document set on volumes of harbour's pool. */
function onDisks() {
  const { world } = harbourPool();
  must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
  must(world, ...answered('document-set', { namespace: 'space', name: 'one', class: 'pool-volumes', size: '40Gi' }));
  world.runSettled();
  const pool = () => world.store.list('Pool')[0]!;
  const scene = () => ({ facts: world.store, workload: workloadNamed(world.store, 'space', 'one')! });
  return { world, pool, scene };
}

test('a disk of a pool dies under load: nobody feels it, its copies are made anew at the pool’s pace, an empty one is put in its place', () => {
  const { world, pool, scene } = onDisks();
  const saved = structuredClone(world.save()) as Snapshot;
  const drill = () => drilled({ ...scene(), fork: () => World.restore(world.seed, saved), fault: 'disk-dead' });
  const got = drill();
  if (typeof got === 'string') throw new Error(got);
  expect(got).toMatchObject({ state: 'expected', measured: { lostCount: 0, writesPauseMs: 0 } });
  // By hand: 3 x 40 GiB three times over 8,640 GiB; the disk has 720 of it: 30 GiB, at 200 MB/s, after 2 min of waiting.
  const [, minutes, seconds] = /had its copies elsewhere after (\d+) min (\d+) s/.exec(got.notes[0]!)!;
  const byHand = 120 + (30 * gib) / 200e6;
  expect(Math.abs(Number(minutes) * 60 + Number(seconds) - byHand)).toBeLessThan(3);
  expect(Math.abs(got.measured.healMs! / 1_000 - byHand)).toBeLessThan(3);
  // Durability takes it from the drill; before one was run it reckons the same.
  const heal = (tried?: Tried) => (taken(world.store, 'durability', { namespace: 'space', name: 'one' }, tried) as Taken).written;
  expect(heal({ 'disk-dead': got.measured.healMs! })).toMatchObject({
    disks: '12',
    mayFail: '2',
    heal: `${Math.round(got.measured.healMs! / 1_000)} s`
  });
  expect(Math.abs(parseFloat(heal().heal!) - byHand)).toBeLessThan(3);

  const name = got.target;
  const { usableBytes, rawBytes } = pool().status!;
  for (const action of got.begin) expect(world.act(action)).toEqual([]);
  world.runUntil(world.nowMs + 20_000);
  expect(pool().status!.lost).toMatchObject([{ disk: name, bytes: 30 * gib, healed: false }]);
  expect(pool().status!.rawBytes).toBe(rawBytes - 720 * gib);
  const keeper = world.store.list('Pod', 'storage-system').find((one) => one.metadata.labels?.['standin.example/disk'] === name)!;
  expect(JSON.stringify((keeper as Pod).status)).toContain(`the disk ${name} answers nobody`);
  expect(driverGates(world.store, 'pool.standin.example').find((one) => one.joint === 'disks')!.says).toMatch(
    /11 prepared, 2 refused, 1 dead/
  );
  // Put in before the copies are made anew: they are not back with it, and it has to be prepared.
  must(world, made(diskOf(world, name), { dead: undefined }));
  world.runUntil(world.nowMs + 1_000);
  expect(diskOf(world, name).status).toMatchObject({ prepared: false, says: 'is being prepared' });
  expect(pool().status!.lost).toMatchObject([{ disk: name, healed: false }]);
  world.runSettled();
  expect(diskOf(world, name).status).toMatchObject({ prepared: true });
  expect(pool().status).toMatchObject({ usableBytes, lost: [] });
  expect(world.store.list('Event').map((one) => one.message)).toContain(`All pieces have 3 copies again, without ${name}.`);
  expect(world.log.steps.filter((one) => one.toMs === undefined)).toEqual([]);
});

test('what lay in as many places as there are copies is unseen, not whole; with one copy nothing is copied anew', () => {
  const { world, pool, scene } = onDisks();
  const dies = (name: string) => must(world, made(diskOf(world, name), { dead: true }));
  const line = () => firstBreak(world, ref('Pod', 'space', 'one-0'));
  const backend = () => driverGates(world.store, 'pool.standin.example').find((one) => one.joint === 'backend')!;
  dies('shed-1-raw-1');
  dies('shed-1-raw-2');
  dies('shed-3-raw-1');
  world.runUntil(world.nowMs + 5_000);
  // Two nodes at once, and three copies: one is left of each piece.
  expect([line(), pool().status!.lost.length]).toEqual([undefined, 3]);
  expect(backend().says).toContain('copies of shed-1-raw-1 are made anew, copies of shed-1-raw-2 are made anew');
  dies('shed-4-raw-1');
  world.runUntil(world.nowMs + 5_000);
  const volume = rootLine(world.store, ref('Pod', 'space', 'one-0'))!.joints.find((one) => one.joint === 'backend')!;
  expect(volume).toMatchObject({ state: 'unseen' });
  expect(volume.says).toMatch(/^copies on shed-1, shed-3, shed-4 are out of reach, and each piece lies on 3 nodes: /);
  expect(line()).toBeUndefined();

  const lone = onDisks();
  must(lone.world, made(lone.pool(), { copies: 1 }));
  lone.world.runSettled();
  expect(offers(lone.scene()).find((one) => one.fault === 'disk-dead')!.not).toBe(
    'harbour-pool keeps each piece once: which volumes lie on a disk is not known here'
  );
  must(lone.world, made(diskOf(lone.world, 'shed-1-raw-1'), { dead: true }));
  lone.world.runUntil(lone.world.nowMs + 86_400_000);
  expect(lone.pool().status!.lost).toMatchObject([{ disk: 'shed-1-raw-1', healed: false }]);
  expect(lone.world.store.list('Event').map((one) => one.message)).toContain(
    'The disk shed-1-raw-1 of shed-1 answers nobody; the 10 GiB there lay nowhere else.'
  );
  expect(scene().workload.name).toBe('one');
});

test('a disk that the system stands on is not said to die without effect: that is refused', () => {
  const { world } = harbourPool();
  const [fault] = world.act({ type: 'send', objects: [made(diskOf(world, 'shed-1-system'), { dead: true })] });
  expect(fault).toMatchObject({ code: 'not-sendable', at: { field: 'spec.dead' }, remedy: expect.stringContaining('Outage') });
});

test('a node of a pool that loses its power has its copies made anew though nobody says so of its disks', () => {
  const { world, pool } = onDisks();
  must(world, ...objects('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: dark}\nspec: {dark: [shed-3]}\n'));
  world.runUntil(world.nowMs + 120_000);
  expect(pool().status!.lost).toMatchObject([{ node: 'shed-3', bytes: 60 * gib, healed: false }]);
  // A disk of it that dies meanwhile is short of nothing more.
  must(world, made(diskOf(world, 'shed-3-raw-1'), { dead: true }));
  world.runUntil(world.nowMs + 600_000);
  expect(pool().status!.lost).toMatchObject([{ node: 'shed-3', healed: true }]);
});

test('a certificate is renewed under load, and members started anew in turn to take it; one that nobody asks for is not', () => {
  const { scene, drill, world } = standing('document-set');
  const shown = () => certificateInSecret(world.store.get('Secret', 'space', 'one-tls')!.data!['tls.crt']!)!;
  const before = shown();
  const got = drill('certificate-renewed');
  expect(got).toMatchObject({ target: 'secret one-tls', state: 'expected', measured: { lostCount: 0 } });
  expect(got.notes).toEqual([
    expect.stringMatching(/^secret one-tls was renewed after \d s\.$/),
    expect.stringMatching(/^one was renewed after \d min/)
  ]);
  for (const action of got.begin) expect(world.act(action)).toEqual([]);
  world.runUntil(world.nowMs + 5_000);
  expect([shown().fromMs > before.fromMs, shown().names]).toEqual([true, before.names]);
  // Once for each time that it was asked for.
  const once = world.store.get('Secret', 'space', 'one-tls')!.metadata.resourceVersion;
  world.runUntil(world.nowMs + 3_600_000);
  expect(world.store.get('Secret', 'space', 'one-tls')!.metadata.resourceVersion).toBe(once);
  expect(
    world.act({ type: 'remove', ref: ref('Certificate', 'space', world.store.list('Certificate', 'space')[0]!.metadata.name) })
  ).toEqual([]);
  expect(offers(scene()).find((one) => one.fault === 'certificate-renewed')!.not).toBe(
    'nobody renews what is in the secret one-tls: no certificate is asked for into it'
  );
});
