import { kindEntries, kindEntry, refOf, type ApiObject, type Kind, type KindMap } from '../../../model';
import { sentByPerson } from '../../admit/plan';
import type { Store } from '../../store';
import type { ClusterAccess, Loop, Watch } from '../loop';

/** Kinds that come and go by themselves all the time, and own nothing. */
const ownNothing: readonly Kind[] = ['Event', 'EndpointSlice', 'Process', 'Ask', 'Asset', 'VolumeAttachment', 'Held'];
const owners: readonly Kind[] = kindEntries.map((one) => one.kind).filter((kind) => !ownNothing.includes(kind));

/** Kinds that a namespace takes along, in the order in which they go. */
const within: readonly Kind[] = [
  'StatefulSet',
  'Deployment',
  'ReplicaSet',
  'DaemonSet',
  'CronJob',
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

/** What is gone takes along what it owned; so does an owner that was never there. Source: "Garbage Collection", owners and dependents. */
const goneOrUnowned: Watch<Kind> = (now, before, store) => {
  if (!now) return before ? [`owner:${before.metadata.uid}`] : [];
  if (before || !now.metadata.ownerReferences?.length || !sentByPerson(now)) return [];
  return now.metadata.ownerReferences.filter((one) => !stands(store, now, one)).map((one) => `owner:${one.uid}`);
};

type Owner = NonNullable<ApiObject['metadata']['ownerReferences']>[number];
const stands = (store: Pick<Store, 'find'>, object: ApiObject, owner: Owner): boolean => {
  const entry = kindEntry(owner.kind);
  // What isn't known here may stand all the same.
  if (!entry) return true;
  return (
    store.find({ kind: entry.kind, namespace: entry.namespaced ? (object.metadata.namespace ?? '') : '', name: owner.name })?.metadata
      .uid === owner.uid
  );
};

/** An object goes with the last of its owners; before that it only forgets the one that is gone. */
function leave(world: ClusterAccess, object: ApiObject, uid: string): void {
  const others = (object.metadata.ownerReferences ?? []).filter((one) => one.uid !== uid);
  if (others.some((one) => stands(world.store, object, one)))
    world.put({ ...object, metadata: { ...object.metadata, ownerReferences: others } } as ApiObject);
  else world.remove(refOf(object));
}
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
    ...Object.fromEntries(owners.map((kind) => [kind, goneOrUnowned])),
    Namespace: (now) => (now?.metadata.deletionTimestamp ? [`space:${now.metadata.name}`] : []),
    // A pod is both: an owner (its program's process goes with it), and what a namespace waits for.
    Pod: (now, before, store) => [...goneOrUnowned(now, before, store), ...leavingSpace(now, before, store)],
    PersistentVolumeClaim: (now, before, store) => [...goneOrUnowned(now, before, store), ...leavingSpace(now, before, store)]
  },
  reconcile(world, key) {
    if (key.startsWith('space:')) {
      emptySpace(world, key.slice(6));
      return;
    }
    const uid = key.slice(6);
    const owned = world.store.ownedBy(uid).filter((one) => !one.metadata.deletionTimestamp);
    for (const object of owned.slice(0, mostAtOnce)) leave(world, object, uid);
    if (owned.length > mostAtOnce) world.after(1, key);
  }
};
