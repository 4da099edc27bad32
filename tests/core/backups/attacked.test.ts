/* Copies under odd hands: what somebody else puts in the way of plans, runs and returns must break none of them in silence. */
import { expect, test } from 'vitest';
import { isReady } from '$core/model';
import { figuresOf } from '$core/backups';
import { returnWay, World, type Snapshot } from '$core/standin';
import { trimmed } from '../../../src/lib/core/standin/engines/group/record';
import { objects, ref } from '../help';
import { ask, must, offer } from '../roomy';
import { barn, begin, copiedOnce, daily, into, later, plan, planOf, returned, rowsOf, run, second, write } from './help';

const away = (world: World, prefix: string) => {
  const pods = world.store.list('Pod', 'space').filter((one) => one.metadata.name.startsWith(prefix));
  const hangs = pods.map((one) => `{namespace: space, pod: ${one.metadata.name}}`).join(', ');
  must(world, ...objects(`apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: away}\nspec: {hangs: [${hangs}]}\n`));
};
const back = (world: World) => expect(world.act({ type: 'remove', ref: ref('Outage', '', 'away') })).toEqual([]);

test('an engine refuses what is no copy of tables, and goes on', () => {
  const world = barn();
  for (const value of ['', 'x', '{}', '[[1,2]]', '[["a"]]', 'null'])
    expect(ask(world, 'space', 'one', { do: 'put-back', value, count: 1 }), value).toMatchObject({ outcome: 'refused' });
  write(world, 'a');
  expect(rowsOf(world, 'one')).toEqual(['a']);
});

test('a plan that is sent to another bucket leaves its copies where they lie: they come back from there, and are let go there', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, keep: {newest: 2}, ${into}`));
  write(world, 'a');
  run(world, 'first');
  write(world, 'b');
  later(world, 40_000);
  expect(ask(world, 'space', 'shed', { do: 'make-bucket', place: 'others' }).outcome).toBe('acknowledged');
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, keep: {newest: 2}, ${into.replace('copies', 'others')}`));
  const then = world.nowMs - 1_000;
  later(world, 60_000);
  run(world, 'next');
  second(world);
  world.runSettled();
  expect(returned(world, `into: two, to: "${new Date(Date.parse('2026-03-02T06:00:00Z') + then).toISOString()}"`)).toMatchObject({
    phase: 'Done',
    run: 'first'
  });
  expect(rowsOf(world, 'two')).toEqual(['a', 'b']);
  // The last piece reaches as far as nothing is written.
  write(world, 'c');
  run(world, 'third');
  run(world, 'fourth');
  later(world, 200_000);
  const left = (place: string) => ask(world, 'space', 'shed', { do: 'list', place }).rows!.map(([key]) => key);
  expect(left('copies')).toEqual([]);
  expect(left('others').filter((one) => one.includes('/copy-')).length).toBe(2);
});

test('a store that was away costs no moment, though a copy was made by hand meanwhile', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
  run(world, 'first');
  write(world, 'a');
  later(world, 40_000);
  away(world, 'shed-');
  write(world, 'b');
  later(world, 70_000);
  const between = world.nowMs;
  write(world, 'c');
  expect(planOf(world).status!.shipping!.says).toContain('the store space/shed');
  // What stands still says so: more could be lost than is planned.
  const { couldLoseMs, losesMs } = figuresOf(world.store, planOf(world));
  expect(couldLoseMs!).toBeGreaterThan(losesMs!);
  back(world);
  run(world, 'next');
  later(world, 120_000);
  expect(planOf(world).status!.pieces!.some((one) => one.anew)).toBe(false);
  expect(returnWay(world.store, planOf(world), { toMs: between })).toMatchObject({ run: { metadata: { name: 'first' } } });
});

