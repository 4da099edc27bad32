import { claimsOf, selectedNodeMark, takesRoom, type ApiObject, type KindMap } from '../../model';
import { driverPartOf, enginePartOf, poolPartOf, workloadOf, workloadOfTemplate } from '../provider/images';

/** One way to find objects quickly: which kind, and under which keys an object of it stands. */
interface Indexer {
  readonly kind: keyof KindMap | '*';
  keys(object: ApiObject): readonly string[];
  /** Whether two versions of an object surely stand under the same keys: what the keys are made of is the same. Left out: they may not. */
  alike?(before: ApiObject, after: ApiObject): boolean;
}

const none: readonly string[] = [];

const indexer = <K extends keyof KindMap>(
  kind: K,
  keys: (object: KindMap[K]) => readonly string[],
  alike?: (before: KindMap[K], after: KindMap[K]) => boolean
): Indexer => ({
  kind,
  keys: keys as Indexer['keys'],
  ...(alike ? { alike: alike as NonNullable<Indexer['alike']> } : {})
});

type Pod = KindMap['Pod'];
const sameVolumes = (a: Pod, b: Pod): boolean => a.spec.volumes === b.spec.volumes;
const sameContainers = (a: Pod, b: Pod): boolean => a.spec.containers === b.spec.containers;
const sameMeta = (a: ApiObject, b: ApiObject): boolean => a.metadata === b.metadata;

/** The key under which a service stands for finding it by a pod's labels: its first pair in the order of keys. */
export function firstPair(namespace: string, selector: Readonly<Record<string, string>> | undefined): string | undefined {
  if (!selector) return undefined;
  const first = Object.keys(selector).sort()[0];
  return first === undefined ? undefined : `${namespace}|${first}=${selector[first]}`;
}

const pairs = new WeakMap<object, readonly string[]>();

/** The pairs of a pod's labels, each as a selector would be found by it. */
export function pairKeys(pod: Pod): readonly string[] {
  const labels = pod.metadata.labels;
  if (!labels) return none;
  let keys = pairs.get(labels);
  if (!keys) {
    keys = Object.keys(labels).map((key) => `${pod.metadata.namespace}|${key}=${labels[key]}`);
    pairs.set(labels, keys);
  }
  return keys;
}

/** Under which keys a pod stands that keeps others apart from it: by a pair of the labels that they bear, or by namespace for all. */
function apartKeys(pod: Pod): readonly string[] {
  const terms = pod.spec.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution;
  if (!terms?.length) return none;
  return terms.flatMap(({ namespaces, labelSelector, ...term }) =>
    // Whom a selector of namespaces means isn't known from the pod alone.
    (term as { namespaceSelector?: unknown }).namespaceSelector !== undefined
      ? ['*']
      : (namespaces?.length ? namespaces : [pod.metadata.namespace ?? '']).map(
          (namespace) => firstPair(namespace, labelSelector?.matchLabels) ?? `${namespace}|`
        )
  );
}

/** All the indexes of a store. Adding one here is all it takes. */
export const indexers = {
  podsOnNode: indexer('Pod', (pod) => (pod.spec.nodeName && takesRoom(pod) ? [pod.spec.nodeName] : none)),
  podsOfClaim: indexer(
    'Pod',
    (pod) => claimsOf(pod.spec, pod.metadata.name).map((claim) => `${pod.metadata.namespace}/${claim}`),
    sameVolumes
  ),
  podsOfDriver: indexer(
    'Pod',
    (pod) => {
      const part = driverPartOf(pod.spec);
      return part ? [`${part.driver}|${part.part}`] : none;
    },
    sameContainers
  ),
  podsOfPool: indexer(
    'Pod',
    (pod) => {
      const part = poolPartOf(pod.spec);
      return part ? [part] : none;
    },
    sameContainers
  ),
  podsOfWorkload: indexer(
    'Pod',
    (pod) => (enginePartOf(pod) ? [`${pod.metadata.namespace}/${workloadOf(pod)}`] : none),
    (a, b) => sameContainers(a, b) && sameMeta(a, b)
  ),
  setsOfWorkload: indexer('StatefulSet', (set) => [`${set.metadata.namespace}/${workloadOfTemplate(set)}`]),
  podsByPair: indexer('Pod', pairKeys, (a, b) => a.metadata.labels === b.metadata.labels),
  keepingApart: indexer('Pod', apartKeys, (a, b) => a.spec.affinity === b.spec.affinity),
  owned: {
    kind: '*',
    keys: (object) => object.metadata.ownerReferences?.map((owner) => owner.uid) ?? none,
    alike: (a, b) => a.metadata.ownerReferences === b.metadata.ownerReferences
  } satisfies Indexer as Indexer,
  events: indexer('Event', (event) => [
    `${event.involvedObject.kind} ${event.involvedObject.namespace ?? ''}/${event.involvedObject.name}`
  ]),
  servicesByPair: indexer('Service', (service) => {
    const pair = firstPair(service.metadata.namespace ?? '', service.spec.selector);
    return pair ? [pair] : none;
  }),
  processes: indexer('Process', ({ metadata, spec }) => [`${metadata.namespace}/${spec.workload}`]),
  asks: indexer('Ask', ({ metadata, spec, status }) => (status?.outcome ? none : [`${metadata.namespace}/${spec.workload}`])),
  slices: indexer('EndpointSlice', (slice) => {
    const service = slice.metadata.labels?.['kubernetes.io/service-name'];
    return service ? [`${slice.metadata.namespace}/${service}`] : none;
  }),
  claimsOfClass: indexer('PersistentVolumeClaim', (claim) => (claim.spec.volumeName ? none : [claim.spec.storageClassName ?? '(none)'])),
  claimsOfNode: indexer('PersistentVolumeClaim', (claim) => {
    const node = claim.metadata.annotations?.[selectedNodeMark];
    return node && !claim.spec.volumeName ? [node] : none;
  }),
  freeVolumes: indexer('PersistentVolume', (volume) => (volume.spec.claimRef ? none : [volume.spec.storageClassName ?? ''])),
  volumesOfClaim: indexer('PersistentVolume', ({ spec }) => (spec.claimRef ? [`${spec.claimRef.namespace}/${spec.claimRef.name}`] : none)),
  snapshotsOfClaim: indexer('VolumeSnapshot', ({ metadata, spec }) =>
    spec.source.persistentVolumeClaimName ? [`${metadata.namespace}/${spec.source.persistentVolumeClaimName}`] : none
  ),
  claimsOfSource: indexer('PersistentVolumeClaim', ({ metadata, spec }) =>
    spec.dataSource && !spec.volumeName ? [`${spec.dataSource.kind} ${metadata.namespace}/${spec.dataSource.name}`] : none
  ),
  volumesOfHandle: indexer('PersistentVolume', ({ spec }) => (spec.csi ? [spec.csi.volumeHandle] : none)),
  attachments: indexer('VolumeAttachment', ({ spec }) => [spec.source.persistentVolumeName ?? ''])
};

/** Every index of the store. */
export type IndexName = keyof typeof indexers;
