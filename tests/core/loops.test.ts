import { describe, expect, test } from 'vitest';
import { asManifest } from '$core/manifest';
import { isReady, type Kind, type KindMap } from '$core/model';
import { momentOf } from '$core/shared';
import type { World } from '$core/standin';
import { firstBreak, must, readySouth, ref, remove, send, smallSet } from './help';

const run = (world: World, yaml: string): World => {
  send(world, yaml);
  world.runSettled();
  return world;
};
const get = <K extends Kind>(world: World, kind: K, name: string, namespace = 'default'): KindMap[K] | undefined =>
  world.store.get(kind, namespace, name);
const pods = (world: World, app: string) =>
  world.store
    .list('Pod', 'default')
    .filter((one) => one.metadata.labels?.app === app)
    .sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));
const claim = (name: string, over = '') => `
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: ${name}, namespace: default}
spec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 5Gi}}, ${over || 'storageClassName: steady-block'}}
`;
const volume = (name: string, size: string, over = '') => `
apiVersion: v1
kind: PersistentVolume
metadata: {name: ${name}, labels: {tier: ${name}}}
spec: {capacity: {storage: ${size}}, accessModes: [ReadWriteOnce], csi: {driver: block.standin.example, volumeHandle: h-${name}}${over}}
`;
const deployment = (image: string, strategy: string, replicas = 1, over = '') => `
apiVersion: apps/v1
kind: Deployment
metadata: {name: web, namespace: default}
spec:
  replicas: ${replicas}
  strategy: ${strategy}
  selector: {matchLabels: {app: web}}
  template:
    metadata: {labels: {app: web}}
    spec: {containers: [{name: main, image: "shelf.standin.example/web:${image}"}]${over}}
`;
const withClaim =
  ', volumes: [{name: d, persistentVolumeClaim: {claimName: one}}], affinity: {podAntiAffinity: {requiredDuringSchedulingIgnoredDuringExecution: [{topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: web}}}]}}';
/** Names of pods in the order in which they were made or went. */
const story = (world: World, from: number, what: 'made' | 'gone') =>
  world.journal.changes.slice(from).flatMap(({ before, after }) => {
    const pod = after ?? before;
    const fits = what === 'made' ? !before : !after;
    return fits && pod?.kind === 'Pod' ? [pod.metadata.name] : [];
  });

describe('deployments', () => {
  test('a rolling update keeps enough pods ready all the way', () => {
    const world = run(readySouth(), deployment('1', '{type: RollingUpdate, rollingUpdate: {maxSurge: 1, maxUnavailable: 0}}', 3));
    expect(pods(world, 'web').filter(isReady)).toHaveLength(3);
    send(world, deployment('2', '{type: RollingUpdate, rollingUpdate: {maxSurge: 1, maxUnavailable: 0}}', 3));
    while (!world.settled) {
      world.runUntil(world.nextMs!);
      const living = pods(world, 'web').filter((one) => !one.metadata.deletionTimestamp);
      expect(living.filter(isReady).length).toBeGreaterThanOrEqual(3);
      expect(living.length).toBeLessThanOrEqual(4);
    }
    expect(pods(world, 'web').map((one) => one.spec.containers[0]!.image)).toEqual(Array(3).fill('shelf.standin.example/web:2'));
  });

  test('with a one-node claim and pods kept apart it hangs: the new pod waits for what the old one holds', () => {
    const rolling = '{type: RollingUpdate, rollingUpdate: {maxSurge: 1, maxUnavailable: 0}}';
    const world = run(readySouth(), claim('one') + '---' + deployment('1', rolling, 1, withClaim));
    const [old] = pods(world, 'web');
    run(world, deployment('2', rolling, 1, withClaim));
    const fresh = pods(world, 'web').find((one) => one.metadata.uid !== old!.metadata.uid)!;
    expect(isReady(fresh)).toBe(false);
    expect(firstBreak(world, ref('Pod', 'default', fresh.metadata.name))?.joint).toBe('attaching');
    expect(isReady(get(world, 'Pod', old!.metadata.name))).toBe(true);
  });

  test('torn down before it is built up, it works', () => {
    const world = run(readySouth(), claim('one') + '---' + deployment('1', '{type: Recreate}', 1, withClaim));
    const from = world.journal.changes.length;
    run(world, deployment('2', '{type: Recreate}', 1, withClaim));
    expect(pods(world, 'web').filter(isReady)).toHaveLength(1);
    const events = world.journal.changes
      .slice(from)
      .filter(({ before, after }) => (after ?? before)?.kind === 'Pod' && (!before || !after));
    expect(events.map((one) => (one.after ? 'made' : 'gone'))).toEqual(['gone', 'made']);
  });

  test('its pods go with it', () => {
    const world = run(readySouth(), deployment('1', '{type: Recreate}', 2));
    remove(world, ref('Deployment', 'default', 'web'));
    world.runSettled();
    expect(pods(world, 'web')).toEqual([]);
  });
});

