import fc from 'fast-check';
import { expect, test } from 'vitest';
import { isReady, type ApiObject } from '$core/model';
import type { World } from '$core/standin';
import { deployment, image, podsLike, ready, send, set } from './help';

const job = (spec: string) =>
  `apiVersion: batch/v1\nkind: Job\nmetadata: {name: j, namespace: space}\nspec:\n  ${spec}\n  template: {metadata: {labels: {app: j}}, spec: {restartPolicy: Never, containers: [{name: main, image: ${image}}]}}\n---\n`;
const daemons = (mark: string, strategy: string) =>
  `apiVersion: apps/v1\nkind: DaemonSet\nmetadata: {name: e, namespace: space}\nspec:\n  updateStrategy: {${strategy}}\n  selector: {matchLabels: {app: e}}\n  template: {metadata: {labels: {app: e}, annotations: {mark: ${mark}}}, spec: {containers: [{name: main, image: ${image}}]}}\n---\n`;

/** What has to be so of every status at every moment between two calls of its loop. */
function addsUp(world: World): void {
  const figures = (object: ApiObject | undefined) => (object as { status?: Record<string, number> } | undefined)?.status;
  const s = figures(world.store.get('StatefulSet', 'space', 's'));
  if (s) {
    const { replicas, readyReplicas, availableReplicas, updatedReplicas, currentReplicas } = s as Record<string, number>;
    expect([
      readyReplicas! <= replicas!,
      availableReplicas! <= readyReplicas!,
      updatedReplicas! <= replicas!,
      currentReplicas! <= replicas!
    ]).toEqual(Array(4).fill(true));
  }
  const d = figures(world.store.get('Deployment', 'space', 'd'));
  if (d) {
    const { replicas, readyReplicas, availableReplicas, unavailableReplicas, updatedReplicas } = d as Record<string, number>;
    expect([readyReplicas! <= replicas!, availableReplicas! <= readyReplicas!, updatedReplicas! <= replicas!]).toEqual(Array(3).fill(true));
    expect(availableReplicas! + unavailableReplicas!).toBeGreaterThanOrEqual(replicas!);
  }
  const e = figures(world.store.get('DaemonSet', 'space', 'e'));
  if (e) {
    expect(e.numberAvailable! + (e.numberUnavailable ?? 0)).toBe(Math.max(e.desiredNumberScheduled!, e.numberAvailable!));
    expect([e.numberReady! <= e.currentNumberScheduled!, e.updatedNumberScheduled! <= e.currentNumberScheduled!]).toEqual([true, true]);
  }
}

test('whatever is sent and taken away: figures add up all along, all comes to rest, and then says what stands', () => {
  const size = fc.integer({ min: 0, max: 4 });
  const mark = fc.constantFrom('one', 'two');
  const step = fc.oneof(
    fc
      .record({ policy: fc.constantFrom('Parallel', 'OrderedReady'), n: size, mark, part: fc.integer({ min: 0, max: 3 }) })
      .map(({ n, mark: m, part }) =>
        set(`updateStrategy: {rollingUpdate: {partition: ${part}}}`, m).replace('replicas: 3', `replicas: ${n}`)
      ),
    fc
      .record({ n: size, mark, paused: fc.boolean(), wait: fc.constantFrom(0, 45), recreate: fc.boolean() })
      .map(({ n, mark: m, paused, wait, recreate }) =>
        deployment(
          `replicas: ${n}\n  paused: ${paused}\n  minReadySeconds: ${wait}${recreate ? '\n  strategy: {type: Recreate}' : ''}`,
          '',
          m
        )
      ),
    fc
      .record({ mark, hand: fc.boolean() })
      .map(({ mark: m, hand }) => daemons(m, hand ? 'type: OnDelete' : 'type: RollingUpdate, rollingUpdate: {maxUnavailable: 2}')),
    fc
      .record({ side: size, limit: fc.constantFrom(20, 4_000), rest: fc.boolean() })
      .map(({ side, limit, rest }) => job(`parallelism: ${side}\n  completions: 2\n  activeDeadlineSeconds: ${limit}\n  suspend: ${rest}`)),
    fc.record({ nth: fc.nat(20) })
  );
  fc.assert(
    fc.property(fc.array(fc.tuple(step, fc.integer({ min: 1, max: 90 })), { minLength: 2, maxLength: 7 }), (steps) => {
      const world = ready();
      for (const [what, seconds] of steps) {
        // A job's own completions can't change; then nothing is sent.
        if (typeof what === 'string') {
          if (!world.store.get('Job', 'space', 'j') || !what.includes('kind: Job')) send(world, what);
        } else {
          const pods = world.store.list('Pod', 'space');
          const one = pods[what.nth % Math.max(1, pods.length)];
          if (one) world.act({ type: 'remove', ref: { kind: 'Pod', namespace: 'space', name: one.metadata.name } });
        }
        for (let i = 0; i < 6; i += 1) {
          world.runUntil(world.nowMs + (seconds * 1_000) / 6);
          addsUp(world);
        }
      }
      world.runSettled();
      world.runUntil(world.nowMs + 120_000);
      world.runSettled();
      expect(world.settled).toBe(true);
      addsUp(world);
      for (const [kind, name, app] of [
        ['StatefulSet', 's', 's'],
        ['Deployment', 'd', 'd']
      ] as const) {
        const object = world.store.get(kind, 'space', name);
        if (!object) continue;
        const living = podsLike(world, app).filter((one) => !one.metadata.deletionTimestamp);
        expect([object.status!.replicas, object.status!.readyReplicas]).toEqual([living.length, living.filter(isReady).length]);
      }
    }),
    { numRuns: Math.ceil(Number(process.env.REST_RUNS ?? 300) / 5) }
  );
}, 240_000);
