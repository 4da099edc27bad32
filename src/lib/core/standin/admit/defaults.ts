import { encode } from 'js-base64';
import { withLimits } from './limits';
import { defaultClass, type ApiObject, type Facts, type KindMap } from '../../model';

type Fill<K extends keyof KindMap> = (object: KindMap[K], facts: Facts) => KindMap[K];
type Fills = { readonly [K in keyof KindMap]?: Fill<K> };

const withFinalizer = (object: ApiObject, finalizer: string): string[] =>
  object.metadata.finalizers?.includes(finalizer) ? object.metadata.finalizers : [...(object.metadata.finalizers ?? []), finalizer];

/** Keeps a claim while a pod uses it (published). */
export const claimFinalizer = 'kubernetes.io/pvc-protection';
/** Keeps a volume while a claim is bound to it (published). */
export const volumeFinalizer = 'kubernetes.io/pv-protection';

/** The two fields for a claim's source follow each other, but for one in another namespace. Source: PersistentVolumeClaimSpec v1 core. */
function withSource(spec: KindMap['PersistentVolumeClaim']['spec']): KindMap['PersistentVolumeClaim']['spec'] {
  const { dataSource, dataSourceRef } = spec;
  if (dataSource && !dataSourceRef) return { ...spec, dataSourceRef: dataSource };
  const own = dataSourceRef && !dataSourceRef.namespace && ['PersistentVolumeClaim', 'VolumeSnapshot'].includes(dataSourceRef.kind);
  if (!dataSource && own) {
    const { apiGroup, kind, name } = dataSourceRef;
    return { ...spec, dataSource: { ...(apiGroup === undefined ? {} : { apiGroup }), kind, name } };
  }
  return spec;
}

/** The defaults of the cluster API, per kind. Source: the API's reference, "default" of each field. */
const fills: Fills = {
  Namespace: (one) => ({
    ...one,
    metadata: { ...one.metadata, labels: { 'kubernetes.io/metadata.name': one.metadata.name, ...one.metadata.labels } },
    status: { phase: 'Active', ...one.status }
  }),
  Secret: ({ stringData, ...one }) => {
    const typed = Object.fromEntries(Object.entries(stringData ?? {}).map(([key, value]) => [key, encode(value)]));
    return { ...one, type: one.type ?? 'Opaque', data: { ...one.data, ...typed } } as KindMap['Secret'];
  },
  StorageClass: (one) => ({
    ...one,
    reclaimPolicy: one.reclaimPolicy ?? 'Delete',
    volumeBindingMode: one.volumeBindingMode ?? 'Immediate'
  }),
  CSIDriver: (one) => ({
    ...one,
    spec: { attachRequired: true, podInfoOnMount: false, storageCapacity: false, volumeLifecycleModes: ['Persistent'], ...one.spec }
  }),
  PersistentVolumeClaim: (one, facts) => {
    const named = one.spec.storageClassName ?? defaultClass(facts)?.metadata.name;
    return {
      ...one,
      metadata: { ...one.metadata, finalizers: withFinalizer(one, claimFinalizer) },
      spec: withSource({ volumeMode: 'Filesystem', ...one.spec, ...(named === undefined ? {} : { storageClassName: named }) }),
      status: one.status ?? { phase: 'Pending' }
    };
  },
  PersistentVolume: (one) => ({
    ...one,
    metadata: { ...one.metadata, finalizers: withFinalizer(one, volumeFinalizer) },
    spec: { volumeMode: 'Filesystem', persistentVolumeReclaimPolicy: 'Retain', ...one.spec },
    status: one.status ?? { phase: 'Available' }
  }),
  Service: (one) => ({
    ...one,
    spec: {
      type: 'ClusterIP',
      ...one.spec,
      ports: one.spec.ports?.map((port) => ({ protocol: 'TCP', targetPort: port.port, ...port }))
    }
  }),
  Pod: (one, facts) => {
    const pod: KindMap['Pod'] = {
      ...one,
      spec: { restartPolicy: 'Always', terminationGracePeriodSeconds: 30, serviceAccountName: 'default', ...one.spec },
      status: one.status ?? { phase: 'Pending' }
    };
    // What a pod was let in with stays; ranges and classes count for new ones.
    return facts.get('Pod', one.metadata.namespace ?? '', one.metadata.name) ? pod : withLimits(pod, facts);
  },
  StatefulSet: (one) => ({
    ...one,
    spec: {
      replicas: 1,
      podManagementPolicy: 'OrderedReady',
      revisionHistoryLimit: 10,
      ...one.spec,
      updateStrategy: { type: 'RollingUpdate', ...one.spec.updateStrategy },
      persistentVolumeClaimRetentionPolicy: {
        whenDeleted: 'Retain',
        whenScaled: 'Retain',
        ...one.spec.persistentVolumeClaimRetentionPolicy
      }
    }
  }),
  Deployment: (one) => ({ ...one, spec: { replicas: 1, ...one.spec, strategy: { type: 'RollingUpdate', ...one.spec.strategy } } })
};

/** An object with the API's defaults filled in. */
export function filled(object: ApiObject, facts: Facts): ApiObject {
  const fill = fills[object.kind] as ((one: ApiObject, facts: Facts) => ApiObject) | undefined;
  return fill ? fill(object, facts) : object;
}
