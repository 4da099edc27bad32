/* Copies of workloads and the way back. Ways, causes of failure and what each gives: docs/model.md, "Backup"; retention: common practice, no source. */
import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { removalSheet } from '$core/change';
import { backWithinMark, besideObjects, figuresOf, judgeBackup, longestGapMs, loseAtMostMark, roomAhead } from '$core/backups';
import { plansPrint } from '$core/drills';
import { asManifest } from '$core/manifest';
import { isReady } from '$core/model';
import { lineSentence, rootLine } from '$core/rootline';
import { carriedMs, keptOf, returnWay, World, type Snapshot } from '$core/standin';
import { stampOf } from '$core/shared';
import { objects, ref } from '../help';
import { answered, ask, must } from '../roomy';
import { barn, begin, daily, into, later, plan, planOf, returned, rowsOf, run, second, write } from './help';

test('a table dropped by mistake is back to the second before: from the copy and the log behind it, beside what stands, then in place', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
  write(world, 'a');
  expect(run(world, 'first')).toMatchObject({ phase: 'Done' });
  write(world, 'b');
  later(world, 40_000);
  write(world, 'c');
  later(world, 3_000);
  const before = world.nowMs;
  later(world, 2_000);
  expect(ask(world, 'space', 'one', { do: 'drop', place: 'seats' }).outcome).toBe('acknowledged');
  expect(rowsOf(world, 'one')).toEqual([]);
  write(world, 'd');
  later(world, 70_000);
  // The members have the drop, too: that is what replication is for.
  for (const member of ['one-0', 'one-1', 'one-2'])
    expect(ask(world, 'space', 'one', { do: 'list', place: 'seats' }, { member }).rows).toEqual([['d', 'd']]);
  second(world);
  world.runSettled();
  const beside = returned(world, `into: two, to: "${stampOf(before)}"`);
  expect(beside).toMatchObject({ phase: 'Done', run: 'first' });
  expect(beside.proved).toBe(beside.checksum);
  expect(rowsOf(world, 'two')).toEqual(['a', 'b', 'c']);
  // It took what was computed: carried within its band, and a second at the most for each thing that was asked beside it.
  const { backMs, measuredMs } = figuresOf(world.store, planOf(world));
  const carried = beside.steps!.find((one) => one.name === 'carries it back')!;
  expect(carried.toMs! - carried.fromMs).toBeGreaterThanOrEqual(backMs[0]);
  expect(carried.toMs! - carried.fromMs).toBeLessThanOrEqual(backMs[1]);
  expect(measuredMs).toBe(beside.endedMs! - beside.beganMs);
  expect(measuredMs! - (carried.toMs! - carried.fromMs)).toBeLessThan(1_000 * beside.steps!.length);
  // Over what stands only where that is asked for.
  expect(returned(world, `into: one, to: "${stampOf(before)}"`, 'no')).toMatchObject({
    phase: 'Failed',
    says: expect.stringContaining('overwritten')
  });
  expect(rowsOf(world, 'one')).toEqual(['d']);
  expect(returned(world, `into: one, to: "${stampOf(before)}", over: true`, 'yes').phase).toBe('Done');
  expect(rowsOf(world, 'one')).toEqual(['a', 'b', 'c']);
  for (const member of ['one-0', 'one-1', 'one-2'])
    expect(ask(world, 'space', 'one', { do: 'list', place: 'seats' }, { member }).count).toBe(3);
  // The latest moment holds the drop.
  later(world, 60_000);
  expect(returned(world, 'into: two, run: first, over: true', 'copy').phase).toBe('Done');
  expect(rowsOf(world, 'two')).toEqual(['a']);
});

test('moments that nothing reaches are refused, and say what is reached', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
  const early = world.nowMs;
  expect(returned(world, 'into: one', 'none')).toMatchObject({ phase: 'Failed', says: 'no copy of nightly is done' });
  run(world, 'first');
  later(world, 100_000);
  const way = (toMs: number) => returnWay(world.store, planOf(world), { toMs });
  expect(way(early)).toMatchObject({ says: expect.stringContaining('the oldest copy shows') });
  expect(way(world.nowMs + 3_600_000)).toMatchObject({ says: expect.stringContaining('the log behind first reaches to') });
  expect(way(world.nowMs - 40_000)).toMatchObject({ run: { metadata: { name: 'first' } } });
});