describe('daemon sets', () => {
  test('stand on every node that accepts them, and on one that joins later', () => {
    const world = readySouth();
    expect(world.store.list('Pod', 'storage-system').filter((one) => one.metadata.labels!.app === 'block-node')).toHaveLength(4);
    run(
      world,
      'apiVersion: v1\nkind: Node\nmetadata: {name: node-c1, labels: {kubernetes.io/hostname: node-c1, topology.kubernetes.io/zone: a}}\nspec: {podCIDR: 10.61.9.0/24}\nstatus: {allocatable: {cpu: "2", memory: 4Gi}}'
    );
    expect(get(world, 'CSINode', 'node-c1', '')!.spec.drivers.map((one) => one.name)).toEqual(['block.standin.example']);
    remove(world, ref('Node', '', 'node-c1'));
    world.runSettled();
    expect(get(world, 'CSINode', 'node-c1', '')).toBeUndefined();
    expect(world.store.get('DaemonSet', 'storage-system', 'block-node')!.status).toMatchObject({
      desiredNumberScheduled: 4,
      numberReady: 4
    });
  });

  test('a new template replaces them one node after the other', () => {
    const world = readySouth();
    const set = world.store.get('DaemonSet', 'storage-system', 'block-node')!;
    const template = structuredClone(set.spec.template);
    template.spec.containers[0]!.image = 'shelf.standin.example/drivers/block-node:r3.1';
    must(world, { type: 'send', objects: [asManifest({ ...set, spec: { ...set.spec, template } })] });
    while (!world.settled) {
      world.runUntil(world.nextMs!);
      const mine = world.store.list('Pod', 'storage-system').filter((one) => one.metadata.labels!.app === 'block-node');
      expect(mine.filter((one) => one.metadata.deletionTimestamp).length).toBeLessThanOrEqual(1);
    }
    const images = world.store
      .list('Pod', 'storage-system')
      .flatMap((one) => (one.metadata.labels!.app === 'block-node' ? [one.spec.containers[0]!.image] : []));
    expect(new Set(images)).toEqual(new Set(['shelf.standin.example/drivers/block-node:r3.1']));
  });
});

