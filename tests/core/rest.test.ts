import fc from 'fast-check';
import { expect, test } from 'vitest';
import { readManifests } from '$core/manifest';
import { refOf, type ApiObject, type Ref } from '$core/model';
import { World, type Snapshot } from '$core/standin';
import { roomy } from './roomy';

/**
 * Everything comes to rest: whatever admission takes, alone or in pairs, and whatever of it is taken away again, the world settles or
 * only looks again after waits; no loop fails. (An invariant of this program; no outside source.)
 */
const meta = (name: string, more: object = {}) => ({ name, namespace: 'default', ...more });
const pod = (more: object = {}) => ({
  containers: [{ name: 'main', image: 'shelf.standin.example/tools/t:1' }],
  ...more
});
const template = (app: string, more: object = {}) => ({ metadata: { labels: { app } }, spec: pod(more) });
const claim = { accessModes: ['ReadWriteOnce'], storageClassName: 'steady-block', resources: { requests: { storage: '5Gi' } } };
const seeds: Record<string, unknown>[] = [
  { apiVersion: 'v1', kind: 'PersistentVolumeClaim', metadata: meta('one'), spec: claim },
  {
    apiVersion: 'v1',
    kind: 'PersistentVolume',
    metadata: { name: 'made' },
    spec: { capacity: { storage: '5Gi' }, accessModes: ['ReadWriteOnce'], csi: { driver: 'block.standin.example', volumeHandle: 'h-1' } }
  },
  {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: meta('probe'),
    spec: pod({ volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'one' } }] })
  },
  {
    apiVersion: 'apps/v1',
    kind: 'StatefulSet',
    metadata: meta('one'),
    spec: {
      replicas: 2,
      serviceName: 'one',
      selector: { matchLabels: { app: 'one' } },
      template: template('one'),
      volumeClaimTemplates: [{ metadata: { name: 'd' }, spec: claim }]
    }
  },
  {
    apiVersion: 'apps/v1',
    kind: 'Deployment',
    metadata: meta('web'),
    spec: { replicas: 2, selector: { matchLabels: { app: 'one' } }, template: template('one') }
  },
  {
    apiVersion: 'apps/v1',
    kind: 'DaemonSet',
    metadata: meta('each'),
    spec: { selector: { matchLabels: { app: 'one' } }, template: template('one') }
  },
  { apiVersion: 'batch/v1', kind: 'Job', metadata: meta('task'), spec: { template: template('task', { restartPolicy: 'Never' }) } },
  {
    apiVersion: 'v1',
    kind: 'Service',
    metadata: meta('one'),
    spec: { clusterIP: 'None', selector: { app: 'one' }, ports: [{ name: 'data', port: 7110 }] }
  },
  {
    apiVersion: 'v1',
    kind: 'Service',
    metadata: meta('front'),
    spec: { type: 'LoadBalancer', selector: { app: 'one' }, ports: [{ name: 'data', port: 7110 }] }
  },
  { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'space' } },
  { apiVersion: 'v1', kind: 'ServiceAccount', metadata: meta('default') },
  { apiVersion: 'v1', kind: 'Secret', metadata: meta('word'), stringData: { a: 'b' } },
  { apiVersion: 'v1', kind: 'ConfigMap', metadata: meta('set'), data: { a: 'b' } },
  {
    apiVersion: 'v1',
    kind: 'Node',
    metadata: { name: 'w-a-1', labels: { 'kubernetes.io/hostname': 'w-a-1' } },
    spec: { podCIDR: '10.61.4.0/24' }
  },
  {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name: 'steady-block' },
    provisioner: 'block.standin.example',
    allowVolumeExpansion: true
  },
  {
    apiVersion: 'snapshot.storage.k8s.io/v1',
    kind: 'VolumeSnapshot',
    metadata: meta('then'),
    spec: { volumeSnapshotClassName: 'snaps', source: { persistentVolumeClaimName: 'one' } }
  },
  {
    apiVersion: 'policy/v1',
    kind: 'PodDisruptionBudget',
    metadata: meta('keep'),
    spec: { minAvailable: 1, selector: { matchLabels: { app: 'one' } } }
  },
  { apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: 'dark' }, spec: { dark: ['w-a-1'] } },
  { apiVersion: 'standin.example/v1', kind: 'Emptying', metadata: { name: 'w-a-1' }, spec: { nodes: ['w-a-1'] } },
  { apiVersion: 'standin.example/v1', kind: 'Rest', metadata: meta('one'), spec: { workload: 'one' } },
  { apiVersion: 'standin.example/v1', kind: 'Tunnel', metadata: meta('to-one'), spec: { service: 'one' } },
  {
    apiVersion: 'standin.example/v1',
    kind: 'Registry',
    metadata: { name: 'shelf' },
    spec: { host: 'shelf.standin.example', reachable: true }
  },
  {
    apiVersion: 'v1',
    kind: 'ResourceQuota',
    metadata: meta('cap'),
    spec: { hard: { pods: '3', 'requests.storage': '12Gi', 'limits.memory': '1Gi' } }
  },
  {
    apiVersion: 'v1',
    kind: 'LimitRange',
    metadata: meta('bounds'),
    spec: { limits: [{ type: 'Container', default: { memory: '64Mi', cpu: '100m' }, max: { memory: '128Mi' } }] }
  },
  { apiVersion: 'scheduling.k8s.io/v1', kind: 'PriorityClass', metadata: { name: 'high' }, value: 1_000, globalDefault: true },
  {
    apiVersion: 'networking.k8s.io/v1',
    kind: 'NetworkPolicy',
    metadata: meta('quiet'),
    spec: { podSelector: {}, policyTypes: ['Ingress', 'Egress'] }
  },
  {
    apiVersion: 'batch/v1',
    kind: 'CronJob',
    metadata: meta('nightly'),
    spec: { schedule: '*/30 * * * *', jobTemplate: { spec: { template: template('task', { restartPolicy: 'Never' }) } } }
  },
  {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: meta('early'),
    spec: pod({
      initContainers: [
        { name: 'beside', image: 'shelf.standin.example/tools/t:1', restartPolicy: 'Always' },
        { name: 'first', image: 'shelf.standin.example/tools/t:1', envFrom: [{ configMapRef: { name: 'set' } }] }
      ],
      volumes: [{ name: 'own', ephemeral: { volumeClaimTemplate: { spec: claim } } }]
    })
  },
  {
    apiVersion: 'rbac.authorization.k8s.io/v1',
    kind: 'ClusterRole',
    metadata: { name: 'block-driver' },
    rules: [{ apiGroups: [''], resources: ['persistentvolumes'], verbs: ['get'] }]
  },
  { apiVersion: 'engines.standin.example/v1', kind: 'Pool', metadata: { name: 'pool' }, spec: { copies: 2, keepers: 3 } },
  {
    apiVersion: 'engines.standin.example/v1',
    kind: 'Topic',
    metadata: meta('topic'),
    spec: { workload: 'one', partitions: 3, copies: 2, least: 1 }
  }
];

