import fc from 'fast-check';

/* Objects of all kinds, and what is put into them: odd, and often valid. */
const meta = (name: string, more: object = {}) => ({ name, namespace: 'default', ...more });
const pod = (more: object = {}) => ({
  containers: [{ name: 'main', image: 'shelf.standin.example/tools/t:1' }],
  ...more
});
const template = (app: string, more: object = {}) => ({ metadata: { labels: { app } }, spec: pod(more) });
export const claim = { accessModes: ['ReadWriteOnce'], storageClassName: 'steady-block', resources: { requests: { storage: '5Gi' } } };
export const seeds: Record<string, unknown>[] = [
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
  },
  {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'VolumeAttributesClass',
    metadata: { name: 'one' },
    driverName: 'block.standin.example',
    parameters: { speed: 'fast' }
  },
  { apiVersion: 'v1', kind: 'PersistentVolumeClaim', metadata: meta('one'), spec: { ...claim, volumeAttributesClassName: 'one' } },
  {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'CSIStorageCapacity',
    metadata: meta('room'),
    storageClassName: 'steady-block',
    nodeTopology: {},
    capacity: '5Gi'
  },
  {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'CSIDriver',
    metadata: { name: 'block.standin.example' },
    spec: { storageCapacity: true }
  },
  {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: meta('hooked'),
    spec: {
      containers: [
        {
          name: 'main',
          image: 'shelf.standin.example/tools/t:1',
          lifecycle: { postStart: { exec: { command: ['sleep', '7'] } }, preStop: { httpGet: { port: 80 } } }
        }
      ],
      volumes: [{ name: 'd', hostPath: { path: '/data/a', type: 'DirectoryOrCreate' } }]
    }
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
  'spec.volumeAttributesClassName',
  'spec.storageCapacity',
  'spec.updateStrategy.rollingUpdate.maxUnavailable',
  'capacity',
  'nodeTopology',
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
export function set(object: Record<string, unknown>, path: string, value: unknown): void {
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
/** A field, and what is put into it. */
export const change = fc
  .oneof({ weight: 1, arbitrary: fc.constantFrom(...Object.keys(fitting)) }, { weight: 1, arbitrary: fc.constantFrom(...fields) })
  .chain((field) => fc.tuple(fc.constant(field), valueOf(field)));
export const bent = fc.tuple(fc.constantFrom(...seeds), fc.array(change, { maxLength: 2 })).map(([seed, changes]) => {
  const object = structuredClone(seed);
  for (const [path, value] of changes) set(object, path, value);
  return object;
});