describe('sets', () => {
  test('in parallel all members are made at once', () => {
    const world = readySouth();
    send(world, smallSet({ set: 'replicas: 3\n  podManagementPolicy: Parallel' }));
    world.runUntil(world.nowMs + 1_000);
    expect(pods(world, 'probe')).toHaveLength(3);
    world.runSettled();
    expect(pods(world, 'probe').every(isReady)).toBe(true);
  });

  test('a partition holds the lower members back; OnDelete waits for a person', () => {
    const world = run(readySouth(), smallSet({ set: 'replicas: 3' }));
    const uid = (ordinal: number) => get(world, 'Pod', `probe-${ordinal}`)!.metadata.uid;
    const before = [0, 1, 2].map(uid);
    run(
      world,
      smallSet({
        set: 'replicas: 3\n  updateStrategy: {type: RollingUpdate, rollingUpdate: {partition: 2}}',
        container: 'env: [{name: A, value: b}]'
      })
    );
    expect([0, 1, 2].map((one) => uid(one) === before[one])).toEqual([true, true, false]);
    run(world, smallSet({ set: 'replicas: 3\n  updateStrategy: {type: OnDelete}', container: 'env: [{name: A, value: c}]' }));
    expect([0, 1].map((one) => uid(one) === before[one])).toEqual([true, true]);
    remove(world, ref('Pod', 'default', 'probe-0'));
    world.runSettled();
    expect(get(world, 'Pod', 'probe-0')!.spec.containers[0]!.env).toEqual([{ name: 'A', value: 'c' }]);
  });

  test('minReadySeconds keeps the next member waiting', () => {
    const world = run(readySouth(), smallSet({ set: 'replicas: 2\n  minReadySeconds: 30' }));
    const ready = get(world, 'Pod', 'probe-0')!.status!.conditions!.find((one) => one.type === 'Ready')!.lastTransitionTime!;
    expect(momentOf(String(get(world, 'Pod', 'probe-1')!.metadata.creationTimestamp)) - momentOf(ready)).toBeGreaterThanOrEqual(30_000);
  });

  test('under whenDeleted: Delete its claims, volumes and assets go with it', () => {
    const world = run(readySouth(), smallSet({ set: 'replicas: 2\n  persistentVolumeClaimRetentionPolicy: {whenDeleted: Delete}' }));
    expect(world.store.list('Asset')).toHaveLength(2);
    remove(world, ref('StatefulSet', 'default', 'probe'));
    world.runSettled();
    expect([world.store.list('PersistentVolumeClaim', 'default'), world.store.list('PersistentVolume'), world.store.list('Asset')]).toEqual(
      [[], [], []]
    );
  });

  test('without a service account nothing is made; sent later, the set goes on by itself', () => {
    const world = run(readySouth(), smallSet({ pod: 'serviceAccountName: keeper' }));
    expect(pods(world, 'probe')).toEqual([]);
    run(world, 'apiVersion: v1\nkind: ServiceAccount\nmetadata: {name: keeper, namespace: default}');
    expect(pods(world, 'probe').every(isReady)).toBe(true);
  });
});

