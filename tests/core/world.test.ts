import { deserialize, serialize } from 'node:v8';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { askOf, ordinalIn, roomOf, takesRoom } from '$core/model';
import { bytesOf, stableJson } from '$core/shared';
import { assetOf, replay, Schedule, storeHolds, View, World, type Snapshot, type TimedAction } from '$core/standin';
import { driver, objects, ref, smallSet, southOrigin } from './help';

/** What somebody might do, in any order and at any time. */
const step = fc.oneof(
  fc.record({ kind: fc.constant('driver' as const) }),
  fc.record({ kind: fc.constant('set' as const), name: fc.constantFrom('one', 'two'), replicas: fc.integer({ min: 0, max: 4 }) }),
  fc.record({ kind: fc.constant('take' as const), name: fc.constantFrom('bookings-0', 'bookings-1', 'one-0', 'one-1', 'two-0') }),
  fc.record({ kind: fc.constant('registry' as const), reachable: fc.boolean() }),
  fc.record({ kind: fc.constant('close' as const), node: fc.constantFrom('node-a1', 'node-b1'), closed: fc.boolean() }),
  fc.record({ kind: fc.constant('drop' as const), set: fc.constantFrom('one', 'two') }),
  fc.record({
    kind: fc.constant('grow' as const),
    claim: fc.constantFrom('data-one-0', 'data-two-0'),
    gib: fc.integer({ min: 11, max: 900 })
  }),
  fc.record({
    kind: fc.constant('snapshot' as const),
    claim: fc.constantFrom('data-one-0', 'data-two-0'),
    name: fc.constantFrom('s', 't')
  }),
  fc.record({ kind: fc.constant('write' as const), pod: fc.constantFrom('one-0', 'two-0'), value: fc.string({ maxLength: 5 }) }),
  fc.record({ kind: fc.constant('unclaim' as const), claim: fc.constantFrom('data-one-0', 'data-one-1', 'data-two-0') })
);
type Step = typeof step extends fc.Arbitrary<infer T> ? T : never;
const story = fc.array(fc.record({ step, afterMs: fc.integer({ min: 1, max: 60_000 }) }), { minLength: 1, maxLength: 9 });

function act(world: World, one: Step): TimedAction['action'] | undefined {
  switch (one.kind) {
    case 'driver':
      return { type: 'send', objects: driver() };
    case 'set':
      return { type: 'send', objects: objects(smallSet({ name: one.name, set: `replicas: ${one.replicas}` })) };
    case 'registry':
      return {
        type: 'send',
        objects: objects(
          `apiVersion: standin.example/v1\nkind: Registry\nmetadata: {name: shelf}\nspec: {host: shelf.standin.example, reachable: ${one.reachable}}`
        )
      };
    case 'close': {
      const node = world.store.get('Node', '', one.node)!;
      return { type: 'send', objects: [{ ...node, spec: { ...node.spec, unschedulable: one.closed } }] };
    }
    case 'take': {
      const namespace = one.name.startsWith('bookings') ? 'tickets' : 'default';
      return world.store.get('Pod', namespace, one.name) ? { type: 'remove', ref: ref('Pod', namespace, one.name) } : undefined;
    }
    case 'grow': {
      const claim = world.store.get('PersistentVolumeClaim', 'default', one.claim);
      if (!claim) return undefined;
      return { type: 'send', objects: [{ ...claim, spec: { ...claim.spec, resources: { requests: { storage: `${one.gib}Gi` } } } }] };
    }
    case 'snapshot':
      return {
        type: 'send',
        objects: objects(
          `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: k, annotations: {snapshot.storage.kubernetes.io/is-default-class: "true"}}\ndriver: block.standin.example\ndeletionPolicy: Delete\n---\napiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: ${one.name}, namespace: default}\nspec: {source: {persistentVolumeClaimName: ${one.claim}}}`
        )
      };
    case 'write':
      return { type: 'write', namespace: 'default', pod: one.pod, key: 'k', value: one.value };
    case 'unclaim':
      return world.store.get('PersistentVolumeClaim', 'default', one.claim)
        ? { type: 'remove', ref: ref('PersistentVolumeClaim', 'default', one.claim) }
        : undefined;
    case 'drop':
      return world.store.get('StatefulSet', 'default', one.set)
        ? { type: 'remove', ref: ref('StatefulSet', 'default', one.set) }
        : undefined;
  }
}