test('a log that could not be taken away leaves a gap, or none where the engine kept it meanwhile', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
  run(world, 'first');
  later(world, 40_000);
  // The store is away for a while: what is written meanwhile is kept by the engine, and shipped later.
  const pods = world.store.list('Pod', 'space').filter((one) => one.metadata.name.startsWith('shed-'));
  const outage = `apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: away}\nspec: {hangs: [${pods.map((one) => `{namespace: space, pod: ${one.metadata.name}}`).join(', ')}]}\n`;
  must(world, ...objects(outage));
  later(world, 40_000);
  for (let i = 0; i < 200; i += 1) write(world, `k${i}`);
  later(world, 60_000);
  expect(planOf(world).status!.shipping!.says).toContain('the store space/shed');
  world.act({ type: 'remove', ref: { kind: 'Outage', namespace: '', name: 'away' } });
  later(world, 300_000);
  expect(planOf(world).status!.shipping!.says).toBeUndefined();
  second(world);
  world.runSettled();
  expect(returned(world, 'into: two')).toMatchObject({ phase: 'Done' });
  expect(rowsOf(world, 'two').length).toBe(200);
});

test('how long is carried is worked out by hand: 8 GiB at 40 MiB in a second out, at 30 back, a quarter either way', () => {
  // 8,192 MiB / 40 = 204.8 s; 8,192 / 30 = 273.07 s.
  expect(carriedMs(8 * 2 ** 30, 'out')).toEqual([2_000 + 163_840, 5_000 + 256_000]);
  expect(carriedMs(8 * 2 ** 30, 'back')).toEqual([2_000 + 218_453, 5_000 + 341_333]);
});

describe('each way fails for its causes, and says where to look', () => {
  const done = (spec: string, alter: (world: World) => void = () => {}, engine?: string, bucket?: boolean) => {
    const world = barn(engine, bucket);
    must(world, ...plan(spec));
    alter(world);
    return run(world, 'try');
  };
  const gone = (world: World, name: string) => {
    world.act({ type: 'remove', ref: { kind: 'StatefulSet', namespace: 'space', name } });
    later(world, 120_000);
  };
  test.each([
    ['no bucket', `how: copy, ${daily}, ${into}`, () => {}, undefined, false, 'there is no bucket copies', 'shed'],
    [
      'no store',
      `how: copy, ${daily}, ${into}`,
      (world: World) => gone(world, 'shed'),
      undefined,
      true,
      'nothing of the store space/shed runs',
      'shed'
    ],
    [
      'no workload',
      `how: copy, ${daily}, ${into}`,
      (world: World) => gone(world, 'one'),
      undefined,
      true,
      'nothing of space/one runs',
      'one'
    ],
    [
      'a store that would copy itself, with its own cluster named',
      `how: copy, ${daily}, into: {cluster: work, namespace: space, store: one, bucket: copies}`,
      () => {},
      'object-store',
      true,
      'its own copies',
      'nightly'
    ],
    [
      'a cluster that is linked with nobody',
      `how: copy, ${daily}, into: {cluster: work-2, namespace: space, store: one, bucket: copies}`,
      () => {},
      undefined,
      true,
      "isn't linked with a cluster work-2",
      ''
    ],
    [
      'a store that would copy itself',
      `how: copy, ${daily}, into: {namespace: space, store: one, bucket: copies}`,
      () => {},
      'object-store',
      true,
      'its own copies',
      'nightly'
    ],
    [
      'no store of objects',
      `how: copy, ${daily}, into: {namespace: space, store: two, bucket: copies}`,
      (world: World) => {
        second(world);
        world.runSettled();
      },
      undefined,
      true,
      'is no object store',
      'two'
    ],
    ['no class of snapshots', `how: snapshots, ${daily}`, () => {}, undefined, true, 'no snapshot class is the default', 'data-one-0'],
    [
      'the claims of nobody',
      `how: snapshots, ${daily}`,
      (world: World) => gone(world, 'one'),
      undefined,
      true,
      'runs that has a claim',
      'one'
    ]
  ] as const)('%s', (_, spec, alter, engine, bucket, says, at) => {
    const failed = done(spec, alter, engine, bucket);
    expect(failed).toMatchObject({ phase: 'Failed', says: expect.stringContaining(says), remedy: expect.stringMatching(/\w/) });
    expect(failed.at!.name).toContain(at);
  });
});