describe('claims and volumes', () => {
  test('a pre-made volume: the smallest that fits, by selector, or the one that is pinned', () => {
    const world = readySouth();
    run(world, [volume('small', '2Gi'), volume('fits', '6Gi'), volume('large', '50Gi')].join('---'));
    run(world, claim('any', 'storageClassName: ""'));
    expect(get(world, 'PersistentVolumeClaim', 'any')!.spec.volumeName).toBe('fits');
    run(world, claim('picked', 'storageClassName: "", selector: {matchLabels: {tier: large}}'));
    expect(get(world, 'PersistentVolumeClaim', 'picked')!.spec.volumeName).toBe('large');
    run(world, volume('kept', '9Gi', ', claimRef: {namespace: default, name: mine}') + '---' + claim('other', 'storageClassName: ""'));
    expect(get(world, 'PersistentVolumeClaim', 'other')!.status!.phase).toBe('Pending');
    run(world, claim('mine', 'storageClassName: ""'));
    expect(get(world, 'PersistentVolumeClaim', 'mine')!.spec.volumeName).toBe('kept');
    expect(firstBreak(world, ref('PersistentVolumeClaim', 'default', 'other'))?.joint).toBe('volume');
  });

  test('Retain: the volume turns Released, the asset stays, and it binds again only when its claimRef is cleared', () => {
    const world = readySouth();
    run(
      world,
      'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: keep}\nprovisioner: block.standin.example\nreclaimPolicy: Retain\n---' +
        claim('one', 'storageClassName: keep')
    );
    const name = get(world, 'PersistentVolumeClaim', 'one')!.spec.volumeName!;
    remove(world, ref('PersistentVolumeClaim', 'default', 'one'));
    world.runSettled();
    expect(get(world, 'PersistentVolume', name, '')!.status!.phase).toBe('Released');
    expect(world.store.list('Asset')).toHaveLength(1);
    run(world, claim('one', 'storageClassName: keep'));
    expect(get(world, 'PersistentVolumeClaim', 'one')!.spec.volumeName).not.toBe(name);
  });

  test('a claim that names no class waits, and is filled in when a default appears', () => {
    const world = readySouth();
    remove(world, ref('StorageClass', '', 'steady-block'));
    run(
      world,
      'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: bare, namespace: default}\nspec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 1Gi}}}'
    );
    expect(get(world, 'PersistentVolumeClaim', 'bare')!.spec.storageClassName).toBeUndefined();
    run(
      world,
      'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: late, annotations: {storageclass.kubernetes.io/is-default-class: "true"}}\nprovisioner: block.standin.example\n'
    );
    expect(get(world, 'PersistentVolumeClaim', 'bare')!.status!.phase).toBe('Bound');
    expect(get(world, 'PersistentVolumeClaim', 'bare')!.spec.storageClassName).toBe('late');
  });

  test('the volume is made where its first user stands, and the quota is kept', () => {
    const world = run(readySouth(), smallSet({ pod: 'nodeSelector: {topology.kubernetes.io/zone: b}' }));
    expect(world.store.list('Asset').map((one) => one.spec.zone)).toEqual(['b']);
    const backend = world.store.list('Backend')[0]!;
    must(world, { type: 'send', objects: [asManifest({ ...backend, spec: { ...backend.spec, quotaVolumes: 1 } })] });
    run(world, smallSet({ name: 'more' }));
    expect(firstBreak(world, ref('Pod', 'default', 'more-0'))).toMatchObject({
      joint: 'backend',
      says: 'RESOURCE_EXHAUSTED: The quota of 1 volumes of south-quay-volumes is used up'
    });
    must(world, { type: 'send', objects: [asManifest({ ...backend, spec: { ...backend.spec, quotaVolumes: 9 } })] });
    world.runSettled();
    expect(isReady(get(world, 'Pod', 'more-0'))).toBe(true);
  });

  test("attach slots: a pod over a node's limit isn't placed there", () => {
    const world = readySouth();
    const backend = world.store.list('Backend')[0]!;
    must(world, { type: 'send', objects: [asManifest({ ...backend, spec: { ...backend.spec, attachLimit: 1 } })] });
    for (const node of ['node-a1', 'node-a2', 'node-b1', 'node-b2']) {
      const plugin = world.store
        .list('Pod', 'storage-system')
        .find((one) => one.spec.nodeName === node && one.metadata.labels!.app === 'block-node')!;
      remove(world, ref('Pod', 'storage-system', plugin.metadata.name));
    }
    world.runSettled();
    run(world, smallSet({ set: 'replicas: 5' }));
    expect(pods(world, 'probe').filter(isReady)).toHaveLength(4);
    expect(firstBreak(world, ref('Pod', 'default', 'probe-4'))?.says).toContain('4 without a free attach slot');
  });
});