/** Lives a story on south-quay; gives the world and the actions that were taken. */
function live(
  steps: readonly { step: Step; afterMs: number }[],
  each: (world: World) => void = () => {}
): { world: World; actions: TimedAction[] } {
  const origin = southOrigin();
  const actions = [...origin.actions];
  const world = replay(origin, actions, 5_000);
  for (const { step: one, afterMs } of steps) {
    world.runUntil(world.nowMs + afterMs);
    each(world);
    const action = act(world, one);
    if (!action || world.act(action).length) continue;
    actions.push({ atMs: world.nowMs, action });
  }
  world.runSettled();
  each(world);
  return { world, actions };
}

const trace = (world: World): string[] =>
  world.journal.changes.map(({ atMs, key, after }) => `${atMs} ${key} ${stableJson(after ?? null)}`);

/** What must hold at every moment, whatever anybody does. */
function lawful(world: World): void {
  const { store } = world;
  const pods = store.list('Pod').filter(takesRoom);
  for (const node of store.list('Node')) {
    const mine = pods.filter((pod) => pod.spec.nodeName === node.metadata.name);
    const sum = mine.reduce((all, pod) => ({ cpu: all.cpu + askOf(pod.spec).milliCpu, memory: all.memory + askOf(pod.spec).memoryBytes }), {
      cpu: 0,
      memory: 0
    });
    expect(sum.cpu).toBeLessThanOrEqual(roomOf(node).milliCpu);
    expect(store.useOf(node.metadata.name)).toMatchObject({ milliCpu: sum.cpu, memoryBytes: sum.memory, pods: mine.length });
  }
  for (const asset of store.list('Asset')) {
    expect(asset.status!.attachedTo.length).toBeLessThanOrEqual(1);
    if (asset.status!.store) expect(storeHolds(asset.status!.store)).toBe(true);
  }
  for (const backend of store.list('Backend')) {
    for (const zone of backend.spec.zones) {
      const sum = store
        .list('Asset')
        .filter((one) => one.spec.zone === zone.name && !one.spec.snapshotOf)
        .reduce((all, one) => all + bytesOf(one.spec.size), 0);
      expect(store.usedOf(backend.metadata.name).get(zone.name)?.sizeBytes ?? 0).toBe(sum);
      expect(sum).toBeLessThanOrEqual(bytesOf(zone.capacity));
    }
  }
  const addresses = pods.flatMap((pod) => pod.status?.podIP ?? []);
  expect(new Set(addresses).size).toBe(addresses.length);
  for (const set of store.list('StatefulSet')) {
    for (const pod of pods.filter((one) => one.metadata.ownerReferences?.[0]?.uid === set.metadata.uid)) {
      expect(ordinalIn(set, pod.metadata.name)).toBeDefined();
      // A running member stands on its volume's node, and its data is its own.
      const asset = pod.status?.phase === 'Running' ? assetOf(store, pod) : undefined;
      const founder = `main/${set.metadata.name}-0-0`;
      if (asset?.status?.store) expect(asset.status.store.rows[0]![0]).toBe(founder);
      if (asset) expect(asset.status!.attachedTo).toEqual([pod.spec.nodeName]);
    }
  }
}

