/* Versions rolled out under load: by the set's own strategy, held back by it, and taken back when they never start. */
import { expect, test } from 'vitest';
import { offers, type FaultId } from '$core/drills';
import { asManifest } from '$core/manifest';
import type { StatefulSet } from '$core/model';
import type { World } from '$core/standin';
import { must } from '../roomy';
import { standing } from './help';

const setOf = (world: World): StatefulSet => world.store.get('StatefulSet', 'space', 'one')!;
const strategy = (updateStrategy: StatefulSet['spec']['updateStrategy']) => (world: World) =>
  must(world, asManifest({ ...setOf(world), spec: { ...setOf(world).spec, updateStrategy } }));

const older = (world: World) => {
  // A cluster that both versions fit, and members of the older one.
  world.put({ ...world.store.list('Ground')[0]!, spec: { ...world.store.list('Ground')[0]!.spec, version: '1.29' } });
  must(
    world,
    JSON.parse(JSON.stringify(asManifest(setOf(world))).replaceAll('multi-primary-sql:r4', 'multi-primary-sql:r3')) as StatefulSet
  );
};

test('all members are started anew in turn, a majority always stays, and the newest version that fits is what they run then', () => {
  const { world, drill } = standing('multi-primary-sql', {}, older);
  expect(world.store.list('Pod', 'space').map((one) => one.spec.containers[0]!.image.split(':')[1])).toEqual(['r3', 'r3', 'r3']);
  const got = drill('version-rolled');
  expect(got).toMatchObject({ state: 'expected', target: 'one, r3 to r4', measured: { lostCount: 0 } });
  expect(got.says).toMatch(/^one, r3 to r4, started anew in turn: /);
  expect(got.notes[0]).toMatch(/^one was started anew after \d min/);
  // From the highest ordinal down, one at a time (the cluster API's "StatefulSets", rolling updates).
  const away = ['one-2', 'one-1', 'one-0'].map((name) =>
    got.lanes.find((one) => one.name === name)!.stretches.filter((two) => two.state !== 'ready')
  );
  const spans = away.map((list) => [list[0]!.fromMs, list.at(-1)!.toMs] as const);
  expect(spans[0]![1]).toBeLessThanOrEqual(spans[1]![0] + 1_000);
  expect(spans[1]![1]).toBeLessThanOrEqual(spans[2]![0] + 1_000);
  expect(JSON.stringify(got.begin)).toContain('multi-primary-sql:r4');
});

test('it is started anew once more where a drill was gone on from; a partition that reaches the highest member lets a wrong version in', () => {
  const { world, drill, scene } = standing('document-set');
  const once = drill('version-rolled');
  for (const action of once.begin) expect(world.act(action)).toEqual([]);
  world.runSettled();
  expect(Number(/after (\d+) min/.exec(drill('version-rolled').notes[0]!)?.[1])).toBeGreaterThanOrEqual(1);
  strategy({ type: 'RollingUpdate', rollingUpdate: { partition: 2 } })(world);
  world.runSettled();
  expect(offers(scene()).find((one) => one.fault === 'version-wrong')).toMatchObject({ target: 'one-2' });
});

test('what the strategy of a set holds back is said, and comes out worse', () => {
  const byHand = standing('document-set', {}, strategy({ type: 'OnDelete' })).drill('version-rolled');
  expect([byHand.state, byHand.notes[0]]).toEqual([
    'worse',
    'one could not be started anew within 20 min: one-0 still is the one before: the set waits until somebody takes it away (OnDelete).'
  ]);
  expect(byHand.says).toContain('1 set could not be started anew');
  const part = standing('document-set', {}, strategy({ type: 'RollingUpdate', rollingUpdate: { partition: 2 } })).drill('version-rolled');
  expect(part.notes[0]).toContain('one-0 still is the one before: the partition keeps members below 2 as they are');
});

test('a version that no node has keeps one member away until it is taken back and that member by hand; nothing is lost', () => {
  const { world, drill } = standing('document-set');
  const before = setOf(world).spec;
  const got = drill('version-wrong');
  expect(got).toMatchObject({ state: 'expected', target: 'one-2', measured: { lostCount: 0, writesPauseMs: 0 } });
  const lane = got.lanes.find((one) => one.name === 'one-2')!.stretches;
  const gone = lane.filter((one) => one.state !== 'ready').reduce((sum, one) => sum + one.toMs - one.fromMs, 0);
  // Three minutes of the wrong version, and the start after it.
  expect(gone).toBeGreaterThan(180_000);
  expect(lane.at(-1)!.state).toBe('ready');
  expect(got.lanes.filter((one) => one.name !== 'one-2').every((one) => one.stretches.every((two) => two.state === 'ready'))).toBe(true);
  expect(setOf(world).spec).toBe(before);
  // All of it ships with the stand-in.
  expect(got.supposed).toBeUndefined();
  // One member of one: nobody is left to write to, and that is arithmetic.
  const alone = standing('primary-standby-sql', { members: '1', synchronous: '0' }).drill('version-wrong');
  expect([alone.derived.goesOn, alone.measured.writesPauseMs > 180_000]).toEqual([false, true]);
});

