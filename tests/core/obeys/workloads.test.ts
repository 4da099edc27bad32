/* Sets, deployments, daemon sets and jobs, tried by behaviour. Sources: "StatefulSets", "Deployments", "DaemonSet", "Jobs", the reference of each. */
import { describe, expect, test } from 'vitest';
import { conditionOf } from '$core/model';
import { deployment, get, image, markOf, nodeOf, podsLike, ready, readyOnes, remove, send, set } from './help';

describe('stateful sets', () => {
  const marks = (world: ReturnType<typeof ready>) => [0, 1, 2].map((n) => markOf(get(world, 'Pod', `s-${n}`)));

  test('members below the partition come back as they were, and revisions are kept as objects', () => {
    const world = ready();
    send(world, set());
    world.runSettled();
    const part = (n: number) => `updateStrategy: {rollingUpdate: {partition: ${n}}}`;
    send(world, set(part(2), 'two'));
    world.runSettled();
    expect(marks(world)).toEqual(['one', 'one', 'two']);
    remove(world, 'Pod', 's-0');
    world.runSettled();
    expect(marks(world)).toEqual(['one', 'one', 'two']);
    const kept = world.store.list('ControllerRevision', 'space');
    expect(kept.map((one) => one.revision)).toEqual([1, 2]);
    const { currentRevision, updateRevision, currentReplicas, updatedReplicas } = get(world, 'StatefulSet', 's')!.status!;
    expect([currentRevision, updateRevision]).toEqual(kept.map((one) => one.metadata.name));
    expect([currentReplicas, updatedReplicas]).toEqual([2, 1]);
    expect(get(world, 'Pod', 's-2')!.metadata.labels!['controller-revision-hash']).toBe(updateRevision);
    send(world, set(part(0), 'two'));
    world.runSettled();
    expect(marks(world)).toEqual(['two', 'two', 'two']);
    // Back to what was: the same revision, as the newest.
    send(world, set(part(0), 'one'));
    world.runSettled();
    expect(
      world.store
        .list('ControllerRevision', 'space')
        .map((one) => one.revision)
        .sort()
    ).toEqual([2, 3]);
  });

  test('a set that works in parallel gets out of a broken template; an ordered one does not', () => {
    for (const [policy, out] of [
      ['Parallel', true],
      ['OrderedReady', false]
    ] as const) {
      const world = ready();
      send(world, set(`podManagementPolicy: ${policy}`, 'one', 'envFrom: [{configMapRef: {name: gone}}]'));
      world.runUntil(world.nowMs + 120_000);
      expect(readyOnes(world, 's')).toBe(0);
      send(world, set(`podManagementPolicy: ${policy}`, 'two'));
      world.runUntil(world.nowMs + 900_000);
      expect(readyOnes(world, 's') === 3, policy).toBe(out);
    }
  });
});

