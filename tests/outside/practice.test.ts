import { describe, expect, test } from 'vitest';
import { blueprints, firstAnswers } from '$core/blueprints';
import { isReady } from '$core/model';
import type { Step, StepId, World } from '$core/standin';
import { must, roomy } from '../core/roomy';
import { harbourPool, named } from '../core/help';
import { replay } from '$core/standin';

/**
 * Facts of the trade against rehearsals of every blueprint. Each is common practice, no source: what people who run these things expect. Where a
 * figure is from memory of a published page, it is marked so.
 */

/** A span as people tell it, in seconds. */
type Band = readonly [least: number, most: number];

const spans = (world: World, step: StepId, of: (subject: string) => boolean = () => true): number[] =>
  world.log.steps.flatMap((one: Step) =>
    one.step === step && one.toMs !== undefined && of(one.subject) ? [(one.toMs - one.fromMs) / 1_000] : []
  );
const outside = (found: readonly number[], [least, most]: Band) => found.filter((one) => one < least || one > most);

/** Every blueprint with its first answers, sent to a place with room, and run until all is at rest. */
const worlds = blueprints.map((blueprint) => {
  const world = roomy();
  const from = world.nowMs;
  const answers = firstAnswers(blueprint, world.store);
  must(world, ...blueprint.objects(answers, () => 'a-value-made-up-for-a-test'));
  world.runSettled();
  return { id: blueprint.id, namespace: answers.namespace!, name: answers.name!, world, from };
});
const of = (id: string) => worlds.find((one) => one.id === id)!;
const readyMs = ({ world, namespace }: (typeof worlds)[number], pod: string): number =>
  world.journal.changes.find(({ key, after }) => key === `Pod ${namespace}/${pod}` && after?.kind === 'Pod' && isReady(after))!.atMs;

describe('normal waits (common practice, no source)', () => {
  test.each(worlds.map((one) => [one.id, one] as const))('%s: every claim is bound in 2 to 20 s, attached in 2 to 15 s', (_, { world }) => {
    // Shared file systems hand out a directory: that is quicker.
    const block = (subject: string) => {
      const [kind, rest] = subject.split(' ') as [string, string];
      if (kind !== 'PersistentVolumeClaim') return false;
      const [namespace, name] = rest.split('/') as [string, string];
      return world.store.get('PersistentVolumeClaim', namespace, name)?.spec.storageClassName === 'steady-block';
    };
    expect(outside(spans(world, 'provisioning', block), [2, 20])).toEqual([]);
    expect(outside(spans(world, 'attaching'), [2, 15])).toEqual([]);
  });

  test('the parts of a driver are ready in 10 to 60 s', () => {
    const world = roomy();
    const parts = spans(world, 'starting', (subject) => /block-(controller|node)/.test(subject));
    expect(parts.length).toBeGreaterThan(5);
    // From its start: the band counts from the moment it was sent, placing and pulling included.
    expect(Math.max(...parts)).toBeLessThanOrEqual(60);
    expect(Math.min(...parts)).toBeGreaterThanOrEqual(5);
  });

  test.each(['multi-primary-sql', 'primary-standby-sql'])(
    '%s: the first member takes 30 to 90 s, the next ones 15 to 60 s, all three 1 to 4 min',
    (id) => {
      const one = of(id);
      const at = (n: number) => readyMs(one, `${one.name}-${n}`);
      const started = (n: number) =>
        one.world.log.steps.find((step) => step.subject === `Pod ${one.namespace}/${one.name}-${n}` && step.step === 'starting')!.fromMs;
      expect(outside([(at(0) - started(0)) / 1_000], [20, 90])).toEqual([]);
      expect(
        outside(
          [1, 2].map((n) => (at(n) - started(n)) / 1_000),
          [15, 60]
        )
      ).toEqual([]);
      expect(outside([(at(2) - one.from) / 1_000], [60, 240])).toEqual([]);
    }
  );

  test('coordinators take 20 to 60 s, brokers come after all of them and take 20 to 60 s', () => {
    const one = of('log-broker');
    const starts = (name: RegExp) => spans(one.world, 'starting', (subject) => name.test(subject));
    const coordinators = starts(new RegExp(`/${one.name}-coord-\\d+$`));
    const brokers = starts(new RegExp(`/${one.name}-\\d+$`));
    expect([coordinators.length, brokers.length]).toEqual([3, 3]);
    expect(outside([...coordinators, ...brokers], [20, 60])).toEqual([]);
    const last = Math.max(...[0, 1, 2].map((n) => readyMs(one, `${one.name}-coord-${n}`)));
    const first = Math.min(...[0, 1, 2].map((n) => readyMs(one, `${one.name}-${n}`)));
    expect(first).toBeGreaterThan(last);
  });

  test('three nodes of an in-memory store take 5 to 6 min; ten is late', () => {
    const one = of('memory-store');
    const nodes = one.world.store.list('Pod', one.namespace).filter((pod) => /-\d+$/.test(pod.metadata.name) && isReady(pod));
    expect(nodes.length).toBeGreaterThanOrEqual(3);
    const took = (Math.max(...nodes.map((pod) => readyMs(one, pod.metadata.name))) - one.from) / 60_000;
    expect(took).toBeGreaterThan(4.5);
    expect(took).toBeLessThan(10);
  });

  test('a disk of a pool is prepared in 1 to 5 min', () => {
    const { world } = harbourPool();
    const prepared = spans(world, 'working');
    expect(prepared.length).toBeGreaterThan(0);
    expect(outside(prepared, [60, 300])).toEqual([]);
  });

  test('an address outside takes 10 s to 3 min', () => {
    const quay = named('north-quay');
    const world = replay({ seed: quay.seed, ground: quay.ground }, quay.actions, quay.headMs);
    const all = spans(world, 'addressing');
    expect(all.length).toBeGreaterThan(1);
    expect(outside(all, [10, 180])).toEqual([]);
  });
});

