import { bytesOf, hash32, quantityOf, stampOf } from '../../../shared';
import { isReady, refOf, takesRoom, type Asset, type Facts, type Snapshot, type SnapshotClass, type SnapshotContent } from '../../../model';
import { driverAnswers, callFault } from '../../provider/driver';
import { callsSeen, driverTraits } from '../../provider/cards';
import { driverPartOf } from '../../provider/images';
import { fillAt } from '../../engines/fill';
import { idOf, itself, splitKey, type ClusterAccess, type Loop } from '../loop';
import { DriverCalls } from './driver-call';

const calls = new DriverCalls('createSnapshot');
/** The annotation that makes a class of snapshots the default (published). */
export const defaultSnapshotMark = 'snapshot.storage.kubernetes.io/is-default-class';
/** Says how consistent a snapshot is (an annotation of the stand-in). */
export const consistencyMark = 'standin.example/consistency';
const boundBy = 'snapshot.storage.kubernetes.io/volumesnapshot-bound-protection';

/** The asset behind a snapshot that is ready. */
export function snapshotAsset(facts: Facts, snapshot: Snapshot): Asset | undefined {
  const content = facts.get('VolumeSnapshotContent', '', snapshot.status?.boundVolumeSnapshotContentName ?? '');
  return facts.get('Asset', '', content?.status?.snapshotHandle ?? '');
}

/** The snapshot class that a snapshot goes by: named, else the default of its driver. */
export function snapshotClassOf(facts: Facts, snapshot: Snapshot, driver: string): SnapshotClass | undefined {
  const { volumeSnapshotClassName: name } = snapshot.spec;
  if (name !== undefined) return facts.get('VolumeSnapshotClass', '', name);
  return facts
    .list('VolumeSnapshotClass')
    .find((one) => one.driver === driver && one.metadata.annotations?.[defaultSnapshotMark] === 'true');
}

/**
 * The content that a snapshot names, made by hand for a copy that the backend has already; and why the two don't come together. Source:
 * "Volume Snapshots", provisioning: pre-provisioned.
 */
export function namedContent(facts: Facts, snapshot: Snapshot): { content?: SnapshotContent; asset?: Asset; fault?: string } | undefined {
  const name = snapshot.spec.source.volumeSnapshotContentName;
  if (name === undefined) return undefined;
  const content = facts.get('VolumeSnapshotContent', '', name);
  if (!content) return { fault: `the content ${name} doesn't exist` };
  const { volumeSnapshotRef: ref, source, driver } = content.spec;
  const mine = ref.namespace === snapshot.metadata.namespace && ref.name === snapshot.metadata.name;
  if (!mine) return { content, fault: `the content ${name} is meant for ${ref.namespace ?? ''}/${ref.name ?? ''}` };
  if (ref.uid !== undefined && ref.uid !== '' && ref.uid !== snapshot.metadata.uid)
    return {
      content,
      fault: `the content ${name} is meant for an earlier snapshot of that name; make it anew without volumeSnapshotRef.uid`
    };
  const handle = source.snapshotHandle ?? content.status?.snapshotHandle ?? '';
  const asset = facts.get('Asset', '', handle);
  if (!asset?.spec.snapshotOf) return { content, fault: `NOT_FOUND: ${driver} has no snapshot ${handle}` };
  if (asset.spec.driver !== driver) return { content, fault: `${handle} belongs to ${asset.spec.driver}, the content to ${driver}` };
  return driverAnswers(facts, driver) ? { content, asset } : { content, fault: `${driver} doesn't answer` };
}

/** What a snapshot would be taken of, and why it can't be taken. Messages without a full stop. */
export function snapshotLook(facts: Facts, snapshot: Snapshot) {
  const namespace = snapshot.metadata.namespace ?? '';
  const claimName = snapshot.spec.source.persistentVolumeClaimName ?? '';
  const claim = facts.get('PersistentVolumeClaim', namespace, claimName);
  const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  const asset = facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
  const driver = volume?.spec.csi?.driver ?? '';
  const one = snapshotClassOf(facts, snapshot, driver);
  const named = namedContent(facts, snapshot);
  const wrong = (): string | undefined => {
    if (named) return named.fault;
    if (!claim) return `the claim ${namespace}/${claimName} doesn't exist`;
    if (!volume || !asset) return `the claim ${claimName} is not bound yet`;
    if (!one) {
      const called = snapshot.spec.volumeSnapshotClassName;
      return called ? `there is no snapshot class ${called}` : `no snapshot class is the default of ${driver}`;
    }
    if (one.driver !== driver) return `the snapshot class ${one.metadata.name} belongs to ${one.driver}, the volume to ${driver}`;
    if (driverTraits(facts, driver)?.snapshots === false) return `${driver} takes no snapshots`;
    if (!driverAnswers(facts, driver)) return `${driver} doesn't answer`;
    const denied = callFault(facts, driver, 'snapshot');
    return denied && `PERMISSION_DENIED: ${denied}`;
  };
  return { claim, volume, asset, driver, class: one, fault: wrong() };
}

