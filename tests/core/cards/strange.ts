import { stringify } from 'yaml';

/* An export of a cluster whose driver and database the stand-in doesn't ship. All of it is made up. */

export const image = 'images.kiln.example/db/ledgerd';
export const driverName = 'disks.kiln.example';
export const takenMs = Date.parse('2026-11-20T12:00:00Z');
const at = (second: number): string => new Date(takenMs - 3_600_000 + second * 1_000).toISOString().replace('.000', '');

const zones = ['a', 'b', 'c'];
const nodes = zones.flatMap((zone, i) => [
  {
    apiVersion: 'v1',
    kind: 'Node',
    metadata: { name: `k-${i}`, uid: `node-${i}`, labels: { 'topology.kubernetes.io/zone': zone, 'kubernetes.io/hostname': `k-${i}` } },
    spec: {},
    status: {
      allocatable: { cpu: '8', memory: '32Gi', pods: '110' },
      capacity: { cpu: '8', memory: '32Gi', pods: '110' },
      conditions: [{ type: 'Ready', status: 'True' }],
      addresses: [{ type: 'InternalIP', address: `10.9.0.${i + 4}` }],
      nodeInfo: { kubeletVersion: 'v1.32.4' }
    }
  },
  {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'CSINode',
    metadata: { name: `k-${i}` },
    spec: { drivers: [{ name: driverName, nodeID: `k-${i}`, topologyKeys: ['topology.kubernetes.io/zone'], allocatable: { count: 12 } }] }
  }
]);

/** How long starts took, member by member, in seconds. */
export const startSeconds = [12, 9, 17];
/** How long volumes took to be made, and to be attached after the pod had a node. */
export const madeSeconds = [6, 5, 8];
export const attachedSeconds = [21, 19, 24];

function member(i: number, own: Record<string, unknown> = {}): unknown[] {
  const [claim, volume, pod] = [`data-ledger-${i}`, `pvc-l${i}`, `ledger-${i}`];
  const claimUid = `claim-${i}`;
  const event = (kind: string, name: string, uid: string, reason: string, message: string, second: number) => ({
    apiVersion: 'v1',
    kind: 'Event',
    metadata: { name: `${name}.${reason.toLowerCase()}`, namespace: 'till' },
    involvedObject: { kind, namespace: 'till', name, uid },
    reason,
    message,
    type: 'Normal',
    count: 1,
    firstTimestamp: at(second),
    lastTimestamp: at(second)
  });
  const began = 100 + i * 60;
  return [
    {
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: { name: claim, namespace: 'till', uid: claimUid, creationTimestamp: at(began), labels: { app: 'ledger' } },
      spec: {
        accessModes: ['ReadWriteOnce'],
        storageClassName: 'kiln-fast',
        volumeMode: 'Filesystem',
        volumeName: volume,
        resources: { requests: { storage: '50Gi' } }
      },
      status: { phase: 'Bound', capacity: { storage: '50Gi' }, accessModes: ['ReadWriteOnce'] }
    },
    {
      apiVersion: 'v1',
      kind: 'PersistentVolume',
      metadata: { name: volume, uid: `volume-${i}`, creationTimestamp: at(began + 7) },
      spec: {
        capacity: { storage: '50Gi' },
        accessModes: ['ReadWriteOnce'],
        persistentVolumeReclaimPolicy: 'Delete',
        storageClassName: 'kiln-fast',
        claimRef: { kind: 'PersistentVolumeClaim', namespace: 'till', name: claim, uid: claimUid },
        csi: { driver: driverName, volumeHandle: `handle-${i}`, fsType: 'ext4' },
        nodeAffinity: {
          required: {
            nodeSelectorTerms: [{ matchExpressions: [{ key: 'topology.kubernetes.io/zone', operator: 'In', values: [zones[i]] }] }]
          }
        }
      },
      status: { phase: 'Bound' }
    },
    {
      apiVersion: 'storage.k8s.io/v1',
      kind: 'VolumeAttachment',
      metadata: { name: `attach-${i}`, uid: `attachment-${i}` },
      spec: { attacher: driverName, nodeName: `k-${i}`, source: { persistentVolumeName: volume } },
      status: { attached: true }
    },
    {
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: {
        name: pod,
        namespace: 'till',
        uid: `pod-${i}`,
        creationTimestamp: at(began),
        labels: { app: 'ledger', 'apps.kubernetes.io/pod-index': String(i), 'controller-revision-hash': 'r1' },
        ownerReferences: [{ apiVersion: 'apps/v1', kind: 'StatefulSet', name: 'ledger', uid: 'set-ledger', controller: true }]
      },
      spec: {
        ...template.spec,
        hostname: pod,
        subdomain: 'ledger',
        nodeName: `k-${i}`,
        volumes: [{ name: 'data', persistentVolumeClaim: { claimName: claim } }]
      },
      status: {
        phase: 'Running',
        podIP: `10.20.${i}.7`,
        conditions: [
          { type: 'PodScheduled', status: 'True', lastTransitionTime: at(began + 10) },
          { type: 'Ready', status: 'True', lastTransitionTime: at(began + 40 + startSeconds[i]!) }
        ],
        containerStatuses: [
          {
            name: 'ledgerd',
            ready: true,
            restartCount: 0,
            image: `${image}:4.1`,
            imageID: '',
            state: { running: { startedAt: at(began + 40) } }
          }
        ],
        ...own
      }
    },
    event('PersistentVolumeClaim', claim, claimUid, 'Provisioning', 'External provisioner is provisioning volume', began + 1),
    event('PersistentVolumeClaim', claim, claimUid, 'ProvisioningSucceeded', `made ${volume}`, began + 1 + madeSeconds[i]!),
    event(
      'Pod',
      pod,
      `pod-${i}`,
      'SuccessfulAttachVolume',
      `AttachVolume.Attach succeeded for volume "${volume}"`,
      began + 10 + attachedSeconds[i]!
    )
  ];
}