describe('deployments', () => {
  const sets = (world: ReturnType<typeof ready>) =>
    world.store
      .list('ReplicaSet', 'space')
      .map((one) => [one.metadata.annotations?.['deployment.kubernetes.io/revision'], one.spec.replicas, one.status?.readyReplicas])
      .sort();

  test('own replica sets, one for each template; those own the pods, old ones stay as a way back as long as the limit lets them', () => {
    const world = ready();
    const send_ = (mark: string) => {
      send(world, deployment('replicas: 2\n  revisionHistoryLimit: 1', '', mark));
      world.runSettled();
    };
    send_('one');
    const [first] = world.store.list('ReplicaSet', 'space');
    expect(podsLike(world, 'd').map((one) => one.metadata.ownerReferences)).toEqual(
      Array.from({ length: 2 }, () => [
        expect.objectContaining({ kind: 'ReplicaSet', name: first!.metadata.name, uid: first!.metadata.uid, controller: true })
      ])
    );
    expect(first!.metadata.ownerReferences![0]!.name).toBe('d');
    send_('two');
    expect(sets(world)).toEqual([
      ['1', 0, 0],
      ['2', 2, 2]
    ]);
    // Back to what was: its replica set comes back, as the newest.
    send_('one');
    expect(sets(world)).toEqual([
      ['2', 0, 0],
      ['3', 2, 2]
    ]);
    expect(get(world, 'ReplicaSet', first!.metadata.name)!.metadata.uid).toBe(first!.metadata.uid);
    send_('three');
    expect(sets(world)).toEqual([
      ['3', 0, 0],
      ['4', 2, 2]
    ]);
    remove(world, 'Deployment', 'd');
    world.runSettled();
    expect([sets(world), podsLike(world, 'd')]).toEqual([[], []]);
  });

  test('taken away without their members they leave their replica sets, and take them in again', () => {
    const world = ready();
    send(world, deployment('replicas: 2'));
    world.runSettled();
    const names = podsLike(world, 'd').map((one) => one.metadata.name);
    world.act({ type: 'remove', ref: { kind: 'Deployment', namespace: 'space', name: 'd' }, keepMembers: true });
    world.runSettled();
    expect(podsLike(world, 'd').map((one) => one.metadata.name)).toEqual(names);
    send(world, deployment('replicas: 2'));
    world.runSettled();
    expect(podsLike(world, 'd').map((one) => one.metadata.name)).toEqual(names);
    expect(sets(world)).toHaveLength(1);
  });

  test('a rollout within its bounds never has more or fewer pods than they say, and old pods that fail go first', () => {
    const world = ready();
    const bounds = 'replicas: 4\n  strategy: {rollingUpdate: {maxSurge: 1, maxUnavailable: 1}}';
    send(world, deployment(bounds));
    world.runSettled();
    send(world, deployment(bounds, '', 'two'));
    const seen = new Set<string>();
    for (const until = world.nowMs + 120_000; world.nowMs < until; world.runUntil(world.nowMs + 250)) {
      const wanted = world.store.list('ReplicaSet', 'space').reduce((sum, one) => sum + (one.spec.replicas ?? 0), 0);
      expect(wanted).toBeLessThanOrEqual(5);
      expect(readyOnes(world, 'd')).toBeGreaterThanOrEqual(3);
      seen.add(String(wanted));
    }
    expect(seen.has('5')).toBe(true);
    expect(podsLike(world, 'd').map(markOf)).toEqual(['two', 'two', 'two', 'two']);
  });

  test('with Recreate a lost pod is replaced, though it can not be seen to end', () => {
    const world = ready();
    send(world, deployment('replicas: 1\n  strategy: {type: Recreate}'));
    world.runSettled();
    const [first] = podsLike(world, 'd');
    const node = first!.spec.nodeName!;
    send(world, `apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: o}\nspec: {dark: [${node}]}\n`);
    world.runUntil(world.nowMs + 500_000);
    const living = podsLike(world, 'd').filter((one) => !one.metadata.deletionTimestamp);
    expect(living).toHaveLength(1);
    expect(living[0]!.spec.nodeName).not.toBe(node);
  });

  test('one that is paused keeps its template and is scaled; it goes on where it was left', () => {
    const world = ready();
    send(world, deployment('replicas: 2'));
    world.runSettled();
    send(world, deployment('replicas: 3\n  paused: true', '', 'two'));
    world.runSettled();
    expect(podsLike(world, 'd').map(markOf)).toEqual(['one', 'one', 'one']);
    expect(conditionOf(get(world, 'Deployment', 'd')!.status!.conditions, 'Progressing')).toMatchObject({ reason: 'DeploymentPaused' });
    send(world, deployment('replicas: 3', '', 'two'));
    world.runSettled();
    expect(podsLike(world, 'd').map(markOf)).toEqual(['two', 'two', 'two']);
  });

  test('figures and conditions: ready for long enough, available, stuck', () => {
    const world = ready();
    send(world, deployment('replicas: 2\n  minReadySeconds: 90\n  progressDeadlineSeconds: 300'));
    world.runUntil(world.nowMs + 60_000);
    const status = () => get(world, 'Deployment', 'd')!.status!;
    expect(status()).toMatchObject({ replicas: 2, readyReplicas: 2, availableReplicas: 0, unavailableReplicas: 2 });
    expect(conditionOf(status().conditions, 'Available')!.status).toBe('False');
    world.runUntil(world.nowMs + 120_000);
    expect(status()).toMatchObject({ readyReplicas: 2, availableReplicas: 2, unavailableReplicas: 0 });
    expect(conditionOf(status().conditions, 'Progressing')).toMatchObject({ status: 'True', reason: 'NewReplicaSetAvailable' });
    send(world, deployment('replicas: 2\n  progressDeadlineSeconds: 300', 'nodeSelector: {no: where}', 'two'));
    world.runUntil(world.nowMs + 280_000);
    expect(conditionOf(status().conditions, 'Progressing')).toMatchObject({ status: 'True', reason: 'ReplicaSetUpdated' });
    world.runUntil(world.nowMs + 60_000);
    expect(conditionOf(status().conditions, 'Progressing')).toMatchObject({ status: 'False', reason: 'ProgressDeadlineExceeded' });
    // A moment has been kept for the condition since it came.
    expect(conditionOf(status().conditions, 'Available')!.status).toBe('True');
  });
});

