import { describe, expect, test } from 'vitest';
import { check } from '$core/checker';
import { pathUnder } from '$core/drafts';
import { keepValue } from '$core/dumps';
import { Load } from '$core/drills';
import { isReady, pointersOf, roomOf, type ApiObject, type Kind } from '$core/model';
import { rootLine } from '$core/rootline';
import { tellingPart } from '$core/exports';
import { pluginOn } from '$core/standin/provider/driver';
import { operatorCards, resolve, rightsLacking, Store, type World } from '$core/standin';
import {
  bookings,
  claimOf,
  classOf,
  driver,
  mendedSouth,
  must,
  podOf,
  readySouth,
  ref,
  remove,
  send,
  settle,
  size,
  smallSet,
  south
} from './help';

/** What lies just at an edge: one less or one more would be another answer. Each was once planted as a fault that no test caught. */

const dayMs = 86_400_000;
const claim = (name: string, of = 'steady-block') =>
  claimOf(name, `accessModes: [ReadWriteOnce], storageClassName: ${of}, ${size('10Gi')}`);
const get = <K extends Kind>(world: World, kind: K, namespace: string, name: string) => world.store.get(kind, namespace, name)!;

describe('a node that has gone', () => {
  const processOf = (world: World) => world.store.get('Process', 'tickets', 'bookings-0');

  test.each([
    ['is surely off', true],
    ['is no part of the cluster any more', false]
  ])('its members go with it when it %s: no program of theirs leads on', (_, tainted) => {
    const world = mendedSouth();
    const node = get(world, 'Pod', 'tickets', 'bookings-0').spec.nodeName!;
    const uid = get(world, 'Pod', 'tickets', 'bookings-0').metadata.uid!;
    expect(processOf(world)!.spec.pod).toBe(uid);
    send(world, `apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: gone}\nspec: {dark: [${node}]}`);
    world.runUntil(world.nowMs + 120_000);
    if (tainted) {
      const { status: _status, ...object } = get(world, 'Node', '', node);
      const taints = [...(object.spec?.taints ?? []), { key: 'node.kubernetes.io/out-of-service', effect: 'NoExecute' }];
      must(world, { type: 'send', objects: [{ ...object, spec: { ...object.spec, taints } } as ApiObject] });
    } else remove(world, ref('Node', '', node));
    world.runUntil(world.nowMs + 400_000);
    const pod = get(world, 'Pod', 'tickets', 'bookings-0');
    expect(pod.metadata.uid).not.toBe(uid);
    // The program of the pod before must not be there beside, or in the place of, the new pod's.
    for (const one of world.store.list('Process'))
      expect(world.store.get('Pod', one.metadata.namespace ?? '', one.metadata.name)?.metadata.uid).toBe(one.spec.pod);
    expect(processOf(world)?.spec.pod ?? pod.metadata.uid).toBe(pod.metadata.uid);
  });

  test('what a pod owns goes with it', () => {
    const world = settle(readySouth(), claim('d') + podOf('user', 'd'));
    const owner = { apiVersion: 'v1', kind: 'Pod', name: 'user', uid: get(world, 'Pod', 'default', 'user').metadata.uid! };
    const map = {
      apiVersion: 'v1',
      kind: 'ConfigMap',
      metadata: { name: 'its', namespace: 'default', ownerReferences: [owner] }
    } as ApiObject;
    must(world, { type: 'send', objects: [map] });
    world.put({ ...get(world, 'ConfigMap', 'default', 'its'), metadata: { ...map.metadata, ownerReferences: [owner] } } as ApiObject);
    remove(world, ref('Pod', 'default', 'user'));
    world.runSettled();
    expect(world.store.get('ConfigMap', 'default', 'its')).toBeUndefined();
  });
});

test('a pod that fills its node exactly is placed; a thousandth of a CPU, or a byte, more is not', () => {
  const world = readySouth();
  const [node] = world.store.list('Node').filter((one) => !one.spec?.taints?.length && !one.spec?.unschedulable);
  const { name } = node!.metadata;
  const free = () => {
    const [room, use] = [roomOf(get(world, 'Node', '', name)), world.store.useOf(name)];
    return { cpu: room.milliCpu - use.milliCpu, memory: room.memoryBytes - use.memoryBytes };
  };
  const pod = (called: string, cpu: number, memory: number) =>
    `apiVersion: v1\nkind: Pod\nmetadata: {name: ${called}, namespace: default}\nspec: {nodeSelector: {kubernetes.io/hostname: ${name}}, containers: [{name: main, image: shelf.standin.example/tools/t:1, resources: {requests: {cpu: ${cpu}m, memory: "${memory}"}}}]}`;
  const { cpu, memory } = free();
  settle(world, pod('more-cpu', cpu + 1, 1));
  settle(world, pod('more-memory', 1, memory + 1));
  for (const one of ['more-cpu', 'more-memory']) {
    expect(get(world, 'Pod', 'default', one).spec.nodeName).toBeUndefined();
    remove(world, ref('Pod', 'default', one));
  }
  world.runSettled();
  settle(world, pod('exact', cpu, memory));
  expect(get(world, 'Pod', 'default', 'exact').spec.nodeName).toBe(name);
  expect(free()).toEqual({ cpu: 0, memory: 0 });
});