describe('a world', () => {
  test('keeps the laws at every moment, whatever is done to it', () => {
    fc.assert(
      fc.property(story, (steps) => {
        live(steps, lawful);
      }),
      { numRuns: 60 }
    );
  });

  test('is the same again from the same actions, and from a snapshot taken anywhere', () => {
    fc.assert(
      fc.property(story, fc.double({ min: 0, max: 1, noNaN: true }), (steps, share) => {
        const { world, actions } = live(steps);
        const origin = southOrigin();
        expect(trace(replay(origin, actions, world.nowMs))).toEqual(trace(world));
        const cutMs = Math.floor(world.nowMs * share);
        const before = actions.filter((one) => one.atMs <= cutMs);
        const half = replay(origin, before, cutMs);
        const saved = deserialize(serialize(half.save())) as Snapshot;
        const restored = World.restore(origin.seed, saved);
        for (const { atMs, action } of actions.slice(before.length)) {
          restored.runUntil(atMs);
          restored.act(action);
        }
        restored.runUntil(world.nowMs);
        expect(trace(restored)).toEqual(trace(world));
      }),
      { numRuns: 25 }
    );
  });

  test('looks, from a view moved there in any order, as it did when it was there', () => {
    fc.assert(
      fc.property(story, fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 2, maxLength: 6 }), (steps, shares) => {
        const { world, actions } = live(steps);
        const view = new View(world.journal);
        for (const share of shares) {
          const atMs = Math.floor(world.nowMs * share);
          const then = replay(
            southOrigin(),
            actions.filter((one) => one.atMs <= atMs),
            atMs
          ).store;
          const seen = view.at(atMs);
          for (const kind of ['Pod', 'PersistentVolumeClaim', 'PersistentVolume', 'StatefulSet', 'Asset', 'Event'] as const) {
            const sorted = (list: readonly unknown[]) => list.map(stableJson).sort();
            expect(sorted(seen.list(kind))).toEqual(sorted(then.list(kind)));
          }
          for (const node of then.list('Node')) {
            expect(seen.useOf(node.metadata.name)).toEqual(then.useOf(node.metadata.name));
            expect(
              seen
                .podsOn(node.metadata.name)
                .map((one) => one.metadata.name)
                .sort()
            ).toEqual(
              then
                .podsOn(node.metadata.name)
                .map((one) => one.metadata.name)
                .sort()
            );
          }
        }
      }),
      { numRuns: 15 }
    );
  });

  test('runs in slices to where it runs in one go', () => {
    const origin = southOrigin();
    const whole = replay(origin, origin.actions, origin.headMs);
    whole.act({ type: 'send', objects: driver() });
    whole.runSettled();
    const sliced = replay(origin, origin.actions, origin.headMs);
    sliced.act({ type: 'send', objects: driver() });
    while (!sliced.runSettled(3));
    expect(trace(sliced)).toEqual(trace(whole));
    expect(sliced.nowMs).toBe(whole.nowMs);
    expect(() => whole.runUntil(0)).toThrow(/forward only/);
  });

  test('other members keep their luck when something is added in a fork', () => {
    const origin = southOrigin();
    const ready = (world: World) =>
      world.store.get('Pod', 'tickets', 'bookings-1')!.status!.conditions!.find((one) => one.type === 'Ready')!.lastTransitionTime;
    const plain = replay(origin, [...origin.actions, { atMs: 250_000, action: { type: 'send', objects: driver() } }], 250_000);
    plain.runSettled();
    const busy = replay(
      origin,
      [
        ...origin.actions,
        {
          atMs: 250_000,
          action: {
            type: 'send',
            objects: [...driver(), ...objects('apiVersion: v1\nkind: ConfigMap\nmetadata: {name: extra, namespace: tickets}')]
          }
        }
      ],
      250_000
    );
    busy.runSettled();
    expect(ready(busy)).toBe(ready(plain));
  });
});

describe('the schedule', () => {
  test("gives calls in the order of time, priority and asking, one per key, and counts what isn't idle", () => {
    const call = fc.record({
      atMs: fc.integer({ min: 0, max: 50 }),
      loop: fc.integer({ min: 0, max: 3 }),
      key: fc.constantFrom('a', 'b', 'c', 'd', 'e'),
      idle: fc.boolean()
    });
    fc.assert(
      fc.property(fc.array(call, { maxLength: 60 }), (calls) => {
        const schedule = new Schedule(4);
        const model = new Map<string, { atMs: number; loop: number; idle: boolean }>();
        for (const { atMs, loop, key, idle } of calls) {
          schedule.add(atMs, loop, key, idle);
          const known = model.get(`${loop}${key}`);
          model.set(`${loop}${key}`, { atMs: Math.min(atMs, known?.atMs ?? atMs), loop, idle: idle && (known?.idle ?? true) });
        }
        expect(schedule.busy).toBe([...model.values()].filter((one) => !one.idle).length);
        const saved = new Schedule(4);
        saved.load(schedule.save());
        const taken: string[] = [];
        let last = { atMs: -1, loop: -1 };
        for (let due = schedule.next(); due; due = schedule.next()) {
          expect(due.atMs > last.atMs || (due.atMs === last.atMs && due.loop >= last.loop)).toBe(true);
          expect(model.get(`${due.loop}${due.key}`)).toEqual({ atMs: due.atMs, loop: due.loop, idle: due.idle });
          expect(saved.next()).toEqual(due);
          last = due;
          taken.push(`${due.loop}${due.key}`);
        }
        expect(taken.sort()).toEqual([...model.keys()].sort());
        expect(schedule.busy).toBe(0);
      })
    );
  });
});
