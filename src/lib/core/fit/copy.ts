import type { Facts, Kind } from '../model';
import { Store } from '../standin';

/** What is looked at of a cluster: of all namespaces, and of those that something is sent to. */
const everywhere: readonly Kind[] = [
  'Ground',
  'Backend',
  'Registry',
  'Namespace',
  'Node',
  'CSINode',
  'CSIDriver',
  'CSIStorageCapacity',
  'StorageClass',
  'PersistentVolume',
  'PersistentVolumeClaim',
  'Pod',
  'PriorityClass',
  'PodDisruptionBudget'
];
const inNamespace: readonly Kind[] = [
  'LimitRange',
  'ResourceQuota',
  'ServiceAccount',
  'ConfigMap',
  'Secret',
  'Service',
  'StatefulSet',
  'Deployment',
  'ReplicaSet',
  'DaemonSet',
  'Job',
  'CronJob',
  'ControllerRevision'
];

/** A copy of what counts for placing, that nobody plays. */
export function copyOf(there: Facts, spaces: ReadonlySet<string>): Store {
  const store = new Store(there.knowsProvider);
  store.nowMs = there.nowMs;
  store.scope = there.scope;
  for (const kind of everywhere) for (const one of there.list(kind)) store.place(undefined, one);
  for (const kind of inNamespace) for (const space of spaces) for (const one of there.list(kind, space)) store.place(undefined, one);
  return store;
}
