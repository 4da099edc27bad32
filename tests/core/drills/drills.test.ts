/* Drills: faults put in on forks, under load. What engines promise: docs/model.md; what can be expected of them: arithmetic over members that are left. */
import { describe, expect, test } from 'vitest';
import { drilled, faults, notNow, offers, type Drill } from '$core/drills';
import { rowsOf } from '$core/drills/measure';
import { workloadNamed } from '$core/proofs';
import { World, type Snapshot } from '$core/standin';
import { objects } from '../help';
import { answered, ask, must, roomy } from '../roomy';
import { short, standing } from './help';
import { rows } from '../../rounds';

test('a member that ends: writes pause for an election, nothing is lost, all figures add up, and the world itself is not touched', () => {
  const { world, drill } = standing('document-set');
  const before = world.journal.changes.length;
  const one = drill('program-ends');
  expect(one).toMatchObject({ state: 'expected', target: 'one-0', measured: { lostCount: 0 }, derived: { goesOn: true } });
  // An election takes 8 to 12 s (the engine's patience).
  expect(one.measured.writesPauseMs).toBeGreaterThan(7_000);
  expect(one.measured.writesPauseMs).toBeLessThan(16_000);
  expect(world.journal.changes.length).toBe(before);
  const sum = (of: (beat: Drill['beats'][number]) => number) => one.beats.reduce((all, beat) => all + of(beat), 0);
  for (const [kind, good, bad] of [
    ['writes', (b: Drill['beats'][number]) => b.writes, (b: Drill['beats'][number]) => b.writesFailed],
    ['reads', (b: Drill['beats'][number]) => b.reads, (b: Drill['beats'][number]) => b.readsFailed]
  ] as const) {
    const { asked, acknowledged, refused, unknown } = one.measured[kind];
    expect(acknowledged + refused + unknown).toBe(asked);
    expect(sum(good) + sum(bad)).toBe(asked);
  }
  expect(one.measured.writes.refused).toBeGreaterThan(5);
  for (const { stretches } of one.lanes) {
    expect(stretches[0]!.fromMs).toBe(0);
    stretches.slice(1).forEach((next, i) => expect(next.fromMs).toBe(stretches[i]!.toMs));
    expect(Math.abs(stretches.at(-1)!.toMs - one.overMs)).toBeLessThan(60_000);
  }
  const lane = one.lanes.find((two) => two.name === 'one-0')!;
  expect(lane.stretches.map((two) => two.state)).toContain('coming');
  // The same again comes out the same.
  expect(drill('program-ends')).toEqual(one);
});

describe('what the standbys of a primary lack', () => {
  test('is lost where no commit waits for them: the drill says which acknowledged writes, and why', () => {
    const { drill } = standing('primary-standby-sql', { synchronous: '0' });
    const one = drill('cut-from-members', short);
    expect(one.state).toBe('worse');
    expect(one.measured.lostCount).toBeGreaterThan(0);
    expect(one.measured.lost).toHaveLength(one.measured.lostCount!);
    // Two writes a second, 20 s of them before the fault: none of those is lost.
    for (const n of one.measured.lost) expect(n).toBeGreaterThan(39);
    expect(one.cause?.says).toContain('a commit waits for no standby');
    expect(one.rows.filter((row) => !row.ok).map((row) => row.id)).toEqual(['lost']);
  });

  test('is nothing where one is waited for', () => {
    const { drill } = standing('primary-standby-sql', { synchronous: '1' });
    expect(drill('cut-from-members', short).measured.lostCount).toBe(0);
    const cut = drill('cut-from-clients', short);
    // The others hear it as before: nobody takes over, and that is foreseen.
    expect(cut).toMatchObject({ state: 'expected', derived: { goesOn: false, why: expect.stringContaining('nobody takes over') } });
    expect(cut.measured.writesPauseMs).toBeGreaterThan(55_000);
  });
});