/** What is put in somewhere: odd, and often valid. */
const odd: unknown[] = [
  0,
  1,
  -1,
  2,
  7,
  5_000,
  2 ** 31,
  '',
  'one',
  'a b',
  '0',
  '25%',
  '200%',
  'yes',
  true,
  false,
  null,
  [],
  {},
  ['example.com/mine'],
  ['kubernetes.io/pvc-protection', 'example.com/mine'],
  { app: 'one' },
  { app: 'two' },
  '10.0.0',
  '10.61.0.0/16',
  'fd00::/64',
  '5Gi',
  '0',
  '1e-3',
  '3Ei',
  'IfHealthyBudget',
  'Never',
  'Always',
  'OnDelete',
  'Parallel',
  'Retain',
  'Delete',
  'Immediate',
  'WaitForFirstConsumer',
  'ReadWriteMany',
  'Block',
  'None',
  'ExternalName',
  '2020-01-01T00:00:00Z',
  [{ key: 'x', effect: 'NoSchedule' }],
  [{ apiVersion: 'v1', kind: 'Pod', name: 'probe', uid: 'x', controller: true }],
  [{ key: 'a', operator: 'Exists' }],
  { whenScaled: 'Delete', whenDeleted: 'Delete' },
  { name: 'then', kind: 'VolumeSnapshot', apiGroup: 'snapshot.storage.k8s.io' },
  [{ name: 'd', emptyDir: {} }]
];
/** Fields that are added to whatever is there. */
const fields = [
  'metadata.finalizers',
  'metadata.ownerReferences',
  'metadata.deletionTimestamp',
  'metadata.labels',
  'metadata.annotations',
  'metadata.namespace',
  'metadata.uid',
  'metadata.resourceVersion',
  'metadata.generateName',
  'spec.replicas',
  'spec.paused',
  'spec.ordinals',
  'spec.podManagementPolicy',
  'spec.updateStrategy',
  'spec.minReadySeconds',
  'spec.persistentVolumeClaimRetentionPolicy',
  'spec.strategy',
  'spec.completions',
  'spec.backoffLimit',
  'spec.parallelism',
  'spec.selector',
  'spec.serviceName',
  'spec.volumeName',
  'spec.claimRef',
  'spec.dataSource',
  'spec.volumeMode',
  'spec.storageClassName',
  'spec.accessModes',
  'spec.persistentVolumeReclaimPolicy',
  'spec.nodeAffinity',
  'spec.template.spec.nodeSelector',
  'spec.template.spec.tolerations',
  'spec.template.spec.volumes',
  'spec.template.spec.serviceAccountName',
  'spec.nodeName',
  'spec.taints',
  'spec.unschedulable',
  'spec.podCIDR',
  'spec.type',
  'spec.clusterIP',
  'spec.maxUnavailable',
  'spec.minAvailable',
  'provisioner',
  'volumeBindingMode',
  'reclaimPolicy',
  'parameters',
  'status',
  'spec.dark',
  'spec.cut',
  'spec.slow',
  'spec.losesDirectories',
  'spec.logins',
  'spec.reachable',
  'spec.bytesPerSecond',
  'spec.recoveryBytesPerSecond',
  'spec.keepers',
  'spec.terminationGracePeriodSeconds',
  'spec.restartPolicy',
  'spec.template.spec.restartPolicy',
  'spec.resources',
  'spec.volumeAttributesClassName',
  'spec.template.spec.initContainers',
  'spec.template.spec.priorityClassName',
  'spec.priorityClassName',
  'spec.revisionHistoryLimit',
  'spec.progressDeadlineSeconds',
  'spec.schedule',
  'spec.concurrencyPolicy',
  'spec.suspend',
  'spec.hard',
  'spec.scopes',
  'spec.policyTypes',
  'value'
];
function set(object: Record<string, unknown>, path: string, value: unknown): void {
  const steps = path.split('.');
  let at = object;
  for (const step of steps.slice(0, -1)) {
    if (typeof at[step] !== 'object' || at[step] === null) at[step] = {};
    at = at[step] as Record<string, unknown>;
  }
  at[steps.at(-1)!] = value;
}
/** Values that fit some fields, so that more of what is made up is taken. */
const fitting: Record<string, readonly unknown[]> = {
  'metadata.finalizers': [['example.com/mine'], ['kubernetes.io/pvc-protection', 'example.com/mine'], ['example.com/a', 'example.com/b']],
  'metadata.ownerReferences': [[{ apiVersion: 'v1', kind: 'Pod', name: 'probe', uid: 'x', controller: true }]],
  'metadata.labels': [{ app: 'one' }, { app: 'two' }],
  'spec.replicas': [0, 1, 7, 40],
  'spec.podManagementPolicy': ['Parallel'],
  'spec.updateStrategy': [{ type: 'OnDelete' }],
  'spec.strategy': [{ type: 'Recreate' }],
  'spec.completions': [0, 1, 7],
  'spec.backoffLimit': [0, 1],
  'spec.accessModes': [['ReadWriteMany'], ['ReadWriteOncePod']],
  'spec.persistentVolumeReclaimPolicy': ['Retain', 'Delete'],
  reclaimPolicy: ['Retain', 'Delete'],
  volumeBindingMode: ['Immediate', 'WaitForFirstConsumer'],
  'spec.minAvailable': [0, '25%', '200%'],
  'spec.maxUnavailable': [0, '25%'],
  'spec.dark': [['w-a-1', 'w-b-1']],
  'spec.clusterIP': ['None'],
  'spec.template.spec.priorityClassName': ['high', 'system-node-critical'],
  'spec.priorityClassName': ['high'],
  'spec.revisionHistoryLimit': [0, 1],
  'spec.concurrencyPolicy': ['Forbid', 'Replace'],
  'spec.schedule': ['* * * * *', '0 0 30 2 *'],
  'spec.hard': [{ pods: '0' }, { 'count/jobs.batch': '1' }, { 'requests.cpu': '1' }],
  'spec.scopes': [['BestEffort'], ['NotTerminating']]
};
const valueOf = (field: string) =>
  fitting[field]
    ? fc.oneof({ weight: 3, arbitrary: fc.constantFrom(...fitting[field]) }, { weight: 1, arbitrary: fc.constantFrom(...odd) })
    : fc.constantFrom(...odd);