test('parts are rolled out in the order in which they start', () => {
  const { scene } = standing('log-broker');
  const offer = offers(scene()).find((one) => one.fault === 'version-rolled');
  expect(offer?.target).toBe('one-coord, one');
});

test('sets of an operator, and members that belong to no set, are not rolled out by hand', () => {
  const not = (id: string, fault: string) => offers(standing(id).scene()).find((one) => one.fault === fault);
  expect(not('memory-store', 'version-rolled')).toMatchObject({ not: 'one is kept by its operator, which would take a change of it back' });
  const waits = standing('document-set', {}, strategy({ type: 'OnDelete' })).scene();
  expect(offers(waits).find((one) => one.fault === 'version-wrong')).toMatchObject({
    not: 'nothing is rolled out by itself: the set waits until somebody takes it away (OnDelete)'
  });
  for (const fault of ['version-rolled', 'version-wrong'])
    expect(not('image-shelf', fault)).toMatchObject({ not: 'its members belong to no stateful set' });
});

test('a cluster is raised node by node; what does not fit its next version ends as it starts, and the budget keeps the others', () => {
  const { world, drill } = standing('multi-primary-sql');
  const well = drill('cluster-raised', { pace: { calmMs: 10_000 } });
  expect(well).toMatchObject({ state: 'expected', target: '1.32 to 1.33, 3 nodes in turn', measured: { lostCount: 0 } });
  expect(well.notes).toEqual(Array.from({ length: 3 }, () => expect.stringMatching(/^w-.-\d was raised after \d+ s\.$/)));
  expect(world.store.list('Ground')[0]!.spec.version).toBe('1.32');
  const soon = { pace: { calmMs: 10_000, mostAfterMs: 30_000, everyMs: 2_000 } };
  const got = standing('multi-primary-sql', {}, older).drill('cluster-raised', soon);
  expect(got).toMatchObject({
    state: 'worse',
    measured: { lostCount: 0 },
    cause: { says: expect.stringContaining('fits clusters from 1.20 to 1.29; this one is 1.30') }
  });
  expect(JSON.stringify(got.cause!.manifests)).toContain('multi-primary-sql:r4');
  // The first member is away for good, so two of three stand, and nobody may empty the nodes of the others.
  expect(got.notes.filter((one) => /could not be emptied .* the budget one lets nobody go/.test(one)).length).toBe(2);
});

test.each([
  ['driver-rolled', 'multi-primary-sql', /^block\.standin\.example, then one-\d$/, /^block-(node|collector|controller) was there anew/, 4],
  ['operator-rolled', 'memory-store', /^memory-operator, then one-\d$/, /^memory-operator was there anew/, 2]
] as const)('%s: every part is started anew in turn, and then serves a member that is made anew', (fault, engine, target, note, stages) => {
  const { drill } = standing(engine);
  const got = drill(fault as FaultId, { pace: { calmMs: 10_000 } });
  expect(got).toMatchObject({ state: 'expected', target: expect.stringMatching(target), measured: { lostCount: 0 }, others: [] });
  expect(got.notes.length).toBe(stages);
  expect(got.notes[0]).toMatch(note);
  expect(got.notes.at(-1)).toMatch(/^one-\d was there anew after/);
  // Parts of a driver and operators carry no data: members hold while these are away, until one is taken.
  const away = got.lanes.filter((lane) => lane.stretches.some((one) => one.state !== 'ready')).map((one) => one.name);
  expect(away).toEqual([/then (\S+)$/.exec(got.target)![1]]);
});

test('a part of a driver that is not started anew by itself is said, and the newest version that fits is what it gets', () => {
  const { drill } = standing('multi-primary-sql', {}, (world) => {
    const set = world.store.list('DaemonSet').find((one) => one.metadata.name === 'block-node')!;
    must(world, asManifest({ ...set, spec: { ...set.spec, updateStrategy: { type: 'OnDelete' } } }));
    const [controller] = world.store.list('Deployment').filter((one) => one.metadata.name === 'block-controller');
    must(world, JSON.parse(JSON.stringify(asManifest(controller!)).replaceAll(':r3', ':r3.1')) as StatefulSet);
  });
  const got = drill('driver-rolled', { pace: { calmMs: 10_000, mostAfterMs: 30_000, everyMs: 2_000 } });
  expect(got.state).toBe('worse');
  expect(got.notes[0]).toMatch(
    /^block-node did not come up within .*: block-node-\w+ still is the one before: it waits until somebody takes it away \(OnDelete\)\.$/
  );
  // A patch that is newer than the version it belongs to stays.
  expect(got.target).toMatch(/^block\.standin\.example, then/);
});