test('a member that hangs and is not asked by any probe is worse than expected; with the remedy it holds', () => {
  const bare = (world: World) => {
    const set = world.store.get('StatefulSet', 'space', 'one')!;
    const containers = set.spec.template.spec.containers.map(({ readinessProbe: _, livenessProbe: _l, startupProbe: _s, ...rest }) => rest);
    world.put({ ...set, spec: { ...set.spec, template: { ...set.spec.template, spec: { ...set.spec.template.spec, containers } } } });
  };
  const { world, drill } = standing('multi-primary-sql', {}, bare);
  const worse = drill('member-hangs');
  expect(worse.state).toBe('worse');
  expect(worse.measured.writes.unknown).toBeGreaterThan(50);
  expect(worse.cause).toMatchObject({ says: expect.stringContaining('no probe asks it'), manifests: [{ kind: 'StatefulSet' }] });
  expect(world.act({ type: 'send', objects: worse.cause!.manifests! })).toEqual([]);
  world.runSettled();
  const mended = drill('member-hangs');
  expect([mended.state, mended.measured.lostCount]).toEqual(['expected', 0]);
  expect(mended.measured.writes.unknown).toBeLessThan(20);
  // Whoever comes back is asked only once it has what was written meanwhile.
  expect(mended.measured.staleReads).toBe(0);
});

test('what cannot hold by arithmetic is foreseen, said where more is demanded, and measured', () => {
  // Two of three members in one zone: the place has two zones only.
  const world = roomy({ nodes: 2 });
  for (const node of world.store.nodes().filter((one) => one.metadata.labels?.['topology.kubernetes.io/zone'] === 'c'))
    world.put({ ...node, metadata: { ...node.metadata, labels: { ...node.metadata.labels, 'topology.kubernetes.io/zone': 'b' } } });
  must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
  must(world, ...answered('document-set', { namespace: 'space', name: 'one' }));
  world.runSettled();
  const workload = workloadNamed(world.store, 'space', 'one')!;
  const saved = structuredClone(world.save()) as Snapshot;
  const ask = { facts: world.store, workload, fork: () => World.restore(world.seed, saved), ...short };
  const zones = workload.sets.flatMap(() => [0, 1, 2].map((n) => world.store.get('Pod', 'space', `one-${n}`)!.spec.nodeName));
  if (zones.some((one) => one === undefined)) return expect(drilled({ ...ask, fault: 'zone-lost' })).toContain("don't hold");
  const one = drilled({ ...ask, fault: 'zone-lost' }) as Drill;
  expect(one.derived).toMatchObject({ goesOn: false, why: '2 of 3 members go, 1 is left; 2 are a majority' });
  expect(one.state).toBe('expected');
  expect(one.measured.writesPauseMs).toBeGreaterThan(55_000);
  expect(one.measured.lostCount).toBe(0);
  const demanded = drilled({ ...ask, fault: 'zone-lost', demanded: { writesPauseMs: 10_000, lost: 0 } }) as Drill;
  expect(demanded.state).toBe('worse');
  expect(demanded.notes.join()).toContain("By arithmetic writes can't go on after 10 s");
  expect(demanded.rows.find((row) => row.id === 'reads-pause')).toMatchObject({ expected: 'not asked for', ok: true });
});

test('a full volume, a slow node and a broker that is lost come out as the engine promises', () => {
  const { drill } = standing('log-broker');
  const full = drill('volume-full', short);
  expect(full).toMatchObject({
    state: 'expected',
    measured: { lostCount: 0 },
    cause: { says: expect.stringContaining('no space left on device') }
  });
  expect(full.measured.writesPauseMs).toBeGreaterThan(3_000);
  expect(drill('node-slow', short).measured.writes.refused).toBe(0);
  const coordinator = drill('coordinator-lost', short);
  expect(coordinator).toMatchObject({ state: 'expected', measured: { lostCount: 0 } });
  expect(coordinator.derived.why).toContain('1 of 3 coordinators goes, 2 are left');
});

