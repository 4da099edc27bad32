import type { Facts, Kind } from '../../model';
import { Store } from './store';

/** What counts for placing: of all namespaces, and of those that somebody is let into. */
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
  'ControllerRevision',
  'NetworkPolicy'
];

/**
 * A copy of what counts for letting pods in and placing them, that nobody plays.
 * @param spaces namespaces whose quotas, accounts and makers are taken along
 */
export function copyOf(there: Facts, spaces: ReadonlySet<string>): Store {
  const store = new Store(there.knowsProvider);
  store.nowMs = there.nowMs;
  store.scope = there.scope;
  for (const kind of everywhere) for (const one of there.list(kind)) store.place(undefined, one);
  for (const kind of inNamespace) for (const space of spaces) for (const one of there.list(kind, space)) store.place(undefined, one);
  return store;
}