test('a claim that comes back under its old name gets a new volume; the old one is released, whoever bears the name', () => {
  const world = readySouth();
  send(world, classOf('kept', 'block.standin.example', 'reclaimPolicy: Retain\nparameters: {speed: "3000"}') + claim('d', 'kept'));
  world.runSettled();
  const first = get(world, 'PersistentVolumeClaim', 'default', 'd').spec.volumeName!;
  remove(world, ref('PersistentVolumeClaim', 'default', 'd'));
  while (world.store.get('PersistentVolumeClaim', 'default', 'd')) world.runUntil(world.nowMs + 1);
  settle(world, claim('d', 'kept'));
  expect(get(world, 'PersistentVolume', '', first).status!.phase).toBe('Released');
  const second = get(world, 'PersistentVolumeClaim', 'default', 'd');
  expect(second.status!.phase).toBe('Bound');
  expect(second.spec.volumeName).not.toBe(first);
});

test('a workload wakes part by part: the next one starts as soon as all of the one before are ready, and not before', () => {
  const world = readySouth();
  const two =
    smallSet({ name: 'low', set: 'replicas: 2' }).replaceAll('multi-primary-sql:r4', 'log-coordinator:r3') +
    '---\n' +
    smallSet({ name: 'high', set: 'replicas: 1' }).replaceAll('multi-primary-sql:r4', 'log-broker:r3');
  const labelled = two.replaceAll(
    /metadata: \{labels: \{app: (\w+)\}\}/g,
    'metadata: {labels: {app: $1, app.kubernetes.io/part-of: both}}'
  );
  settle(world, labelled);
  settle(world, 'apiVersion: standin.example/v1\nkind: Rest\nmetadata: {name: both, namespace: default}\nspec: {workload: both}');
  const wanted = (name: string) => get(world, 'StatefulSet', 'default', name).spec.replicas;
  expect([wanted('low'), wanted('high')]).toEqual([0, 0]);
  remove(world, ref('Rest', 'default', 'both'));
  let readyAtWake = -1;
  while (world.nextMs !== undefined && wanted('high') === 0 && !world.settled) {
    world.runUntil(world.nextMs);
    readyAtWake = world.store.list('Pod', 'default').filter((one) => one.metadata.name.startsWith('low-') && isReady(one)).length;
  }
  expect(readyAtWake).toBe(2);
  expect(wanted('high')).toBe(1);
});

test('no value of a secret is kept of an export, in whichever of its two fields it stands', () => {
  const kept = keepValue(
    { apiVersion: 'v1', kind: 'Secret', metadata: { name: 's', namespace: 'n' }, data: { a: 'c2VzYW1l' }, stringData: { b: 'sesame' } },
    false
  );
  const text = JSON.stringify(kept);
  expect(text).not.toMatch(/sesame|c2VzYW1l/);
  expect((kept as { object: ApiObject }).object).toMatchObject({ data: { a: '', b: '' } });
});

test('a namespace takes its snapshots along, with what the backend keeps of them', () => {
  const world = readySouth();
  send(world, 'apiVersion: v1\nkind: Namespace\nmetadata: {name: short}');
  send(
    world,
    'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: snaps}\ndriver: block.standin.example\ndeletionPolicy: Delete'
  );
  settle(world, (claim('d') + podOf('user', 'd')).replaceAll('namespace: default', 'namespace: short'));
  settle(
    world,
    'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: s, namespace: short}\nspec: {volumeSnapshotClassName: snaps, source: {persistentVolumeClaimName: d}}'
  );
  expect(get(world, 'VolumeSnapshot', 'short', 's').status!.readyToUse).toBe(true);
  remove(world, ref('Namespace', '', 'short'));
  world.runSettled();
  expect(world.store.get('Namespace', '', 'short')).toBeUndefined();
  expect(world.store.list('VolumeSnapshot')).toEqual([]);
  expect(world.store.list('VolumeSnapshotContent')).toEqual([]);
  expect(world.store.list('Asset').filter((one) => one.spec.snapshotOf)).toEqual([]);
});