function fail(world: ClusterAccess, snapshot: Snapshot, message: string): void {
  const error = { message: `${message}.`, time: stampOf(world.nowMs) };
  if (snapshot.status?.error?.message !== error.message)
    world.put({ ...snapshot, status: { ...snapshot.status, readyToUse: false, error } });
  world.event(snapshot, 'SnapshotCreationFailed', error.message, 'Warning');
  calls.failed(world, idOf(snapshot));
}

/** Takes the picture: the content of this very moment, which a running member may be in the middle of changing. */
function take(world: ClusterAccess, snapshot: Snapshot, asset: Asset, one: SnapshotClass, writing: readonly string[]): void {
  const { store, fill, engine } = asset.status ?? {};
  const handle = `snap-${hash32(snapshot.metadata.uid ?? '', world.seed)
    .toString(16)
    .padStart(8, '0')}`;
  const name = `snapcontent-${snapshot.metadata.uid}`;
  world.put({
    apiVersion: 'standin.example/v1',
    kind: 'Asset',
    metadata: { name: handle },
    spec: { ...asset.spec, requestName: name, snapshotOf: asset.metadata.name },
    status: {
      attachedTo: [],
      ...(store ? { store } : {}),
      ...(engine === undefined ? {} : { engine }),
      ...(fill ? { fill: { bytes: fillAt(asset, world.nowMs), atMs: world.nowMs, bytesPerDay: 0 } } : {})
    }
  });
  world.put({
    apiVersion: 'snapshot.storage.k8s.io/v1',
    kind: 'VolumeSnapshotContent',
    metadata: { name },
    spec: {
      driver: one.driver,
      deletionPolicy: one.deletionPolicy,
      source: { volumeHandle: asset.metadata.name },
      volumeSnapshotClassName: one.metadata.name,
      volumeSnapshotRef: { namespace: snapshot.metadata.namespace, name: snapshot.metadata.name, uid: snapshot.metadata.uid }
    },
    status: { snapshotHandle: handle, readyToUse: false, restoreSize: bytesOf(asset.spec.size) }
  });
  const consistency = writing.length
    ? `crash-consistent: ${writing.join(', ')} had it mounted, as after a power cut`
    : 'at rest: nobody had it mounted';
  world.put({
    ...snapshot,
    metadata: {
      ...snapshot.metadata,
      annotations: { ...snapshot.metadata.annotations, [consistencyMark]: consistency },
      finalizers: [...new Set([...(snapshot.metadata.finalizers ?? []), boundBy])]
    },
    status: {
      boundVolumeSnapshotContentName: name,
      creationTime: stampOf(world.nowMs),
      readyToUse: false,
      restoreSize: quantityOf(bytesOf(asset.spec.size))
    }
  });
  world.event(snapshot, 'CreatingSnapshot', `${one.driver} takes a snapshot of ${asset.metadata.name}; ${consistency}.`);
}

/** A snapshot and the content that it names find each other. */
function bind(world: ClusterAccess, snapshot: Snapshot, content: SnapshotContent, asset: Asset): void {
  world.put({
    ...content,
    spec: { ...content.spec, volumeSnapshotRef: { ...content.spec.volumeSnapshotRef, uid: snapshot.metadata.uid ?? '' } },
    status: { ...content.status, snapshotHandle: asset.metadata.name, readyToUse: true, restoreSize: bytesOf(asset.spec.size) }
  });
  const { error: _, ...status } = snapshot.status ?? {};
  world.put({
    ...snapshot,
    metadata: { ...snapshot.metadata, finalizers: [...new Set([...(snapshot.metadata.finalizers ?? []), boundBy])] },
    status: {
      ...status,
      boundVolumeSnapshotContentName: content.metadata.name,
      readyToUse: true,
      restoreSize: quantityOf(bytesOf(asset.spec.size))
    }
  });
  world.event(snapshot, 'SnapshotReady', 'The snapshot can be restored from.');
}

