import { refOf, type ApiObject, type Kind, type KindMap } from '../../model';
import type { Hands, Loop, Watch } from './loop';

const owners: readonly Kind[] = [
  'StatefulSet',
  'Deployment',
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

const gone: Watch<Kind> = (now, before) => (now || !before ? [] : [`owner:${before.metadata.uid}`]);
const leavingSpace = (
  now: ApiObject | undefined,
  before: ApiObject | undefined,
  store: { get(kind: 'Namespace', a: string, b: string): KindMap['Namespace'] | undefined }
) => {
  const space = (now ?? before)!.metadata.namespace ?? '';
  return !now && store.get('Namespace', '', space)?.metadata.deletionTimestamp ? [`space:${space}`] : [];
};

function emptySpace(world: Hands, name: string): void {
  const space = world.store.get('Namespace', '', name);
  if (!space?.metadata.deletionTimestamp) return;
  if (space.status?.phase !== 'Terminating') world.put({ ...space, status: { ...space.status, phase: 'Terminating' } });
  let left = 0;
  for (const kind of within) {
    for (const object of world.store.list(kind, name)) {
      world.remove(refOf(object));
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
    Pod: leavingSpace,
    PersistentVolumeClaim: leavingSpace
  },
  reconcile(world, key) {
    if (key.startsWith('space:')) {
      emptySpace(world, key.slice(6));
      return;
    }
    for (const object of world.store.ownedBy(key.slice(6))) world.remove(refOf(object));
  }
};