const template = {
  metadata: { labels: { app: 'ledger' } },
  spec: {
    containers: [
      {
        name: 'ledgerd',
        image: `${image}:4.1`,
        ports: [
          { name: 'clients', containerPort: 6200 },
          { name: 'members', containerPort: 6201 }
        ],
        resources: { requests: { cpu: '500m', memory: '2Gi' } },
        volumeMounts: [{ name: 'data', mountPath: '/var/ledger' }]
      }
    ]
  }
};

/** The objects of the export; `status` goes into each member's pod. */
export const strangeObjects = (status: (i: number) => Record<string, unknown> = () => ({})): unknown[] => [
  ...nodes,
  { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'till', uid: 'space-till' }, status: { phase: 'Active' } },
  { apiVersion: 'storage.k8s.io/v1', kind: 'CSIDriver', metadata: { name: driverName }, spec: { attachRequired: true } },
  {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name: 'kiln-fast' },
    provisioner: driverName,
    volumeBindingMode: 'WaitForFirstConsumer',
    allowVolumeExpansion: true
  },
  ...['ledger', 'ledger-clients'].map((name) => ({
    apiVersion: 'v1',
    kind: 'Service',
    metadata: { name, namespace: 'till' },
    spec: {
      ...(name === 'ledger' ? { clusterIP: 'None' } : { clusterIP: '10.30.0.9' }),
      selector: { app: 'ledger' },
      ports: [{ name: 'clients', port: 6200, targetPort: 6200 }]
    }
  })),
  {
    apiVersion: 'apps/v1',
    kind: 'StatefulSet',
    metadata: { name: 'ledger', namespace: 'till', uid: 'set-ledger', generation: 1 },
    spec: {
      replicas: 3,
      podManagementPolicy: 'OrderedReady',
      revisionHistoryLimit: 10,
      updateStrategy: { type: 'RollingUpdate' },
      persistentVolumeClaimRetentionPolicy: { whenDeleted: 'Retain', whenScaled: 'Retain' },
      serviceName: 'ledger',
      selector: { matchLabels: { app: 'ledger' } },
      template,
      volumeClaimTemplates: [
        {
          metadata: { name: 'data' },
          spec: { accessModes: ['ReadWriteOnce'], storageClassName: 'kiln-fast', resources: { requests: { storage: '50Gi' } } }
        }
      ]
    },
    status: { replicas: 3, readyReplicas: 3, currentRevision: 'r1', updateRevision: 'r1', observedGeneration: 1 }
  },
  ...[0, 1, 2].flatMap((i) => member(i, status(i)))
];

/** The same as the text that a reader brings. */
export const strangeText = (): string =>
  stringify({ apiVersion: 'v1', kind: 'List', items: strangeObjects() }, { lineWidth: 0, aliasDuplicateObjects: false });
