import fc from 'fast-check';
import { expect, test } from 'vitest';
import { readManifests } from '$core/manifest';
import { refOf, type ApiObject, type Ref } from '$core/model';
import { World, type Snapshot } from '$core/standin';
import { bent, claim, seeds, set } from './odd';
import { roomy } from './roomy';

/**
 * Everything comes to rest: whatever admission takes, alone or in pairs, and whatever of it is taken away again, the world settles or
 * only looks again after waits; no loop fails. (An invariant of this program; no outside source.)
 */
const deeds = fc.array(
  fc.record({ which: fc.nat(1), what: fc.constantFrom('remove', 'keep', 'last', 'force', 'again', 'write', 'ahead'), ms: fc.nat(90_000) }),
  {
    maxLength: 3
  }
);

const least = 0.25;
const runs = Number(process.env.REST_RUNS ?? 500);

test('everything comes to rest: whatever is taken, alone or in pairs, and taken away again', () => {
  const base = roomy({ nodes: 1 });
  const [ground] = base.store.list('Ground');
  base.put({ ...ground!, spec: { ...ground!.spec, featureGates: ['MaxUnavailableStatefulSet', 'VolumeAttributesClass'] } });
  const saved = structuredClone(base.save()) as Snapshot;
  let taken = 0;
  let asked = 0;
  let calls = 0;
  const batch = fc.tuple(fc.array(bent, { minLength: 1, maxLength: 2 }), deeds);
  fc.assert(
    fc.property(batch, ([values, done]) => {
      asked += 1;
      const world = World.restore(5, saved);
      const before = world.calls;
      const kept: ApiObject[] = [];
      for (const value of values) {
        const { objects, problems } = readManifests(JSON.stringify(value));
        if (problems.length) continue;
        const list = objects.map((one) => one.object);
        if (!world.act({ type: 'send', objects: list }).length) kept.push(...list);
      }
      if (!kept.length) return;
      taken += 1;
      const end = world.nowMs + 4 * 3_600_000;
      for (const { which, what, ms } of done) {
        const object = kept[which % kept.length]!;
        const ref: Ref = refOf(object);
        world.runUntil(world.nowMs + ms, 20_000);
        if (what === 'remove' || what === 'keep' || what === 'last')
          world.act({ type: 'remove', ref, keepMembers: what === 'keep', foreground: what === 'last' });
        else if (what === 'force')
          for (const one of world.store.list('Pod', 'default')) world.act({ type: 'remove', ref: refOf(one), force: true });
        else if (what === 'again') world.act({ type: 'send', objects: [object] });
        else if (what === 'write' && object.kind === 'Pod')
          world.act({ type: 'write', namespace: ref.namespace, pod: ref.name, key: 'a', value: 'b' });
      }
      while (!world.settled && world.nowMs < end && world.calls - before < 60_000) world.runSettled(5_000, end);
      const failed = world.store.list('Event').filter((one) => one.reason === 'ControlLoopFailed');
      expect(failed.map((one) => one.message)).toEqual([]);
      expect(world.calls - before).toBeLessThan(60_000);
      if (asked <= 300) calls += world.calls - before;
    }),
    { numRuns: runs, seed: 13 }
  );
  expect(taken / asked).toBeGreaterThan(least);
  // Nobody is woken for nothing: so many calls of loops the first three hundred take. Fewer are welcome, and are written down here.
  if (runs >= 300) expect(calls).toBe(3_952);
});

test("what somebody else's finalizer holds rests until it is taken off: nothing is written again and again", () => {
  for (const nth of [0, 1, 2]) {
    const world = roomy({ nodes: 1 });
    const held = structuredClone(seeds[nth]!);
    set(held, 'metadata.finalizers', ['example.com/mine']);
    const { object } = readManifests(JSON.stringify(held)).objects[0]!;
    expect(world.act({ type: 'send', objects: [object] })).toEqual([]);
    world.runSettled();
    world.act({ type: 'remove', ref: refOf(object) });
    world.runUntil(world.nowMs + 120_000);
    const count = world.journal.changes.length;
    world.runUntil(world.nowMs + 3_600_000);
    expect(world.journal.changes.length - count, object.kind).toBeLessThan(30);
    if (nth < 2) expect(world.store.find(refOf(object))?.metadata.finalizers, object.kind).toEqual(['example.com/mine']);
  }
});

test('a loop that stumbles over an object takes nothing else along: an event says so, it is tried again, and taking the object away ends it', () => {
  const world = roomy({ nodes: 1 });
  const broken = { apiVersion: 'apps/v1', kind: 'StatefulSet', metadata: { name: 'broken', namespace: 'default' }, spec: {} };
  world.put(broken as unknown as ApiObject);
  const { objects } = readManifests(JSON.stringify(seeds[3]));
  expect(world.act({ type: 'send', objects: objects.map((one) => one.object) })).toEqual([]);
  world.runSettled();
  expect(world.store.get('StatefulSet', 'default', 'one')?.status?.readyReplicas).toBe(2);
  const said = () =>
    world.store
      .list('Event', 'default')
      .filter((one) => one.reason === 'ControlLoopFailed')
      .sort((a, b) => b.count! - a.count!);
  expect(said().some((one) => one.involvedObject.name === 'broken' && one.message?.includes('"sets"'))).toBe(true);
  world.runUntil(world.nowMs + 3_600_000);
  const tries = said()[0]!.count!;
  // 1 s, 2 s, 4 s ... up to 5 min: some twenty tries in an hour.
  expect(tries).toBeGreaterThan(12);
  expect(tries).toBeLessThan(30);
  const again = World.restore(5, structuredClone(world.save()) as Snapshot);
  const later = world.nowMs + 600_000;
  for (const one of [world, again]) one.runUntil(later);
  expect(again.journal.changes.length).toBe(world.journal.changes.length);
  world.drop({ kind: 'StatefulSet', namespace: 'default', name: 'broken' });
  world.runUntil(world.nowMs + 3_600_000);
  expect(said()[0]!.count).toBeLessThan(tries + 5);
});

test('what is more than this program can bear is refused with the limit, and not counted through', () => {
  const set = (replicas: number) => ({ ...seeds[3]!, spec: { ...(seeds[3]!.spec as object), replicas } });
  const read = (value: unknown) => readManifests(JSON.stringify(value)).problems.map((one) => one.message);
  expect(read(set(5_000))).toEqual([]);
  expect(read(set(1_000_000_000))).toEqual([
    'A number of members of 1,000,000,000 is more than this program can bear; 5,000 is its limit.'
  ]);
  const claimed = { ...seeds[0]!, spec: { ...claim, resources: { requests: { storage: '2Ei' } } } };
  expect(read(claimed)).toEqual([expect.stringContaining('is its limit')]);
  const node = { apiVersion: 'v1', kind: 'Node', metadata: { name: 'odd' }, spec: { podCIDR: '10.0.0' } };
  expect(read(node)).toEqual([expect.stringContaining('must be an IPv4 range')]);
});