test('daemon sets wait for a hand with OnDelete, and replace as many at once as may be away', () => {
  const world = ready();
  const set4 = (strategy: string, mark: string) =>
    `apiVersion: apps/v1\nkind: DaemonSet\nmetadata: {name: d, namespace: space}\nspec:\n  updateStrategy: {${strategy}}\n  selector: {matchLabels: {app: each}}\n  template: {metadata: {labels: {app: each}, annotations: {mark: ${mark}}}, spec: {containers: [{name: main, image: ${image}}]}}\n`;
  send(world, set4('type: OnDelete', 'one'));
  world.runSettled();
  send(world, set4('type: OnDelete', 'two'));
  world.runSettled();
  expect(podsLike(world, 'each').map(markOf)).toEqual(['one', 'one', 'one', 'one']);
  expect(get(world, 'DaemonSet', 'd')!.status).toMatchObject({ updatedNumberScheduled: 0, numberAvailable: 4 });
  remove(world, 'Pod', podsLike(world, 'each').find((one) => one.spec.nodeName === 'node-b1')!.metadata.name);
  world.runSettled();
  expect(podsLike(world, 'each').map(markOf).sort()).toEqual(['one', 'one', 'one', 'two']);
  let most = 0;
  send(world, set4('type: RollingUpdate, rollingUpdate: {maxUnavailable: 3}', 'two'));
  const until = world.nowMs + 300_000;
  while (world.nowMs < until) {
    world.runUntil(world.nowMs + 500);
    most = Math.max(most, 4 - readyOnes(world, 'each'));
  }
  expect([most, podsLike(world, 'each').map(markOf).join()]).toEqual([3, 'two,two,two,two']);
});

describe('jobs', () => {
  const job = (spec: string, own = image) =>
    `apiVersion: batch/v1\nkind: Job\nmetadata: {name: j, namespace: space}\nspec:\n  ${spec}\n  template: {metadata: {labels: {app: j}}, spec: {restartPolicy: Never, containers: [{name: main, image: ${own}}]}}\n`;

  test('one that is suspended has no pods, and begins when it is let go', () => {
    const world = ready();
    send(world, job('suspend: true'));
    world.runSettled();
    expect(podsLike(world, 'j')).toHaveLength(0);
    expect(conditionOf(get(world, 'Job', 'j')!.status!.conditions, 'Suspended')!.status).toBe('True');
    send(world, job('suspend: false'));
    world.runSettled();
    expect(podsLike(world, 'j').length).toBeGreaterThan(0);
  });

  test('so many side by side; a job that takes too long is given up with its pods', () => {
    const world = ready();
    send(world, job('parallelism: 3\n  completions: 5\n  activeDeadlineSeconds: 200', `${image}, envFrom: [{configMapRef: {name: gone}}]`));
    world.runUntil(world.nowMs + 100_000);
    expect(get(world, 'Job', 'j')!.status).toMatchObject({ active: 3, succeeded: 0 });
    world.runUntil(world.nowMs + 200_000);
    expect(conditionOf(get(world, 'Job', 'j')!.status!.conditions, 'Failed')).toMatchObject({ reason: 'DeadlineExceeded' });
    world.runSettled();
    expect(podsLike(world, 'j').filter((one) => nodeOf(world, one.metadata.name) && !one.metadata.deletionTimestamp)).toEqual([]);
  });
});