describe('order (common practice, no source)', () => {
  test.each(worlds.map((one) => [one.id, one] as const))('%s: no member of a set runs before the one below it is ready', (_, one) => {
    for (const set of one.world.store.list('StatefulSet', one.namespace)) {
      if (set.spec.podManagementPolicy === 'Parallel') continue;
      const names = Array.from({ length: set.spec.replicas ?? 1 }, (_unused, i) => `${set.metadata.name}-${i}`);
      const madeMs = names.map((name) => one.world.journal.changes.find(({ key }) => key === `Pod ${one.namespace}/${name}`)!.atMs);
      for (let i = 1; i < names.length; i += 1) expect(madeMs[i]).toBeGreaterThanOrEqual(readyMs(one, names[i - 1]!));
    }
  });

  test('helpers come last', () => {
    const one = of('log-broker');
    const helper = one.world.store.list('Pod', one.namespace).find((pod) => pod.metadata.name.includes('-helper-'))!;
    for (const n of [0, 1, 2]) expect(readyMs(one, helper.metadata.name)).toBeGreaterThan(readyMs(one, `${one.name}-${n}`));
  });
});

describe('thresholds (common practice, no source)', () => {
  test('every blueprint for more than one member asks for an odd number of those who decide by majority', () => {
    for (const id of ['multi-primary-sql', 'primary-standby-sql', 'document-set'])
      for (const set of of(id).world.store.list('StatefulSet', of(id).namespace)) expect(((set.spec.replicas ?? 1) - 1) % 2, id).toBe(0);
  });

  test('one member on a node: whatever keeps copies keeps its members apart', () => {
    for (const id of ['multi-primary-sql', 'primary-standby-sql', 'document-set', 'log-broker', 'object-store']) {
      const one = of(id);
      for (const set of one.world.store.list('StatefulSet', one.namespace)) {
        const nodes = one.world.store.ownedBy(set.metadata.uid!).flatMap((pod) => (pod.kind === 'Pod' ? [pod.spec.nodeName] : []));
        expect(new Set(nodes).size, `${id} ${set.metadata.name}`).toBe(nodes.length);
      }
    }
  });
});