test('snapshots are of one moment, or the run fails and takes them away again', () => {
  const world = barn();
  must(
    world,
    ...objects(
      'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: snap, annotations: {snapshot.storage.kubernetes.io/is-default-class: "true"}}\ndriver: block.standin.example\ndeletionPolicy: Delete\n'
    )
  );
  must(world, ...plan(`how: snapshots, ${daily}`));
  const one = run(world, 'first');
  expect(one).toMatchObject({ phase: 'Done', says: '3 snapshots of one moment' });
  expect(one.snapshots!.every((name) => world.store.get('VolumeSnapshot', 'space', name)?.status?.readyToUse)).toBe(true);
  // One of them is late: its moment is set by hand.
  begin(world, 'BackupRun', 'second', 'plan: nightly');
  later(world, 200);
  const late = world.store.get('VolumeSnapshot', 'space', 'second-data-one-2')!;
  expect(late).toBeDefined();
  world.put({ ...late, status: { ...late.status, creationTime: stampOf(world.nowMs + 30_000) } } as typeof late);
  for (let n = 0; n < 60 && world.store.get('BackupRun', 'space', 'second')!.status!.phase === 'Running'; n += 1) later(world, 2_000);
  const two = world.store.get('BackupRun', 'space', 'second')!.status!;
  expect(two).toMatchObject({ phase: 'Failed', says: expect.stringContaining('different moments') });
  later(world, 60_000);
  expect(two.snapshots!.filter((name) => world.store.get('VolumeSnapshot', 'space', name))).toEqual([]);
  // The next is foreseen as large as its volumes are by then.
  for (const nth of [0, 1, 2]) {
    const claim = world.store.get('PersistentVolumeClaim', 'space', `data-one-${nth}`)!;
    const resources = { ...claim.spec.resources, requests: { storage: '80Gi' } };
    must(world, asManifest({ ...claim, spec: { ...claim.spec, resources } }));
  }
  later(world, 1_200_000);
  const [now, next] = roomAhead(world.store, planOf(world)).points;
  expect((next!.bytes - now!.bytes) / 2 ** 30).toBe(240);
});

describe('what is kept', () => {
  const keep = { newest: 3, days: 5, weeks: 4, months: 6 };
  const dayMs = 86_400_000;
  test('over a year of daily copies: the last three, one of each of five days, four weeks, six months', () => {
    const done: { name: string; momentMs: number }[] = [];
    let kept = new Set<{ name: string; momentMs: number }>();
    for (let day = 0; day < 365; day += 1) {
      done.push({ name: `d${day}`, momentMs: day * dayMs });
      kept = keptOf(done, keep);
      done.splice(0, done.length, ...done.filter((one) => kept.has(one)));
    }
    // Day 0 is Monday 2026-03-02, the last one Monday 2027-03-01: Sundays end weeks, and months end on their last days.
    const dates = [...kept].map((one) => stampOf(one.momentMs).slice(0, 10)).sort();
    expect(dates).toEqual([
      '2026-10-31',
      '2026-11-30',
      '2026-12-31',
      '2027-01-31',
      '2027-02-14',
      '2027-02-21',
      '2027-02-25',
      '2027-02-26',
      '2027-02-27',
      '2027-02-28',
      '2027-03-01'
    ]);
  });

  test('the newest is always among them, never more than are asked for, and none is kept that was let go before', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.integer({ min: 0, max: 400 * 24 }), { minLength: 1, maxLength: 80 }),
        fc.record({ newest: fc.integer({ min: 1, max: 9 }), days: fc.nat(9), weeks: fc.nat(9), months: fc.nat(9) }),
        fc.constantFrom('UTC', 'Europe/Lisbon', 'Pacific/Auckland'),
        (hours, rule, zone) => {
          const all = [...hours].sort((a, b) => a - b).map((hour) => ({ name: `h${hour}`, momentMs: hour * 3_600_000 }));
          const kept = keptOf(all, rule, zone);
          expect(kept.has(all.at(-1)!)).toBe(true);
          expect(kept.size).toBeLessThanOrEqual(rule.newest + rule.days + rule.weeks + rule.months);
          // Pruned step by step it comes to what it comes to at once.
          let left: typeof all = [];
          for (const one of all) {
            left.push(one);
            const now = keptOf(left, rule, zone);
            left = left.filter((each) => now.has(each));
          }
          expect(left).toEqual(all.filter((one) => kept.has(one)));
        }
      )
    );
  });

  test('a plan begins its runs by its schedule in its time zone, and forgets what it no longer keeps, in the bucket, too', () => {
    const world = barn();
    must(world, ...plan(`how: copy, schedule: "*/10 * * * *", timeZone: Europe/Lisbon, keep: {newest: 2}, ${into}`));
    later(world, 65 * 60_000);
    const runs = () => world.store.list('BackupRun', 'space').filter((one) => one.status?.phase === 'Done');
    expect(runs().length).toBe(2);
    const stored = ask(world, 'space', 'shed', { do: 'list', place: 'copies' }).rows!.map(([key]) => key);
    expect(stored.sort()).toEqual(
      runs()
        .map((one) => one.status!.key!)
        .sort()
    );
    expect(world.store.list('Ask', 'space').filter((one) => one.metadata.name.startsWith('backup'))).toEqual([]);
  });
});