test('a daemon set with a surge has its successor up on a node before the old pod goes, on so many nodes at once', () => {
  const world = ready();
  const each = (mark: string) => `apiVersion: apps/v1
kind: DaemonSet
metadata: {name: each, namespace: space}
spec:
  updateStrategy: {rollingUpdate: {maxSurge: 2, maxUnavailable: 0}}
  selector: {matchLabels: {app: each}}
  template:
    metadata: {labels: {app: each}, annotations: {mark: ${mark}}}
    spec: {containers: [{name: main, image: ${image}}]}
`;
  send(world, each('one'));
  world.runSettled();
  const nodes = podsLike(world, 'each').length;
  send(world, each('two'));
  let most = 0;
  for (const until = world.nowMs + 180_000; world.nowMs < until; world.runUntil(world.nowMs + 200)) {
    const by = new Map<string, number>();
    for (const one of podsLike(world, 'each'))
      if (!one.metadata.deletionTimestamp) by.set(one.spec.nodeName!, (by.get(one.spec.nodeName!) ?? 0) + 1);
    most = Math.max(most, [...by.values()].filter((one) => one > 1).length);
    expect(get(world, 'DaemonSet', 'each')!.status!.numberAvailable).toBe(nodes);
  }
  expect(most).toBe(2);
  expect(podsLike(world, 'each').map(markOf)).toEqual(Array.from({ length: nodes }, () => 'two'));
});

test("a job's program ends: known or told how long it works, else it is supposed to, and that is said; a pod by itself runs on", () => {
  const world = ready();
  const job = (name: string, policy: string, works = '') =>
    `apiVersion: batch/v1\nkind: Job\nmetadata: {name: ${name}, namespace: space}\nspec: {template: {metadata: {annotations: {${works}}}, spec: {restartPolicy: ${policy}, containers: [{name: main, image: ${image}}]}}}\n---\n`;
  send(world, job('plain', 'OnFailure') + job('long', 'Never', 'standin.example/works-seconds: "600"'));
  send(
    world,
    `apiVersion: v1\nkind: Pod\nmetadata: {name: tool, namespace: space}\nspec: {restartPolicy: Never, containers: [{name: main, image: ${image}}]}\n`
  );
  world.runUntil(world.nowMs + 120_000);
  const done = (name: string) => get(world, 'Job', name)!.status!.succeeded;
  expect([done('plain'), done('long'), get(world, 'Pod', 'tool')!.status!.phase]).toEqual([1, 0, 'Running']);
  const [pod] = world.store.list('Pod', 'space').filter((one) => one.metadata.labels?.['job-name'] === 'plain');
  expect([pod!.spec.restartPolicy, pod!.status!.phase]).toEqual(['OnFailure', 'Succeeded']);
  expect(world.store.eventsOf({ kind: 'Pod', namespace: 'space', name: pod!.metadata.name }).at(-1)!.message).toContain(
    'supposed to have ended well'
  );
  world.runUntil(world.nowMs + 600_000);
  expect(done('long')).toBe(1);
});

describe('a set that is taken away and sent again at once', () => {
  test('waits until the members of the old one have gone, and then has its own', () => {
    const world = ready();
    send(world, set());
    world.runSettled();
    remove(world, 'StatefulSet', 's');
    world.runUntil(world.nowMs + 15);
    send(world, set());
    world.runUntil(world.nowMs + 400_000);
    const owner = get(world, 'StatefulSet', 's')!.metadata.uid;
    expect(readyOnes(world, 's')).toBe(3);
    expect(podsLike(world, 's').map((one) => one.metadata.ownerReferences?.[0]?.uid)).toEqual([owner, owner, owner]);
  });

  test('a pod that somebody else has made keeps its name to itself', () => {
    const world = ready();
    send(world, `apiVersion: v1\nkind: Pod\nmetadata: {name: s-0, namespace: space}\nspec: {containers: [{name: own, image: ${image}}]}`);
    send(world, set());
    world.runUntil(world.nowMs + 120_000);
    expect(get(world, 'Pod', 's-0')?.spec.containers[0]!.name).toBe('own');
    expect(podsLike(world, 's')).toEqual([]);
    expect(world.store.list('Event', 'space').map((one) => one.message)).toContain("s-0 can't be made: a pod of that name is there.");
  });
});