test('a name with five dots is asked for as it is first, one with four after the search list', () => {
  const { store } = south();
  expect(resolve(store, 'tickets', 'a.b.c.d.e').tried).toEqual([
    'a.b.c.d.e.tickets.svc.cluster.local',
    'a.b.c.d.e.svc.cluster.local',
    'a.b.c.d.e.cluster.local',
    'a.b.c.d.e'
  ]);
  expect(resolve(store, 'tickets', 'a.b.c.d.e.f').tried[0]).toBe('a.b.c.d.e.f');
});

test('a member that is being taken away serves on, but is no ready endpoint of a service that waits for readiness', () => {
  const world = mendedSouth();
  for (const one of world.store.list('Service', 'tickets')) world.put({ ...one, spec: { ...one.spec, publishNotReadyAddresses: false } });
  world.runSettled();
  const endpoint = () =>
    world.store
      .list('EndpointSlice', 'tickets')
      .flatMap((one) => one.endpoints)
      .find((one) => one.targetRef?.name === 'bookings-1')!;
  expect(endpoint().conditions).toEqual({ ready: true, serving: true, terminating: false });
  remove(world, bookings(1));
  const marked = world.nowMs;
  while (!endpoint().conditions?.terminating) world.runUntil(world.nowMs + 1);
  expect(world.nowMs - marked).toBeLessThan(200);
  expect(endpoint().conditions?.ready).toBe(false);
});

test('a certificate is renewed when two thirds of its time are over, and holds for the whole time again', () => {
  const world = readySouth();
  const kinds = 'apiVersion: engines.standin.example/v1\n';
  settle(
    world,
    `${kinds}kind: Issuer\nmetadata: {name: own, namespace: default}\nspec: {authority: own-authority, make: true}\n---\n${kinds}kind: Certificate\nmetadata: {name: c, namespace: default}\nspec: {secret: c-tls, issuer: {name: own}, names: [c.default], days: 30}`
  );
  const shown = () => get(world, 'Secret', 'default', 'c-tls').data!['tls.crt'];
  const first = shown();
  const untilMs = () => Date.parse(get(world, 'Certificate', 'default', 'c').status!.notAfter!);
  const [from, until] = [world.nowMs, untilMs()];
  world.runUntil(from + 19.9 * dayMs);
  expect(shown()).toBe(first);
  world.runUntil(from + 20.1 * dayMs);
  expect(shown()).not.toBe(first);
  expect((untilMs() - until) / dayMs).toBeCloseTo(20, 1);
});

test('a pod whose work is done lets its volume go', () => {
  const world = readySouth();
  const worker = podOf('worker', 'd', ', restartPolicy: Never').replace('tools/t:1', 'operators/pool-prepare:r3');
  settle(world, claim('d') + worker);
  expect(get(world, 'Pod', 'default', 'worker').status!.phase).toBe('Succeeded');
  expect(world.store.list('VolumeAttachment')).toEqual([]);
  expect(driver().length).toBeGreaterThan(0);
});

test('an event of the newer group is kept in the words of the older one, and the older one as it is', () => {
  const about = { kind: 'Pod', namespace: 'n', name: 'p', uid: 'u' };
  const meta = { name: 'e', namespace: 'n' };
  const newer = {
    apiVersion: 'events.k8s.io/v1',
    kind: 'Event',
    metadata: meta,
    regarding: about,
    note: 'it fell',
    reason: 'Fell',
    type: 'Warning'
  };
  const older = {
    apiVersion: 'v1',
    kind: 'Event',
    metadata: meta,
    involvedObject: about,
    message: 'it fell',
    reason: 'Fell',
    type: 'Warning',
    count: 3
  };
  for (const [given, count] of [
    [newer, 1],
    [older, 3]
  ] as const)
    expect((keepValue(given, false) as { object: ApiObject }).object).toMatchObject({ involvedObject: about, message: 'it fell', count });
});

test('a webhook points at the service that it asks, and at none where it asks an address', () => {
  const hook = (clientConfig: object) =>
    ({
      apiVersion: 'admissionregistration.k8s.io/v1',
      kind: 'ValidatingWebhookConfiguration',
      metadata: { name: 'w' },
      webhooks: [{ name: 'a', clientConfig }]
    }) as unknown as ApiObject;
  expect(pointersOf(hook({ service: { name: 'judge', namespace: 'court' } }))).toEqual([
    { path: ['webhooks', 0, 'clientConfig', 'service', 'name'], kind: 'Service', name: 'judge', namespace: 'court' }
  ]);
  expect(pointersOf(hook({ url: 'https://judge.example' }))).toEqual([]);
});