function ready(world: ClusterAccess, snapshot: Snapshot): void {
  const content = world.store.get('VolumeSnapshotContent', '', snapshot.status?.boundVolumeSnapshotContentName ?? '');
  if (content) world.put({ ...content, status: { ...content.status, readyToUse: true } });
  world.put({ ...snapshot, status: { ...snapshot.status, readyToUse: true } });
  world.end(`VolumeSnapshot ${idOf(snapshot)}`, 'copying');
  world.event(snapshot, 'SnapshotReady', 'The snapshot can be restored from.');
}

/** A snapshot that goes takes its content along, where the policy says so. */
function release(world: ClusterAccess, snapshot: Snapshot): void {
  const content = world.store.get('VolumeSnapshotContent', '', snapshot.status?.boundVolumeSnapshotContentName ?? '');
  if (content?.spec.deletionPolicy === 'Delete') {
    const asset = world.store.get('Asset', '', content.status?.snapshotHandle ?? '');
    if (asset) world.drop(refOf(asset));
    world.drop(refOf(content));
  }
  calls.end(world, idOf(snapshot));
  world.endAll(`VolumeSnapshot ${idOf(snapshot)}`);
  world.drop(refOf(snapshot));
}

/** Snapshots of volumes. Source: the published snapshot API `snapshot.storage.k8s.io/v1`; CSI, CreateSnapshot. */
export const snapshots: Loop = {
  id: 'snapshots',
  watches: {
    VolumeSnapshot: itself,
    PersistentVolumeClaim: (now, before, store) =>
      now && now.status?.phase !== before?.status?.phase ? store.by('snapshotsOfClaim', idOf(now)).map(idOf) : [],
    VolumeSnapshotContent: (now) => {
      const { namespace = '', name } = now?.spec.volumeSnapshotRef ?? {};
      return name === undefined ? [] : [`${namespace}/${name}`];
    },
    VolumeSnapshotClass: (_now, _before, store) => store.list('VolumeSnapshot').map(idOf),
    ClusterRole: (_now, _before, store) => store.list('VolumeSnapshot').map(idOf),
    ClusterRoleBinding: (_now, _before, store) => store.list('VolumeSnapshot').map(idOf),
    Identity: (_now, _before, store) => store.list('VolumeSnapshot').map(idOf),
    Pod: (now, before, store) =>
      now && isReady(now) && !isReady(before) && driverPartOf(now.spec)?.part === 'controller' ? store.list('VolumeSnapshot').map(idOf) : []
  },
  reconcile(world, key) {
    const snapshot = world.store.get('VolumeSnapshot', ...splitKey(key));
    if (!snapshot) return;
    if (snapshot.metadata.deletionTimestamp) return release(world, snapshot);
    if (snapshot.status?.readyToUse) return;
    const call = calls.of(world, key);
    if (call?.dueMs !== undefined) {
      if (call.dueMs > world.nowMs) return world.after(call.dueMs - world.nowMs, key);
      calls.end(world, key);
      return ready(world, snapshot);
    }
    if (call?.retryMs !== undefined && call.retryMs > world.nowMs && snapshotLook(world.store, snapshot).fault)
      return world.after(call.retryMs - world.nowMs, key, true);
    const named = namedContent(world.store, snapshot);
    if (named?.content && named.asset) {
      calls.end(world, key);
      return bind(world, snapshot, named.content, named.asset);
    }
    const { fault, asset, class: one } = snapshotLook(world.store, snapshot);
    if (fault || !asset || !one) return fail(world, snapshot, fault ?? 'nothing to take');
    const seen = callsSeen(world.store, one.driver, 'copying');
    const claimName = snapshot.spec.source.persistentVolumeClaimName ?? '';
    const users = world.store.podsOfClaim(snapshot.metadata.namespace ?? '', claimName);
    const writing = users.filter((pod) => takesRoom(pod) && pod.status?.phase === 'Running').map((pod) => pod.metadata.name);
    world.begin(`VolumeSnapshot ${key}`, 'copying', seen?.normalMs);
    take(world, snapshot, asset, one, writing.sort());
    calls.begin(world, key, world.duration('copying', key, seen?.drawMs), { failures: 0 });
  }
};