describe('pods, images, places', () => {
  test('a taint keeps pods off, a toleration lets them on', () => {
    const world = readySouth();
    const nodes = world.store.list('Node');
    must(world, {
      type: 'send',
      objects: nodes.map(
        (one) => ({ ...asManifest(one), spec: { ...one.spec, taints: [{ key: 'use', value: 'storage', effect: 'NoSchedule' }] } }) as never
      )
    });
    run(world, smallSet());
    expect(firstBreak(world, ref('Pod', 'default', 'probe-0'))?.says).toContain('4 with a taint');
    run(world, smallSet({ name: 'let', pod: 'tolerations: [{key: use, operator: Equal, value: storage, effect: NoSchedule}]' }));
    expect(isReady(get(world, 'Pod', 'let-0'))).toBe(true);
  });

  test('pulls that fail are tried again after 10, 20, 40 s, up to 300 s; mended, the next one goes through', () => {
    const world = run(
      readySouth(),
      `apiVersion: standin.example/v1\nkind: Registry\nmetadata: {name: shelf}\nspec: {host: shelf.standin.example, reachable: false}\n---${smallSet()}`
    );
    world.runUntil(world.nowMs + 1_000_000);
    const tries = world.journal.changes.flatMap(({ after, atMs }) =>
      after?.kind === 'Event' && after.reason === 'Failed' && after.involvedObject.name === 'probe-0' ? [atMs] : []
    );
    expect(tries.slice(1, 8).map((one, i) => one - tries[i]!)).toEqual([10_000, 20_000, 40_000, 80_000, 160_000, 300_000, 300_000]);
    run(
      world,
      'apiVersion: standin.example/v1\nkind: Registry\nmetadata: {name: shelf}\nspec: {host: shelf.standin.example, reachable: true}'
    );
    expect(isReady(get(world, 'Pod', 'probe-0'))).toBe(true);
  });

  test('a registry with a list has no other images', () => {
    const world = run(
      readySouth(),
      `apiVersion: standin.example/v1\nkind: Registry\nmetadata: {name: own}\nspec: {host: own.example, reachable: true, images: ["own.example/tool"]}\n---${smallSet().replace('shelf.standin.example/engines/multi-primary-sql:r4', 'own.example/missing:1')}`
    );
    expect(firstBreak(world, ref('Pod', 'default', 'probe-0'))?.says).toContain('has no own.example/missing:1');
    run(world, smallSet({ name: 'well' }).replace('shelf.standin.example/engines/multi-primary-sql:r4', 'own.example/tool:1'));
    expect(isReady(get(world, 'Pod', 'well-0'))).toBe(true);
  });

  test("a member moves with its volume when its node is closed, within the volume's zone", () => {
    const world = run(readySouth(), smallSet());
    const pod = get(world, 'Pod', 'probe-0')!;
    const node = world.store.get('Node', '', pod.spec.nodeName!)!;
    must(world, { type: 'send', objects: [{ ...asManifest(node), spec: { ...node.spec, unschedulable: true } } as never] });
    remove(world, ref('Pod', 'default', 'probe-0'));
    world.runSettled();
    const moved = get(world, 'Pod', 'probe-0')!;
    expect(isReady(moved)).toBe(true);
    expect(moved.spec.nodeName).not.toBe(pod.spec.nodeName);
    expect(world.store.list('Asset')[0]!.status!.attachedTo).toEqual([moved.spec.nodeName]);
    expect(world.store.list('VolumeAttachment')).toHaveLength(1);
  });

  test('a namespace takes everything in it along', () => {
    const world = readySouth();
    run(
      world,
      `apiVersion: v1\nkind: Namespace\nmetadata: {name: gone}\n---${smallSet().replaceAll('namespace: default', 'namespace: gone')}`
    );
    expect(isReady(get(world, 'Pod', 'probe-0', 'gone'))).toBe(true);
    remove(world, ref('Namespace', '', 'gone'));
    world.runSettled();
    expect(get(world, 'Namespace', 'gone', '')).toBeUndefined();
    for (const kind of ['Pod', 'PersistentVolumeClaim', 'Service', 'EndpointSlice', 'Event'] as const)
      expect(world.store.list(kind, 'gone'), kind).toEqual([]);
    expect(world.store.list('Asset')).toEqual([]);
  });

  test('what is made first goes last when a set is scaled to nothing', () => {
    const world = run(readySouth(), smallSet({ set: 'replicas: 3' }));
    const from = world.journal.changes.length;
    run(world, smallSet({ set: 'replicas: 0' }));
    expect(story(world, from, 'gone')).toEqual(['probe-2', 'probe-1', 'probe-0']);
    run(world, smallSet({ set: 'replicas: 2' }));
    expect(story(world, from, 'made')).toEqual(['probe-0', 'probe-1']);
  });
});