test('a password that is put together from others is not written out', () => {
  const pod = (value: string) =>
    `apiVersion: v1\nkind: Pod\nmetadata: {name: p, namespace: default}\nspec: {containers: [{name: m, image: "a:1", env: [{name: DB_PASSWORD, value: "${value}"}]}]}\n`;
  const told = (value: string) => check([{ text: pod(value) }]).some((one) => one.code === 'password-in-env');
  expect([told('$(FROM_SECRET)'), told('sunshine$(X)'), told('my_FILE')]).toEqual([false, true, true]);
});

test('what a comment says is no field', () => {
  const text = 'kind: Pod\nspec: # nodeName: a\n  nodeName: b\n';
  expect(pathUnder(text, text.indexOf('nodeName: a') + 3)).toBeUndefined();
  expect(pathUnder(text, text.indexOf('nodeName: b') + 3)).toMatchObject({ path: ['spec', 'nodeName'], onKey: true });
});

test('a node whose own list is not there has no plugin', () => {
  const { store } = readySouth();
  const [node] = store.list('CSINode');
  expect([pluginOn(store, 'block.standin.example', node!.metadata.name), pluginOn(store, 'block.standin.example', 'nowhere')]).toEqual([
    true,
    false
  ]);
  expect(pluginOn(store, 'files.standin.example', node!.metadata.name)).toBe(false);
});

test('of what failed in a drill the answer that came most often is told', () => {
  const said = (...all: (string | undefined)[]) =>
    Load.prototype.failedFrom.call(
      {
        operations: all.map((says, n) => ({ askedMs: n, answer: says === undefined ? undefined : { outcome: 'refused', says } })),
        good: ({ answer }: { answer?: { says: string } }) => answer?.says === 'done'
      },
      1
    );
  expect(said('gone', 'gone', 'full', 'full', 'gone', 'full', 'done')).toEqual({ failed: 5, asked: 6, says: 'full' });
  expect(said('full', 'gone', undefined, undefined, 'done')).toEqual({ failed: 3, asked: 4, says: 'nobody answered' });
  expect(said('gone', 'done')).toBeUndefined();
});

test.each([
  ['volumeMode: Block, storageClassName: ""', 'volumeMode: Filesystem', 'kept is a Block volume.'],
  ['storageClassName: slow', '', 'kept has the class "slow", the claim "".'],
  ['storageClassName: ""', 'volumeMode: Block', 'kept is a Filesystem volume.'],
  ['storageClassName: "", volumeMode: Filesystem', '', undefined]
])('a volume of %s, a claim of %s that is pinned to it: %s', (volume, claimed, says) => {
  const text = `apiVersion: v1
kind: PersistentVolume
metadata: {name: kept}
spec: {capacity: {storage: 40Gi}, accessModes: [ReadWriteOnce], ${volume}, csi: {driver: block.standin.example, volumeHandle: blk-1}}
---
${claimOf('pinned', `accessModes: [ReadWriteOnce], storageClassName: "", volumeName: kept, ${size('40Gi')}${claimed ? `, ${claimed}` : ''}`)}`;
  const found = check([{ text }]).filter((one) => one.code === 'pinned-pair-apart');
  expect(found.map((one) => one.message)).toEqual(says === undefined ? [] : [says]);
});

test('a provisioner that nobody answers for is told at the class that names it', () => {
  const text = 'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: odd}\nprovisioner: files.standin.example\n';
  const found = check([{ text }], south().store).filter((one) => one.code === 'provisioner-unanswered');
  expect(found.map((one) => [one.at.line, one.at.field])).toEqual([[4, 'provisioner']]);
});