const change = fc
  .oneof({ weight: 1, arbitrary: fc.constantFrom(...Object.keys(fitting)) }, { weight: 1, arbitrary: fc.constantFrom(...fields) })
  .chain((field) => fc.tuple(fc.constant(field), valueOf(field)));
const bent = fc.tuple(fc.constantFrom(...seeds), fc.array(change, { maxLength: 2 })).map(([seed, changes]) => {
  const object = structuredClone(seed);
  for (const [path, value] of changes) set(object, path, value);
  return object;
});
const deeds = fc.array(
  fc.record({ which: fc.nat(1), what: fc.constantFrom('remove', 'keep', 'force', 'again', 'write', 'ahead'), ms: fc.nat(90_000) }),
  {
    maxLength: 3
  }
);

const least = 0.25;
const runs = Number(process.env.REST_RUNS ?? 500);

test('everything comes to rest: whatever is taken, alone or in pairs, and taken away again', () => {
  const base = roomy({ nodes: 1 });
  const saved = structuredClone(base.save()) as Snapshot;
  let taken = 0;
  let asked = 0;
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
        if (what === 'remove' || what === 'keep') world.act({ type: 'remove', ref, keepMembers: what === 'keep' });
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
    }),
    { numRuns: runs, seed: 13 }
  );
  expect(taken / asked).toBeGreaterThan(least);
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
