import { good, type Row, type Section } from './table';

const of = (kind: keyof typeof good, name: string, rows: readonly Row[], at = 'spec'): Section => ({
  of: name,
  base: good[kind],
  at,
  rows
});
const size = (storage: unknown): Row[0] => ({ resources: { requests: { storage } } });
const snapshot = { apiGroup: 'snapshot.storage.k8s.io', kind: 'VolumeSnapshot', name: 'nightly' };
const local = { csi: undefined, local: { path: '/disks/a' } };
const onNode = {
  required: { nodeSelectorTerms: [{ matchExpressions: [{ key: 'kubernetes.io/hostname', operator: 'In', values: ['node-1'] }] }] }
};
const topology = (one: object): Row[0] => ({ allowedTopologies: [{ matchLabelExpressions: [{ key: 'zone', values: ['a'], ...one }] }] });

export const storage: readonly Section[] = [
  of('PersistentVolumeClaim', 'PersistentVolumeClaimSpec v1 core; "Persistent Volumes"', [
    [{ accessModes: ['ReadWriteOnce', 'ReadOnlyMany'] }],
    [{ accessModes: [] }, 'accessModes'],
    [{ accessModes: undefined }, 'accessModes'],
    [{ accessModes: ['ReadWrite'] }, 'accessModes[0]'],
    [{ accessModes: ['ReadWriteOncePod'] }],
    [{ accessModes: ['ReadWriteOncePod', 'ReadWriteOnce'] }, 'accessModes'],
    [size('1.5Gi')],
    [size(1000)],
    [size('0'), 'resources.requests.storage'],
    [size('-1Gi'), 'resources.requests.storage'],
    [size('ten'), 'resources.requests.storage'],
    [size(undefined), 'resources.requests.storage'],
    [{ storageClassName: '' }],
    [{ storageClassName: 'Fast SSD' }, 'storageClassName'],
    [{ volumeMode: 'Block' }],
    [{ volumeMode: 'Raw' }, 'volumeMode'],
    [{ selector: { matchLabels: { a: 'b c' } } }, 'selector.matchLabels.a'],
    [{ selector: { matchExpressions: [{ key: 'a', operator: 'DoesNotExist', values: ['b'] }] } }, 'selector.matchExpressions[0].values'],
    [{ dataSource: snapshot }],
    [{ dataSource: { kind: 'PersistentVolumeClaim', name: 'other' } }],
    [{ dataSource: { ...snapshot, apiGroup: undefined } }, 'dataSource.apiGroup'],
    [{ dataSource: { ...snapshot, name: '' } }, 'dataSource.name'],
    [{ dataSourceRef: { ...snapshot, kind: '' } }, 'dataSourceRef.kind'],
    [{ dataSource: snapshot, dataSourceRef: snapshot }],
    [{ dataSource: snapshot, dataSourceRef: { ...snapshot, name: 'other' } }, 'dataSource'],
    [{ dataSource: snapshot, dataSourceRef: { ...snapshot, namespace: 'there' } }, 'dataSource'],
    [{ volumeAttributesClassName: '' }, 'volumeAttributesClassName'],
    [{ volumeName: 4 }, 'volumeName']
  ]),
  of('PersistentVolume', 'PersistentVolumeSpec v1 core', [
    [{ capacity: { storage: '0' } }, 'capacity.storage'],
    [{ capacity: { storage: '1Gi', inodes: '5' } }, 'capacity.inodes'],
    [{ capacity: {} }, 'capacity.storage'],
    [{ accessModes: [] }, 'accessModes'],
    [{ accessModes: ['ReadWriteOncePod', 'ReadWriteMany'] }, 'accessModes'],
    [{ csi: undefined }, ''],
    [{ nfs: { server: 'files.test', path: '/a' } }, 'nfs'],
    [{ csi: { driver: 'block.example.test' } }, 'csi.volumeHandle'],
    [{ csi: { driver: 'x'.repeat(64), volumeHandle: 'v' } }, 'csi.driver'],
    [{ csi: { driver: 'Block.Example', volumeHandle: 'v' } }],
    [{ csi: { driver: 'd.test', volumeHandle: 'v', nodeStageSecretRef: { name: 's' } } }, 'csi.nodeStageSecretRef.namespace'],
    [{ ...local, nodeAffinity: onNode }],
    [local, 'nodeAffinity'],
    [{ ...local, local: { path: '/a/../b' }, nodeAffinity: onNode }, 'local.path'],
    [{ csi: undefined, hostPath: { path: '/a' } }],
    [{ csi: undefined, hostPath: { path: '/a/..' } }, 'hostPath.path'],
    [{ csi: undefined, hostPath: { path: '/' }, persistentVolumeReclaimPolicy: 'Recycle' }, 'persistentVolumeReclaimPolicy'],
    [{ csi: undefined, nfs: { server: 'files.test', path: 'a' } }, 'nfs.path'],
    [{ csi: undefined, nfs: { path: '/a' } }, 'nfs.server'],
    [{ persistentVolumeReclaimPolicy: 'Keep' }, 'persistentVolumeReclaimPolicy'],
    [{ volumeMode: 'Device' }, 'volumeMode'],
    [{ storageClassName: 'A b' }, 'storageClassName'],
    [{ nodeAffinity: { required: { nodeSelectorTerms: [] } } }, 'nodeAffinity.required.nodeSelectorTerms'],
    [{ mountOptions: 'hard' }, 'mountOptions']
  ]),
  of(
    'StorageClass',
    'StorageClass v1 storage.k8s.io; "Storage Classes"',
    [
      [{ provisioner: '' }, 'provisioner'],
      [{ provisioner: 'a b' }, 'provisioner'],
      [{ reclaimPolicy: 'Retain' }],
      [{ reclaimPolicy: 'Recycle' }, 'reclaimPolicy'],
      [{ volumeBindingMode: 'WaitForFirstConsumer' }],
      [{ volumeBindingMode: 'Later' }, 'volumeBindingMode'],
      [{ parameters: { '': 'x' } }, 'parameters'],
      [{ parameters: Object.fromEntries(Array.from({ length: 513 }, (_, i) => [`k${i}`, 'x'])) }, 'parameters'],
      [{ parameters: { a: 'x'.repeat(262_144) } }, 'parameters'],
      [{ parameters: { a: 5 } }, 'parameters.a'],
      [topology({})],
      [topology({ values: [] }), 'allowedTopologies[0].matchLabelExpressions[0].values'],
      [topology({ values: ['a', 'a'] }), 'allowedTopologies[0].matchLabelExpressions[0].values[1]'],
      [topology({ key: 'a b' }), 'allowedTopologies[0].matchLabelExpressions[0].key'],
      [{ allowVolumeExpansion: 'yes' }, 'allowVolumeExpansion'],
      [{ mountOptions: ['hard', 4] }, 'mountOptions[1]']
    ],
    ''
  ),
  of(
    'VolumeAttributesClass',
    'VolumeAttributesClass v1 storage.k8s.io',
    [
      [{ driverName: '' }, 'driverName'],
      [{ driverName: 'a b' }, 'driverName'],
      [{ parameters: { speed: 'fast', layout: 'wide' } }],
      [{ parameters: {} }, 'parameters'],
      [{ parameters: undefined }, 'parameters'],
      [{ parameters: { '': 'x' } }, 'parameters'],
      [{ parameters: { speed: 5 } }, 'parameters.speed'],
      [{ parameters: Object.fromEntries(Array.from({ length: 513 }, (_, i) => [`k${i}`, 'x'])) }, 'parameters'],
      [{ parameters: { a: 'x'.repeat(262_144) } }, 'parameters']
    ],
    ''
  ),
  of(
    'CSIStorageCapacity',
    'CSIStorageCapacity v1 storage.k8s.io',
    [
      [{ storageClassName: '' }, 'storageClassName'],
      [{ storageClassName: 'A b' }, 'storageClassName'],
      [{ nodeTopology: undefined }],
      [
        { nodeTopology: { matchExpressions: [{ key: 'zone', operator: 'Near', values: ['a'] }] } },
        'nodeTopology.matchExpressions[0].operator'
      ],
      [{ capacity: '0' }],
      [{ capacity: '-1Gi' }, 'capacity'],
      [{ maximumVolumeSize: '20Gi' }],
      [{ maximumVolumeSize: '-1Gi' }, 'maximumVolumeSize'],
      [{ maximumVolumeSize: 'much' }, 'maximumVolumeSize']
    ],
    ''
  ),
  of('CSIDriver', 'CSIDriverSpec v1 storage.k8s.io', [
    [{ fsGroupPolicy: 'File' }],
    [{ fsGroupPolicy: 'Always' }, 'fsGroupPolicy'],
    [{ volumeLifecycleModes: ['Persistent', 'Ephemeral'] }],
    [{ volumeLifecycleModes: ['Forever'] }, 'volumeLifecycleModes[0]'],
    [{ tokenRequests: [{ audience: 'a' }, { audience: 'a' }] }, 'tokenRequests[1]'],
    [{ tokenRequests: [{ audience: 'a', expirationSeconds: 10 }] }, 'tokenRequests[0].expirationSeconds'],
    [{ attachRequired: 1 }, 'attachRequired']
  ]),
  of(
    'CSIDriver',
    'CSIDriver v1 storage.k8s.io: metadata.name',
    [[{ name: `${'d'.repeat(60)}.test` }, 'name'], [{ name: 'd.test' }]],
    'metadata'
  ),
  of('VolumeSnapshot', 'VolumeSnapshotSpec v1 snapshot.storage.k8s.io', [
    [{ source: { volumeSnapshotContentName: 'kept' } }],
    [{ source: {} }, 'source'],
    [{ source: { persistentVolumeClaimName: 'a', volumeSnapshotContentName: 'b' } }, 'source.volumeSnapshotContentName'],
    [{ volumeSnapshotClassName: '' }, 'volumeSnapshotClassName']
  ])
];