describe('what a root line offers', () => {
  const jointOf = (world: World, pod: string) =>
    rootLine(world.store, ref('Pod', 'default', pod))!.joints.find((one) => one.state === 'broken')!;

  test('one class and no default: that class, marked; two: a choice that nobody makes for the reader', () => {
    const world = readySouth();
    const [only] = world.store.list('StorageClass');
    world.put({ ...only!, metadata: { ...only!.metadata, annotations: {} } });
    send(world, claimOf('d', `accessModes: [ReadWriteOnce], ${size('1Gi')}`) + podOf('user', 'd'));
    world.runSettled();
    const marked = jointOf(world, 'user').remedy!.manifests!;
    expect(marked.map((one) => [one.metadata.name, one.metadata.annotations])).toEqual([
      [only!.metadata.name, { 'storageclass.kubernetes.io/is-default-class': 'true' }]
    ]);
    settle(world, classOf('second', 'block.standin.example', 'volumeBindingMode: WaitForFirstConsumer'));
    expect(jointOf(world, 'user').remedy).toEqual({ text: expect.stringContaining('name one in the claim') });
  });

  test('a config map that is missing comes as an empty one with the key; a secret never does', () => {
    const world = readySouth();
    const pod = (name: string, from: string) =>
      `apiVersion: v1\nkind: Pod\nmetadata: {name: ${name}, namespace: default}\nspec: {containers: [{name: m, image: shelf.standin.example/tools/t:1, env: [{name: A, valueFrom: {${from}}}]}]}\n`;
    settle(world, `${pod('a', 'configMapKeyRef: {name: settings, key: colour}')}---\n${pod('b', 'secretKeyRef: {name: word, key: a}')}`);
    expect(jointOf(world, 'a').remedy!.manifests).toEqual([
      { apiVersion: 'v1', kind: 'ConfigMap', metadata: { name: 'settings', namespace: 'default' }, data: { colour: '' } }
    ]);
    expect(jointOf(world, 'b').remedy!.manifests ?? []).toEqual([]);
  });
});

test('an operator lacks what its rules leave out: a verb, a group or a resource each by itself', () => {
  const card = operatorCards[0]!;
  const plural = card.kinds[0]!.plural;
  const lacking = (rules: object[]) => {
    const store = new Store();
    const place = (object: object) => store.place(undefined, object as ApiObject);
    place({ apiVersion: 'rbac.authorization.k8s.io/v1', kind: 'ClusterRole', metadata: { name: 'r' }, rules });
    place({
      apiVersion: 'rbac.authorization.k8s.io/v1',
      kind: 'ClusterRoleBinding',
      metadata: { name: 'b' },
      roleRef: { apiGroup: 'rbac.authorization.k8s.io', kind: 'ClusterRole', name: 'r' },
      subjects: [{ kind: 'ServiceAccount', name: 'op', namespace: 'ops' }]
    });
    const pod = {
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: { name: 'op', namespace: 'ops' },
      spec: { serviceAccountName: 'op', containers: [] }
    };
    return rightsLacking(store, card, pod as never, 'default');
  };
  const all = { apiGroups: ['*'], resources: ['*'], verbs: ['*'] };
  expect(lacking([all])).toEqual([]);
  expect(lacking([])).toContain(plural);
  const made = card.makes[0]!;
  const others = [
    ...card.makes.slice(1).map((one) => ({ apiGroups: [one.group], resources: one.resources, verbs: ['create'] })),
    { apiGroups: ['engines.standin.example'], resources: ['*'], verbs: ['update'] }
  ];
  const [one, ...rest] = made.resources;
  const restOfIt = { apiGroups: [made.group], resources: rest, verbs: ['create'] };
  expect(lacking([...others, { apiGroups: [made.group], resources: made.resources, verbs: ['create'] }])).toEqual([]);
  expect(lacking([...others, restOfIt, { apiGroups: [made.group], resources: [one], verbs: ['get'] }])).toContain(one);
  expect(lacking([...others, restOfIt, { apiGroups: ['elsewhere'], resources: [one], verbs: ['create'] }])).toContain(one);
  expect(lacking([...others, restOfIt])).toContain(one);
});

test('of a message that wraps others the innermost tells', () => {
  const text = 'rpc error: code = Internal desc = attach failed: rpc error: code = NotFound desc = volume vol-1 is gone';
  expect(tellingPart(text)).toContain('volume vol-1 is gone');
  expect(tellingPart(text)).not.toContain('attach failed');
});

test('a member without an address is no endpoint yet', () => {
  const world = readySouth();
  send(world, smallSet());
  const endpoints = () => world.store.list('EndpointSlice', 'default').flatMap((one) => one.endpoints);
  const pod = () => world.store.get('Pod', 'default', 'probe-0');
  let waited = 0;
  while (!pod()?.status?.podIP) {
    world.runUntil(world.nextMs!);
    if (pod()) waited += 1;
    if (!pod()?.status?.podIP) expect(endpoints()).toEqual([]);
  }
  expect(waited).toBeGreaterThan(3);
  world.runSettled();
  expect(endpoints().map((one) => one.addresses)).toEqual([[pod()!.status!.podIP]]);
});