test('one of a kind is missed for as long as its node is dark, and rows without numbers are counted', () => {
  const { drill } = standing('time-series');
  const one = drill('node-dark', short);
  expect(one.derived).toMatchObject({ goesOn: false, why: expect.stringContaining('1 of 1 front member goes') });
  expect(one.measured.writesPauseMs).toBeGreaterThan(60_000);
  expect([one.measured.lost, one.measured.lostCount]).toEqual([[], 0]);
});

test('every fault says where it would strike, or why it cannot happen here', () => {
  const { world, scene, tried } = standing('image-shelf');
  const all = offers(scene());
  expect(all.map((one) => one.fault)).toEqual(faults.map((one) => one.id));
  const not = Object.fromEntries(all.flatMap((one) => (one.not === undefined ? [] : [[one.fault, one.not]])));
  expect(not).toMatchObject({ 'coordinator-lost': 'it has no coordinators of its own', 'cut-from-members': 'there is one member only' });
  expect(tried('coordinator-lost')).toBe('it has no coordinators of its own');
  for (const node of world.store.nodes()) {
    const labels = { ...node.metadata.labels, 'topology.kubernetes.io/zone': 'a' };
    world.put({ ...node, metadata: { ...node.metadata, labels } });
  }
  expect(tried('zone-lost')).toBe('the place has one zone only');
  const pod = world.store.list('Pod', 'space')[0]!;
  world.act({ type: 'remove', ref: { kind: 'Pod', namespace: 'space', name: pod.metadata.name } });
  world.runUntil(world.nowMs + 100);
  expect(tried('node-dark')).toMatch(/ don't hold; mend that first$/);
});

test('nodes are emptied and worked on in turn, as the budget allows; what cannot be emptied says why, and the others are gone through', () => {
  const { world, drill } = standing('document-set');
  const all = drill('nodes-walked');
  const nodes = [...new Set([0, 1, 2].map((n) => world.store.get('Pod', 'space', `one-${n}`)!.spec.nodeName!))].sort();
  expect(all.notes.filter((one) => /was empty after/.test(one)).map((one) => one.split(' ')[0])).toEqual(nodes);
  expect([all.state, all.measured.lostCount, all.derived.expectation.steadyMs]).toEqual(['expected', 0, undefined]);
  // Two minutes of work on each.
  expect(all.endedMs - all.beganMs).toBeGreaterThan(nodes.length * 120_000);
  // A budget that lets one of them not go holds its node.
  for (const one of world.store.list('PodDisruptionBudget', 'space'))
    world.act({ type: 'remove', ref: { kind: one.kind, namespace: 'space', name: one.metadata.name } });
  const budget =
    'apiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: nobody, namespace: space}\nspec: {maxUnavailable: 0, selector: {matchLabels: {statefulset.kubernetes.io/pod-name: one-1}}}\n';
  must(world, ...objects(budget));
  world.runSettled();
  const held = drill('nodes-walked');
  expect(held.state).toBe('worse');
  expect(held.says).toContain('1 node could not be emptied');
  const node = world.store.get('Pod', 'space', 'one-1')!.spec.nodeName;
  expect(held.notes.join('\n')).toContain(
    `${node} could not be emptied within 10 min: space/one-1 stays: the budget nobody lets nobody go`
  );
  expect(held.notes.filter((one) => /was empty after/.test(one))).toHaveLength(nodes.length - 1);
  expect(world.store.list('Emptying').length + world.store.list('Outage').length).toBe(0);
});

test('a pod of a deployment comes again under another name: it counts as whole, and its lane begins where it came', () => {
  const { drill } = standing('image-shelf');
  const one = drill('member-removed', short);
  expect(one.measured.wholeMs).toBeGreaterThan(0);
  expect(one.lanes).toHaveLength(2);
  const [gone, came] = one.lanes as [Drill['lanes'][number], Drill['lanes'][number]];
  expect(gone.stretches.map((two) => two.state).filter((state) => state !== 'coming')).toEqual(['ready', 'away']);
  expect(came.stretches[0]).toMatchObject({ fromMs: 0, state: 'away' });
  expect(came.stretches[0]!.toMs).toBeGreaterThanOrEqual(one.beganMs - 1_000);
  expect(came.stretches.at(-1)!.state).toBe('ready');
});

test('nothing is tried while another fault stands, and what nobody could read back is unseen, not lost or kept', () => {
  const { world, scene, tried } = standing('primary-standby-sql', { synchronous: '1' });
  expect(notNow(scene())).toBeUndefined();
  must(world, ...objects('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: drill}\nspec: {dark: [w-a-1]}\n'));
  world.runUntil(world.nowMs + 1_000);
  expect(notNow(scene())).toContain('drill');
  expect(tried('program-ends')).toBe(notNow(scene()));
  const { measured, expectation } = standing('primary-standby-sql', { synchronous: '1' }).drill('program-ends', short);
  const [row] = rowsOf(expectation, { ...measured, lost: [], lostCount: null }, [], false).filter((one) => one.id === 'lost');
  expect(row).toMatchObject({ measured: 'unseen', ok: false });
});

describe('a wrong delete is passed on to every member', () => {
  const plan = (spec: string) =>
    `apiVersion: standin.example/v1\nkind: BackupPlan\nmetadata: {name: nightly, namespace: space}\nspec: {workload: one, schedule: "0 3 * * *", ${spec}, into: {namespace: space, store: shed, bucket: copies}}\n`;
  const copied = (spec: string, then: (world: World) => void = () => {}) =>
    standing('primary-standby-sql', {}, (world) => {
      must(world, ...answered('object-store', { namespace: 'space', name: 'shed', bucket: 'copies' }));
      world.runSettled();
      const run = 'apiVersion: standin.example/v1\nkind: BackupRun\nmetadata: {name: first, namespace: space}\nspec: {plan: nightly}\n';
      must(world, ...objects(`${plan(spec)}---\n${run}`));
      world.runUntil(world.nowMs + 60_000);
      expect(world.store.get('BackupRun', 'space', 'first')!.status).toMatchObject({ phase: 'Done' });
      then(world);
    });

  test('without a plan all that was acknowledged before is gone for good, though every member stands', () => {
    const { drill, tried } = standing('document-set');
    const one = drill('wrong-delete', short);
    // Two writes a second for 20 s before it: the first is written at once.
    expect(one.measured).toMatchObject({ lostCount: 40, back: null });
    expect(one.measured.lost).toEqual(Array.from({ length: 40 }, (_, i) => i + 1));
    expect(one).toMatchObject({ state: 'worse', cause: { says: expect.stringContaining('no plan copies it') } });
    expect(one.lanes.every((lane) => lane.stretches.every((two) => two.state === 'ready'))).toBe(true);
    expect(one.rows.filter((row) => !row.ok).map((row) => row.id)).toEqual(['lost']);
    expect(tried('wrong-delete', { demanded: { lost: 40 } })).toMatchObject({ state: 'expected' });
  });

  test('a copy from before the drill leads back to nothing that was written since; with the log behind it, to all of it', () => {
    const old = copied('how: copy').drill('wrong-delete', short);
    expect(old.measured.back).toMatchObject({ plan: 'nightly', count: 0, says: '' });
    expect(old.measured.back!.toMs).toBeLessThan(0);
    expect(old).toMatchObject({
      state: 'worse',
      cause: { subject: { kind: 'BackupPlan' }, says: expect.stringContaining('before the delete') }
    });
    const log = copied('how: copy-and-log, logEverySeconds: 30').drill('wrong-delete', short);
    expect(log.measured.back).toMatchObject({ plan: 'nightly', toMs: log.beganMs, count: log.measured.lostCount, says: '' });
    // Carried in 2 to 5 s and asked for a few times beside that.
    expect(log.measured.back!.tookMs).toBeGreaterThan(2_000);
    expect(log.measured.back!.tookMs).toBeLessThan(10_000);
    expect([log.state, log.cause]).toEqual(['expected', undefined]);
    expect(log.says).toContain('and nightly brought all of them back in');
    expect(log.rows.find((row) => row.id === 'lost')).toMatchObject({
      expected: '0 for good',
      measured: expect.stringMatching(/^0 of /),
      ok: true
    });
  });

  test('a copy that does not open is none, and what only snapshots hold is unseen', () => {
    const spoilt = copied('how: copy-and-log, logEverySeconds: 30', (world) => {
      const { key } = world.store.get('BackupRun', 'space', 'first')!.status!;
      expect(ask(world, 'space', 'shed', { do: 'put', place: 'copies', key: key!, value: 'x' }).outcome).toBe('acknowledged');
    }).drill('wrong-delete', short);
    expect(spoilt).toMatchObject({
      state: 'worse',
      measured: { back: { count: 0, tookMs: null } },
      cause: { says: expect.stringContaining('is no copy') }
    });
    expect(spoilt.rows.find((row) => row.id === 'lost')).toMatchObject({ measured: expect.stringMatching(/^40 of /), ok: false });
    const snap =
      'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: snap}\ndriver: block.standin.example\ndeletionPolicy: Delete\n';
    const held = standing('document-set', {}, (world) => {
      const plan = 'apiVersion: standin.example/v1\nkind: BackupPlan\nmetadata: {name: nightly, namespace: space}\n';
      must(world, ...objects(`${snap}---\n${plan}spec: {workload: one, how: snapshots, snapshotClass: snap, schedule: "*/2 * * * *"}\n`));
      world.runUntil(world.nowMs + 180_000);
    }).drill('wrong-delete', short);
    expect(held).toMatchObject({
      state: 'worse',
      measured: { lostCount: 40, back: { count: null, says: expect.stringContaining('was not tried') } }
    });
    expect(held.rows.find((row) => row.id === 'lost')).toMatchObject({ measured: 'unseen', ok: false });
  });

  test.each(
    rows(3, [
      ['memory-store', 'database drill', true],
      ['time-series', 'table drill', true],
      ['image-shelf', 'image drill/one', false],
      ['log-broker', 'topic drill', true],
      ['object-store', 'bucket drill, emptied', false],
      ['shared-files', 'directory drill', false]
    ] as const)
  )('%s: %s goes everywhere, and what the last copy held comes back', (engine, target, goes) => {
    const { drill } = standing(engine, {}, (world) => {
      must(world, ...answered('object-store', { namespace: 'space', name: 'shed', bucket: 'copies' }));
      world.runSettled();
      must(world, ...objects(plan('how: copy').replace('0 3 * * *', '* * * * *')));
      world.runUntil(world.nowMs + 70_000);
    });
    const one = drill('wrong-delete', { pace: { leadMs: 80_000, faultMs: 60_000, calmMs: 10_000 } });
    const { lostCount, back, writes, writesPauseMs } = one.measured;
    expect(one).toMatchObject({ target, state: 'worse', cause: { says: expect.stringMatching(/leads back to .* before the delete/) } });
    // All that was acknowledged before is gone everywhere; what was written after it was made again is there.
    expect(lostCount!).toBeGreaterThan(30);
    expect(lostCount!).toBeLessThan(writes.acknowledged);
    expect(back!.count!).toBeGreaterThan(0);
    expect(back!.count!).toBeLessThan(lostCount!);
    expect(back!.toMs).toBeGreaterThan(one.beganMs - 75_000);
    // Nobody can write to what is gone as a whole until it is made again, a minute later.
    expect(writesPauseMs > 55_000, String(writesPauseMs)).toBe(goes);
    expect(one.rows.filter((row) => !row.ok).map((row) => row.id)).toEqual(['lost']);
  });
});