test('a copy goes on after a restart of the stand-in from what was saved', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, schedule: "*/10 * * * *", ${into}`));
  for (let at = 0; at < 25; at += 1) later(world, 30_000);
  const again = World.restore(world.seed, structuredClone(world.save()) as Snapshot);
  for (const one of [world, again]) later(one, 30 * 60_000);
  expect(again.store.list('BackupRun')).toEqual(world.store.list('BackupRun'));
  expect(planOf(again).status).toEqual(planOf(world).status);
});

test('the root line of a plan leads to where its last copy broke, and to a run more; its sheet says what it is good for', () => {
  const world = barn();
  must(world, ...plan(`how: copy, ${daily}, keep: {newest: 1}, ${into}`));
  const line = () => rootLine(world.store, ref('BackupPlan', 'space', 'nightly'))!;
  const ids = () => judgeBackup(world.store, 'space', 'one', [planOf(world)]).map((one) => `${one.id} ${one.state}`);
  expect(judgeBackup(world.store, 'space', 'one', []).map((one) => one.id)).toEqual(['no-plan']);
  expect(ids()).toEqual(['never-ran broken', 'same-backend broken', 'one-copy doubt', 'secrets-out doubt']);
  const outage =
    'apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: off}\nspec: {dark: [w-a-1, w-a-2, w-b-1, w-b-2, w-c-1, w-c-2]}\n';
  must(world, ...objects(outage));
  later(world, 400_000);
  expect(run(world, 'first')).toMatchObject({ phase: 'Failed' });
  expect(line().firstBreak).not.toBe('copies');
  expect(lineSentence(line())).toContain('The last copy of nightly failed: ');
  world.act({ type: 'remove', ref: ref('Outage', '', 'off') });
  world.runSettled();
  // What broke is mended, the copy is still not made: that is the break now, and a run more mends it.
  expect(line().firstBreak).toBe('copies');
  const { remedy } = line().joints.find((one) => one.joint === 'copies')!;
  must(world, ...remedy!.manifests!);
  later(world, 60_000);
  expect(line().firstBreak).toBeNull();
  expect(ids()).toEqual(['never-restored doubt', 'same-backend broken', 'one-copy doubt', 'secrets-out doubt']);
  const set = world.store.get('StatefulSet', 'space', 'one')!;
  world.put({ ...set, metadata: { ...set.metadata, annotations: { [loseAtMostMark]: '5m', [backWithinMark]: 'soon' } } });
  expect(ids().slice(-2)).toEqual(['loses-more broken', 'odd-mark doubt']);
  // Once a day, and the copy itself: 24 h and a little.
  expect(figuresOf(world.store, planOf(world)).losesMs! / 3_600_000).toBeCloseTo(24, 1);
  // Where the clocks change a day has 25 hours.
  expect(longestGapMs('0 3 * * *', 'Europe/Lisbon', 0)).toBe(25 * 3_600_000);
});

test('a workload beside another comes up by manifests made from it, certificates and all, and takes its copy', () => {
  const world = barn();
  must(world, ...plan(`how: copy, ${daily}, ${into}`));
  write(world, 'a');
  run(world, 'first');
  const front = 'apiVersion: v1\nkind: Service\nmetadata: {name: one-front, namespace: space}\nspec: {type: NodePort, selector: ';
  const { matchLabels } = world.store.get('StatefulSet', 'space', 'one')!.spec.selector;
  must(world, ...objects(`${front}${JSON.stringify(matchLabels)}, ports: [{port: 7300, nodePort: 31200}]}\n`));
  const beside = besideObjects(world.store, 'space', 'one', 'one-back')!;
  expect(beside.map((one) => `${one.kind} ${one.metadata.name}`)).toContain('Service one-back-front');
  expect(beside.map((one) => `${one.kind} ${one.metadata.name}`)).toContain('StatefulSet one-back');
  must(world, ...beside);
  world.runSettled();
  const got = returned(world, 'into: one-back');
  expect([got.phase, got.says]).toEqual(['Done', '7 rows as of position 4 are back']);
  expect(rowsOf(world, 'one-back')).toEqual(['a']);
  const { with: along } = removalSheet(world.store, ref('StatefulSet', 'space', 'one'));
  expect(along.find((one) => one.ref.kind === 'BackupPlan')).toMatchObject({
    goes: false,
    says: expect.stringContaining('can be put back')
  });
  // The other stands as it stood.
  expect(
    world.store
      .list('Pod', 'space')
      .filter((one) => /^one-\d$/.test(one.metadata.name))
      .every(isReady)
  ).toBe(true);
});

test('what somebody else put in the place of a copy, or of a piece of the log, is no copy; one of another engine is refused', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
  const { key } = run(world, 'first');
  write(world, 'a');
  later(world, 60_000);
  must(world, ...answered('document-set', { namespace: 'space', name: 'three' }));
  second(world);
  world.runSettled();
  later(world, 60_000);
  expect(returned(world, 'into: three', 'other')).toMatchObject({
    phase: 'Failed',
    says: expect.stringContaining('the copy is of primary-standby-sql')
  });
  const piece = planOf(world).status!.pieces!.at(-1)!.key;
  const over = (object: string, value: string) =>
    expect(ask(world, 'space', 'shed', { do: 'put', place: 'copies', key: object, value }).outcome).toBe('acknowledged');
  over(piece, '{"x":');
  expect(returned(world, 'into: two', 'torn')).toMatchObject({ phase: 'Failed', says: expect.stringContaining('is no piece of a log') });
  over(piece, '[]');
  expect(returned(world, 'into: two', 'thinned')).toMatchObject({
    phase: 'Failed',
    says: expect.stringContaining('does not lead to what the engine held')
  });
  // A copy whose content and own checksum were altered together.
  const whole = JSON.parse(ask(world, 'space', 'shed', { do: 'fetch', place: 'copies', key: key! }).rows![0]![1]) as { tables: string };
  const tables = whole.tables.replace(/]$/, ',["seats/more","x"]]');
  over(key!, JSON.stringify({ ...whole, tables, checksum: bytesToHex(sha256(utf8ToBytes(tables))) }));
  expect(returned(world, 'into: two', 'altered')).toMatchObject({
    phase: 'Failed',
    says: expect.stringContaining('not what the engine handed out')
  });
  over(key!, '[1, 2');
  expect(returned(world, 'into: two', 'none')).toMatchObject({ phase: 'Failed', says: expect.stringContaining('is no copy') });
  expect(rowsOf(world, 'two')).toEqual([]);
});

test('what is planned bears another print when a plan was written, altered or taken away, and not when it ran', () => {
  const world = barn();
  const print = () => plansPrint(world.store, 'space', 'one');
  const none = print();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
  const written = print();
  run(world, 'first');
  later(world, 90_000);
  expect([print(), plansPrint(world.store, 'space', 'two')]).toEqual([written, none]);
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 60, ${into}`));
  expect(new Set([none, written, print()]).size).toBe(3);
  expect(world.act({ type: 'remove', ref: ref('BackupPlan', 'space', 'nightly') })).toEqual([]);
  expect(print()).toBe(none);
});
