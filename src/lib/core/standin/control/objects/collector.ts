import { keyOf, kindEntries, kindEntry, refOf, type ApiObject, type Facts, type Kind, type KindMap, type Ref } from '../../../model';
import { foregroundFinalizer, goesLast, removeForeground } from '../../admit/foreground';
import { sentByPerson } from '../../admit/plan';
import type { Store } from '../../store';
import { splitKey, type ClusterAccess, type Loop, type Watch } from '../loop';

/** Kinds that come and go by themselves all the time, and own nothing. */
const ownNothing: readonly Kind[] = ['Event', 'EndpointSlice', 'Process', 'Ask', 'Asset', 'VolumeAttachment', 'Held'];
const owners: readonly Kind[] = kindEntries.map((one) => one.kind).filter((kind) => !ownNothing.includes(kind));

/** Kinds that a namespace takes along first, in the order in which they go. */
const first: readonly Kind[] = [
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
/** What goes with its pod or its claim. */
const withOthers: readonly Kind[] = ['Process', 'Restoring'];
const within: readonly Kind[] = [
  ...first,
  ...kindEntries.flatMap((one) => (one.namespaced && !first.includes(one.kind) && !withOthers.includes(one.kind) ? [one.kind] : []))
];

/** So much is taken away at a time, so that a large namespace or owner holds nothing else up. */
const mostAtOnce = 60;

/** The objects of the kind that a definition brings. */
export function definedBy(facts: Pick<Facts, 'list'>, { group, names }: KindMap['CustomResourceDefinition']['spec']): ApiObject[] {
  const entry = kindEntry(names.kind);
  return entry?.apiVersion.startsWith(`${group}/`) ? (facts.list(entry.kind) as ApiObject[]) : [];
}

/** A definition that goes takes all objects of its kind along. Source: "CustomResourceDefinitions", deleting one. */
function dropDefined(world: ClusterAccess, key: string): void {
  const [group = '', kind = ''] = key.split(' ');
  const left = definedBy(world.store, { group, names: { kind } } as KindMap['CustomResourceDefinition']['spec']);
  const going = left.filter((one) => !one.metadata.deletionTimestamp);
  for (const one of going.slice(0, mostAtOnce)) world.remove(refOf(one));
  if (going.length > mostAtOnce) world.after(1, `kind:${key}`);
}

/** What is gone takes along what it owned; so does an owner that was never there. Source: "Garbage Collection", owners and dependents. */
const goneOrUnowned: Watch<Kind> = (now, before, store) => {
  if (!now) return before ? [`owner:${before.metadata.uid}`, ...ownersThatWait(before, store)] : [];
  if (goesLast(now) && !before?.metadata.deletionTimestamp) return [`last:${keyOf(refOf(now))}`];
  if (before || !now.metadata.ownerReferences?.length || !sentByPerson(now)) return [];
  return now.metadata.ownerReferences.filter((one) => !stands(store, now, one)).map((one) => `owner:${one.uid}`);
};

type Owner = NonNullable<ApiObject['metadata']['ownerReferences']>[number];
const refTo = (object: ApiObject, owner: Owner): Ref | undefined => {
  const entry = kindEntry(owner.kind);
  return entry && { kind: entry.kind, namespace: entry.namespaced ? (object.metadata.namespace ?? '') : '', name: owner.name };
};

const stands = (store: Pick<Store, 'find'>, object: ApiObject, owner: Owner): boolean => {
  const ref = refTo(object, owner);
  // What isn't known here may stand all the same.
  return !ref || store.find(ref)?.metadata.uid === owner.uid;
};

/** Owners of what has gone that go themselves once all they own has. */
function ownersThatWait(object: ApiObject, store: Pick<Store, 'find'>): string[] {
  return (object.metadata.ownerReferences ?? []).flatMap((one) => {
    const ref = one.blockOwnerDeletion ? refTo(object, one) : undefined;
    const owner = ref && store.find(ref);
    return owner?.metadata.uid === one.uid && goesLast(owner) ? [`last:${keyOf(ref!)}`] : [];
  });
}

/** Takes away what an owner has that is to go last, and the owner once none of it is left that holds it. Source: "Garbage Collection", foreground. */
function emptyOwner(world: ClusterAccess, key: string): void {
  const space = key.indexOf(' ');
  const [namespace, name] = splitKey(key.slice(space + 1));
  const owner = world.store.find({ kind: key.slice(0, space) as Kind, namespace, name });
  if (!owner || !goesLast(owner)) return;
  const { uid = '', finalizers = [] } = owner.metadata;
  const owned = world.store.ownedBy(uid).filter((one) => !ownNothing.includes(one.kind));
  const going = owned.filter((one) => !one.metadata.deletionTimestamp);
  for (const object of going.slice(0, mostAtOnce)) {
    const others = (object.metadata.ownerReferences ?? []).filter((one) => one.uid !== uid);
    if (others.some((one) => stands(world.store, object, one)))
      world.put({ ...object, metadata: { ...object.metadata, ownerReferences: others } } as ApiObject);
    else removeForeground(world, object);
  }
  if (going.length > mostAtOnce) return world.after(1, `last:${key}`);
  const holds = (one: ApiObject) => one.metadata.ownerReferences?.some((two) => two.uid === uid && two.blockOwnerDeletion);
  if (world.store.ownedBy(uid).some((one) => !ownNothing.includes(one.kind) && holds(one))) return;
  const left = finalizers.filter((one) => one !== foregroundFinalizer);
  if (left.length || owner.kind === 'Pod' || owner.kind === 'Namespace')
    world.put({ ...owner, metadata: { ...owner.metadata, finalizers: left.length ? left : undefined } } as ApiObject);
  else world.drop(refOf(owner));
}

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
    CustomResourceDefinition: (now, before, store) => [
      ...goneOrUnowned(now, before, store),
      ...(!now && before ? [`kind:${before.spec.group} ${before.spec.names.kind}`] : [])
    ],
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
    if (key.startsWith('kind:')) return dropDefined(world, key.slice(5));
    if (key.startsWith('last:')) return emptyOwner(world, key.slice(5));
    const uid = key.slice(6);
    const owned = world.store.ownedBy(uid).filter((one) => !one.metadata.deletionTimestamp);
    for (const object of owned.slice(0, mostAtOnce)) leave(world, object, uid);
    if (owned.length > mostAtOnce) world.after(1, key);
  }
};
