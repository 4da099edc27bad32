/** One thing tried: fields laid over those at the section's place, and the field that is refused for it; without one it is taken. */
export type Row = readonly [given: Readonly<Record<string, unknown>>, refused?: string];

/** Rules of one section of the cluster API's published reference, each with what is taken and what is refused. */
export interface Section {
  /** The section, as the reference calls it. */
  readonly of: string;
  /** An object that is taken. */
  readonly base: Readonly<Record<string, unknown>>;
  /** Where in it the rows' fields are laid; '' for the object itself. */
  readonly at: string;
  readonly rows: readonly Row[];
}

const steps = (path: string): (string | number)[] =>
  path === '' ? [] : path.split(/[.[]/).map((one) => (one.endsWith(']') ? Number(one.slice(0, -1)) : one));

/** The base with a row's fields laid over it. A field of undefined is taken out. */
export function laid({ base, at }: Section, given: Row[0]): Record<string, unknown> {
  const object = structuredClone(base) as Record<string, unknown>;
  let place: Record<string, unknown> = object;
  for (const step of steps(at)) place = (place[step] ??= {}) as Record<string, unknown>;
  for (const [field, value] of Object.entries(given))
    if (value === undefined) delete place[field];
    else place[field] = structuredClone(value);
  return object;
}

/** The refused field as the whole object's path. A name that begins with "/" counts from the object itself. */
export const fieldOf = ({ at }: Section, refused: string): string =>
  refused.startsWith('/')
    ? refused.slice(1)
    : at === ''
      ? refused
      : refused === ''
        ? at
        : `${at}${refused.startsWith('[') ? '' : '.'}${refused}`;

const metadata = { name: 'one', namespace: 'space' };
const labels = { app: 'one' };
export const podSpec = { containers: [{ name: 'main', image: 'shelf.example.test/tools/one:1' }] };
const template = { metadata: { labels }, spec: podSpec };
const selector = { matchLabels: labels };
export const claimSpec = { accessModes: ['ReadWriteOnce'], resources: { requests: { storage: '2Gi' } } };

/** An object of each kind that is taken. */
export const good = {
  Pod: { apiVersion: 'v1', kind: 'Pod', metadata, spec: podSpec },
  StatefulSet: { apiVersion: 'apps/v1', kind: 'StatefulSet', metadata, spec: { serviceName: 'one', selector, template } },
  Deployment: { apiVersion: 'apps/v1', kind: 'Deployment', metadata, spec: { selector, template } },
  DaemonSet: { apiVersion: 'apps/v1', kind: 'DaemonSet', metadata, spec: { selector, template } },
  Job: { apiVersion: 'batch/v1', kind: 'Job', metadata, spec: { template: { spec: { ...podSpec, restartPolicy: 'Never' } } } },
  PodDisruptionBudget: { apiVersion: 'policy/v1', kind: 'PodDisruptionBudget', metadata, spec: { selector, minAvailable: 1 } },
  Service: { apiVersion: 'v1', kind: 'Service', metadata, spec: { selector: labels, ports: [{ name: 'sql', port: 7110 }] } },
  PersistentVolumeClaim: { apiVersion: 'v1', kind: 'PersistentVolumeClaim', metadata, spec: claimSpec },
  PersistentVolume: {
    apiVersion: 'v1',
    kind: 'PersistentVolume',
    metadata: { name: 'one' },
    spec: { accessModes: ['ReadWriteOnce'], capacity: { storage: '2Gi' }, csi: { driver: 'block.example.test', volumeHandle: 'v-1' } }
  },
  StorageClass: { apiVersion: 'storage.k8s.io/v1', kind: 'StorageClass', metadata: { name: 'one' }, provisioner: 'block.example.test' },
  VolumeAttributesClass: {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'VolumeAttributesClass',
    metadata: { name: 'one' },
    driverName: 'block.example.test',
    parameters: { speed: 'fast' }
  },
  CSIStorageCapacity: {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'CSIStorageCapacity',
    metadata,
    storageClassName: 'steady',
    nodeTopology: { matchLabels: { zone: 'a' } },
    capacity: '90Gi'
  },
  CSIDriver: { apiVersion: 'storage.k8s.io/v1', kind: 'CSIDriver', metadata: { name: 'block.example.test' }, spec: {} },
  VolumeSnapshot: {
    apiVersion: 'snapshot.storage.k8s.io/v1',
    kind: 'VolumeSnapshot',
    metadata,
    spec: { source: { persistentVolumeClaimName: 'data' } }
  },
  ConfigMap: { apiVersion: 'v1', kind: 'ConfigMap', metadata, data: { 'one.conf': 'a=1' } },
  Secret: { apiVersion: 'v1', kind: 'Secret', metadata, stringData: { key: 'value' } },
  Node: { apiVersion: 'v1', kind: 'Node', metadata: { name: 'node-1' }, spec: {} },
  LimitRange: { apiVersion: 'v1', kind: 'LimitRange', metadata, spec: { limits: [{ type: 'Container', max: { memory: '1Gi' } }] } },
  PriorityClass: { apiVersion: 'scheduling.k8s.io/v1', kind: 'PriorityClass', metadata: { name: 'one' }, value: 10 },
  CronJob: {
    apiVersion: 'batch/v1',
    kind: 'CronJob',
    metadata,
    spec: { schedule: '0 3 * * *', jobTemplate: { spec: { template: { spec: { ...podSpec, restartPolicy: 'Never' } } } } }
  },
  EndpointSlice: {
    apiVersion: 'discovery.k8s.io/v1',
    kind: 'EndpointSlice',
    metadata,
    addressType: 'IPv4',
    endpoints: [{ addresses: ['10.61.4.7'] }],
    ports: [{ name: 'sql', port: 7110 }]
  },
  VolumeSnapshotContent: {
    apiVersion: 'snapshot.storage.k8s.io/v1',
    kind: 'VolumeSnapshotContent',
    metadata: { name: 'one' },
    spec: {
      driver: 'block.example.test',
      deletionPolicy: 'Retain',
      source: { snapshotHandle: 'snap-1' },
      volumeSnapshotRef: { name: 'then', namespace: 'space' }
    }
  },
  ResourceQuota: { apiVersion: 'v1', kind: 'ResourceQuota', metadata, spec: { hard: { pods: '4' } } },
  Role: {
    apiVersion: 'rbac.authorization.k8s.io/v1',
    kind: 'Role',
    metadata,
    rules: [{ apiGroups: [''], resources: ['pods'], verbs: ['get'] }]
  },
  ClusterRole: {
    apiVersion: 'rbac.authorization.k8s.io/v1',
    kind: 'ClusterRole',
    metadata: { name: 'one' },
    rules: [{ apiGroups: [''], resources: ['pods'], verbs: ['get'] }]
  },
  RoleBinding: {
    apiVersion: 'rbac.authorization.k8s.io/v1',
    kind: 'RoleBinding',
    metadata,
    subjects: [{ kind: 'ServiceAccount', name: 'default', namespace: 'space' }],
    roleRef: { apiGroup: 'rbac.authorization.k8s.io', kind: 'Role', name: 'one' }
  },
  NetworkPolicy: { apiVersion: 'networking.k8s.io/v1', kind: 'NetworkPolicy', metadata, spec: { podSelector: selector } },
  ValidatingWebhookConfiguration: {
    apiVersion: 'admissionregistration.k8s.io/v1',
    kind: 'ValidatingWebhookConfiguration',
    metadata: { name: 'one' },
    webhooks: [
      {
        name: 'check.example.test',
        clientConfig: { service: { name: 'one', namespace: 'space' } },
        sideEffects: 'None',
        admissionReviewVersions: ['v1']
      }
    ]
  }
} as const;
