import { refOf, type ApiObject, type Kind, type KindMap } from '../../../model';
import type { ClusterAccess, Loop, Watch } from '../loop';

const owners: readonly Kind[] = [
  'StatefulSet',
  'Deployment',
  'ReplicaSet',
  'DaemonSet',
  'Job',
  'Pool',
  'Service',
  'Node',
  'MemoryCluster',
  'DocumentSet',
  'OperatorOrder',
  'MemoryDatabase',
  'Account',
  'Pod'
];

/** Kinds that a namespace takes along, in the order in which they go. */
const within: readonly Kind[] = [
  'StatefulSet',
  'Deployment',
  'ReplicaSet',
  'DaemonSet',
  'Job',
  'Pod',
  'VolumeSnapshot',
  'PersistentVolumeClaim',
  'Service',
  'EndpointSlice',
  'Secret',
  'ConfigMap',
  'ServiceAccount',
  'MemoryDatabase',
  'MemoryCluster',
  'DocumentSet',
  'OperatorOrder',
  'Topic',
  'Account',
  'Certificate',
  'Issuer',
  'Tunnel',
  'Rest',
  'Ask',
  'Event'
];

/** So much is taken away at a time, so that a large namespace or owner holds nothing else up. */
const mostAtOnce = 60;

const gone: Watch<Kind> = (now, before) => (now || !before ? [] : [`owner:${before.metadata.uid}`]);
const leavingSpace = (
  now: ApiObject | undefined,
  before: ApiObject | undefined,
  store: { get(kind: 'Namespace', a: string, b: string): KindMap['Namespace'] | undefined }
) => {
  const space = (now ?? before)!.metadata.namespace ?? '';
  return !now && store.get('Namespace', '', space)?.metadata.deletionTimestamp ? [`space:${space}`] : [];
};

function emptySpace(world: ClusterAccess, name: string): void {
  const space = world.store.get('Namespace', '', name);
  if (!space?.metadata.deletionTimestamp) return;
  if (space.status?.phase !== 'Terminating') world.put({ ...space, status: { ...space.status, phase: 'Terminating' } });
  let left = 0;
  let turns = 0;
  for (const kind of within) {
    for (const object of world.store.list(kind, name)) {
      if (turns >= mostAtOnce) return world.after(1, `space:${name}`);
      if (!object.metadata.deletionTimestamp) {
        world.remove(refOf(object));
        turns += 1;
      }
      if (world.store.find(refOf(object))) left += 1;
    }
  }
  if (!left) world.drop(refOf(space));
}

/** Takes away what belonged to something that has gone, and empties namespaces that are being deleted. */
export const collector: Loop = {
  id: 'collector',
  watches: {
    ...Object.fromEntries(owners.map((kind) => [kind, gone])),
    Namespace: (now) => (now?.metadata.deletionTimestamp ? [`space:${now.metadata.name}`] : []),
    // A pod is both: an owner (its program's process goes with it), and what a namespace waits for.
    Pod: (now, before, store) => [...gone(now, before, store), ...leavingSpace(now, before, store)],
    PersistentVolumeClaim: leavingSpace
  },
  reconcile(world, key) {
    if (key.startsWith('space:')) {
      emptySpace(world, key.slice(6));
      return;
    }
    const owned = world.store.ownedBy(key.slice(6)).filter((one) => !one.metadata.deletionTimestamp);
    for (const object of owned.slice(0, mostAtOnce)) world.remove(refOf(object));
    if (owned.length > mostAtOnce) world.after(1, key);
  }
};