// Whether the new history has more entries than what was lost, or fewer, tells nothing about which history a position is of.
test.each([9, 1])(
  'where a primary goes with what it had not passed on the log is torn: it begins anew at the next copy, and no moment is made of two histories (%i written after)',
  (written) => {
    const world = barn('primary-standby-sql', true, '0');
    must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 10, ${into}`));
    write(world, 'a');
    run(world, 'first');
    later(world, 12_000);
    const leader = world.store.get('Process', 'space', 'one-0')!.status!.leader!;
    // It is cut off a moment before its log is taken away, and takes what nobody else will ever have.
    world.runUntil(planOf(world).status!.shipping!.atMs + 9_000);
    const apart = `apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: away}\nspec: {apart: [{namespace: space, pod: ${leader}, from: members}]}\n`;
    must(world, ...objects(apart));
    for (let i = 0; i < 3; i += 1) {
      const lost = { do: 'write', place: 'seats', key: `lost${i}`, value: 'x' };
      expect(ask(world, 'space', 'one', lost, { member: leader }).outcome).toBe('acknowledged');
    }
    later(world, 60_000);
    back(world);
    later(world, 60_000);
    const { pieces: before, shipping } = planOf(world).status!;
    expect([shipping!.torn, shipping!.says]).toEqual([true, expect.stringMatching(/went back from position \d to 5/)]);
    expect(rowsOf(world, 'one')).toEqual(['a']);
    const between = world.nowMs;
    for (let i = 0; i < written; i += 1) write(world, `new${i}`);
    later(world, 30_000);
    expect(planOf(world).status!.pieces).toEqual(before);
    run(world, 'next');
    write(world, 'last');
    later(world, 30_000);
    expect(planOf(world).status!).toMatchObject({
      pieces: [...before!, { anew: true }],
      shipping: expect.not.objectContaining({ torn: true })
    });
    // What was written between is in no piece, and said to be out of reach; the old copy's log leads nowhere beyond.
    expect(returnWay(world.store, planOf(world), { toMs: between })).toMatchObject({
      says: expect.stringContaining('the log behind first reaches to')
    });
    expect(returnWay(world.store, planOf(world), { run: 'first', toMs: world.nowMs - 15_000 })).toHaveProperty('says');
    second(world);
    world.runSettled();
    expect(returned(world, 'into: two')).toMatchObject({ phase: 'Done', run: 'next' });
    expect(rowsOf(world, 'two').sort()).toEqual(['a', 'last', ...Array.from({ length: written }, (_, i) => `new${i}`)]);
  }
);

test('a return that is sent together with its workload waits until all members stand', () => {
  const world = barn();
  copiedOnce(world);
  expect(returned(world, 'into: two')).toMatchObject({ phase: 'Done' });
  expect(
    world.store
      .list('Pod', 'space')
      .filter((one) => /^two-\d$/.test(one.metadata.name))
      .every(isReady)
  ).toBe(true);
  expect(rowsOf(world, 'two')).toEqual(['a']);
});

test('a return that is taken away while it asks, and sent again under its name, hears no answer that was meant for the other', () => {
  const world = barn();
  copiedOnce(world);
  world.runSettled();
  away(world, 'shed-');
  begin(world, 'BackupReturn', 'back', 'plan: nightly, into: two');
  later(world, 3_000);
  expect(world.store.list('Ask', 'space').filter((one) => one.metadata.name.startsWith('backupreturn'))).toHaveLength(1);
  expect(world.act({ type: 'remove', ref: ref('BackupReturn', 'space', 'back') })).toEqual([]);
  later(world, 40_000);
  expect(world.store.list('Ask', 'space').filter((one) => one.metadata.name.startsWith('backup'))).toEqual([]);
  back(world);
  later(world, 5_000);
  expect(returned(world, 'into: two')).toMatchObject({ phase: 'Done' });
});

test('a snapshot that bears the name that a run would give is nobody else’s: it stays, and the run says so', () => {
  const world = barn();
  must(world, ...plan(`how: snapshots, ${daily}`));
  const mine =
    'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: try-data-one-1, namespace: space}\nspec: {source: {persistentVolumeClaimName: data-one-0}}\n';
  must(world, ...objects(mine));
  expect(run(world, 'try')).toMatchObject({ phase: 'Failed', says: 'there is a snapshot try-data-one-1 already' });
  expect(world.store.get('VolumeSnapshot', 'space', 'try-data-one-1')!.spec.source.persistentVolumeClaimName).toBe('data-one-0');
  expect(world.store.get('VolumeSnapshot', 'space', 'try-data-one-0')).toBeUndefined();
});

test('plans that cannot be are refused with the field', () => {
  const refused = (spec: string, name = 'nightly') => expect(() => plan(spec, name), spec);
  refused(`how: copy, schedule: "61 * * * *", ${into}`).toThrow('spec.schedule');
  refused(`how: copy, ${daily}, timeZone: Moon/Sea, ${into}`).toThrow('spec.timeZone');
  refused(`how: copy, ${daily}`).toThrow('spec.into');
  refused(`how: snapshots, ${daily}, ${into}`).toThrow('spec.into');
  refused(`how: copy, ${daily}, ${into}`, 'p'.repeat(101)).toThrow('metadata.name');
  must(barn(), ...plan(`how: copy, ${daily}, ${into}`, 'p'.repeat(100)));
});

test('in the middle of a return the stand-in stops, and goes on from what was saved to the same end', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
  run(world, 'first');
  for (let i = 0; i < 5; i += 1) {
    write(world, `k${i}`);
    later(world, 31_000);
  }
  second(world);
  world.runSettled();
  begin(world, 'BackupReturn', 'back', 'plan: nightly, into: two');
  for (const ms of [20, 60, 200, 1_000, 3_000]) {
    later(world, ms);
    const again = World.restore(world.seed, structuredClone(world.save()) as Snapshot);
    later(again, 60_000);
    expect(again.store.get('BackupReturn', 'space', 'back')!.status, `${ms}`).toMatchObject({ phase: 'Done', rows: 11 });
  }
});

test('what somebody writes between the putting in and the proof is no proof', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
  write(world, 'a');
  run(world, 'first');
  second(world);
  world.runSettled();
  begin(world, 'BackupReturn', 'back', 'plan: nightly, into: two');
  const status = () => world.store.get('BackupReturn', 'space', 'back')!.status;
  while (status()?.says !== 'puts it in two') world.runUntil(world.nextMs!);
  offer(world, 'space', 'two', { do: 'write', place: 'seats', key: 'b', value: 'x' });
  for (let n = 0; n < 60 && status()!.phase === 'Running'; n += 1) later(world, 2_000);
  expect(rowsOf(world, 'two').sort()).toEqual(['a', 'b']);
  expect(status()).toMatchObject({ phase: 'Failed', says: expect.stringContaining('is not what was put in') });
});

test('what the engine did not keep of its log is a tear, and is said to be one', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
  run(world, 'first');
  later(world, 40_000);
  away(world, 'shed-');
  // As after more than it keeps for whoever takes its log away: it knows of nobody any more.
  for (const asset of world.store.list('Asset')) {
    const kept = asset.status?.engine as { takenUpTo?: number } | undefined;
    if (kept?.takenUpTo === undefined) continue;
    const { takenUpTo: _, ...engine } = kept;
    world.put({ ...asset, status: { ...asset.status!, engine } });
  }
  for (let i = 0; i < 140; i += 1) write(world, 'k', String(i));
  const between = world.nowMs;
  back(world);
  later(world, 120_000);
  expect(planOf(world).status!.shipping).toMatchObject({ torn: true, says: expect.stringContaining('the log was not handed out') });
  run(world, 'next');
  write(world, 'last');
  later(world, 60_000);
  expect(planOf(world).status!.pieces!.at(-1)).toMatchObject({ anew: true });
  expect(returnWay(world.store, planOf(world), { toMs: between })).toHaveProperty('says');
});

test('so much of a log is kept for whoever takes it away, and no more', () => {
  const log = Array.from({ length: 5_100 }, (_, i) => ({ index: i + 1, term: 1, atMs: i }));
  const record = { term: 1, base: { index: 0, term: 0, members: ['a'] }, log, applied: 5_100, state: {} };
  const begins = (takenUpTo?: number) =>
    trimmed({ ...record, ...(takenUpTo === undefined ? {} : { takenUpTo }) } as unknown as Parameters<typeof trimmed>[0]).base.index;
  // 64 entries stay for members that were away a short while; somebody who takes it away has 5,000 at the most.
  expect([begins(), begins(5_100), begins(4_000), begins(10)]).toEqual([5_036, 5_036, 4_000, 100]);
});

test('a run that ends while it asks leaves no ask behind', () => {
  const world = barn();
  must(world, ...plan(`how: copy, ${daily}, ${into}`));
  begin(world, 'BackupRun', 'one', 'plan: nightly');
  const asks = () => world.store.list('Ask', 'space').filter((one) => one.metadata.annotations?.['standin.example/asked-for']);
  while (!asks().length) world.runUntil(world.nextMs!);
  // Its plan is sent to a store that isn't there, before the engine has answered.
  must(world, ...plan(`how: copy, ${daily}, into: {namespace: space, store: nowhere, bucket: copies}`));
  later(world, 120_000);
  expect(world.store.get('BackupRun', 'space', 'one')!.status).toMatchObject({ phase: 'Failed' });
  expect(asks()).toEqual([]);
});

test('while a run is under way its plan begins no other, and of those that failed five are kept', () => {
  const world = barn();
  // Nothing of this class ever makes a snapshot: each run waits for five minutes, and fails.
  must(
    world,
    ...objects(
      'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: snap}\ndriver: nobody.standin.example\ndeletionPolicy: Delete\n'
    ),
    ...plan('how: snapshots, snapshotClass: snap, schedule: "*/2 * * * *"')
  );
  const phases = () => world.store.list('BackupRun', 'space').map((one) => one.status?.phase);
  for (let n = 0; n < 60; n += 1) {
    later(world, 60_000);
    expect(phases().filter((one) => one === 'Running' || one === undefined).length).toBeLessThanOrEqual(1);
  }
  expect(phases().filter((one) => one === 'Failed').length).toBe(5);
});
