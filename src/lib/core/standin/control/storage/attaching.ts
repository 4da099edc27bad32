import { claimsOf, refOf, takesRoom, type Attachment, type Pod, type Volume } from '../../../model';
import { callsSeen } from '../../provider/cards';
import { hash32, hex8, stampOf } from '../../../shared';
import { backoffs } from '../../clock/steps';
import { hasTaint, isUnheard, outOfServiceTaint } from '../../provider/outages';
import { driverAnswers, callFault, pluginOn } from '../../provider/driver';
import type { Store } from '../../store';
import { idOf, type ClusterAccess, type Loop } from '../loop';
import { reaches } from './premade';
import { DriverCalls } from './driver-call';

const calls = new DriverCalls('publish');

/** Name of the attachment of a volume to a node. */
export const attachmentName = (volume: string, node: string): string =>
  `csi-${hex8(hash32(`${volume}@${node}`))}${hex8(hash32(`${node}@${volume}`))}`;

const keyOfPair = (volume: string, node: string): string => `${volume}|${node}`;
const partsOf = (pair: string): [volume: string, node: string] => [pair.slice(0, pair.indexOf('|')), pair.slice(pair.indexOf('|') + 1)];

/** Keys of all volumes that a pod needs on its node. */
function pairsOf(pod: Pod | undefined, store: Store): string[] {
  if (!pod?.spec.nodeName) return [];
  const keys: string[] = [];
  for (const name of claimsOf(pod.spec, pod.metadata.name)) {
    const volume = store.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name)?.spec.volumeName;
    if (volume) keys.push(keyOfPair(volume, pod.spec.nodeName));
  }
  return keys;
}

/** Pods on a node that hold a volume. */
function holders(store: Store, volume: Volume, node: string): Pod[] {
  const { claimRef } = volume.spec;
  if (!claimRef?.name) return [];
  return store.podsOfClaim(claimRef.namespace ?? '', claimRef.name).filter((pod) => pod.spec.nodeName === node && takesRoom(pod));
}

/** Where else the volume is attached; a volume of one node at a time can't be attached twice. */
function elsewhere(store: Store, volume: Volume, node: string): string | undefined {
  if (!volume.spec.accessModes.every((mode) => mode === 'ReadWriteOnce' || mode === 'ReadWriteOncePod')) return undefined;
  for (const one of store.by<'VolumeAttachment'>('attachments', volume.metadata.name)) {
    if (one.spec.nodeName !== node) return one.spec.nodeName;
  }
  return undefined;
}

/** The step of a pod ends with the last of its volumes. */
function endAttaching(world: ClusterAccess, pods: readonly Pod[]): void {
  for (const pod of pods) {
    const waits = pairsOf(pod, world.store).some((pair) => {
      const [name, node] = partsOf(pair);
      const driver = world.store.get('PersistentVolume', '', name)?.spec.csi?.driver;
      if (driver === undefined || world.store.get('CSIDriver', '', driver)?.spec.attachRequired === false) return false;
      return world.store.get('VolumeAttachment', '', attachmentName(name, node))?.status?.attached !== true;
    });
    if (!waits) world.end(`Pod ${idOf(pod)}`, 'attaching');
  }
}

function report(world: ClusterAccess, pods: readonly Pod[], reason: string, message: string, type: 'Normal' | 'Warning'): void {
  for (const pod of pods) world.event(pod, reason, message, type);
}

function fail(world: ClusterAccess, key: string, attachment: Attachment, pods: readonly Pod[], message: string): void {
  world.put({ ...attachment, status: { attached: false, attachError: { message, time: stampOf(world.nowMs) } } });
  report(world, pods, 'FailedAttachVolume', message, 'Warning');
  calls.failed(world, key);
}

function attach(world: ClusterAccess, key: string, volume: Volume, node: string, attachment: Attachment, pods: readonly Pod[]): void {
  const driver = attachment.spec.attacher;
  const call = calls.of(world, key);
  const waitUntil = call?.dueMs ?? call?.retryMs ?? 0;
  if (waitUntil > world.nowMs) {
    world.after(waitUntil - world.nowMs, key);
    return;
  }
  if (!driverAnswers(world.store, driver) || !pluginOn(world.store, driver, node)) return;
  const denied = callFault(world.store, driver, 'attach');
  if (denied) {
    fail(world, key, attachment, pods, `PERMISSION_DENIED: ${denied}.`);
    return;
  }
  const there = world.store.get('Node', '', node);
  if (there && !reaches(volume, there)) {
    fail(world, key, attachment, pods, `FAILED_PRECONDITION: ${node} is out of reach of ${volume.metadata.name} (nodeAffinity).`);
    return;
  }
  const handle = volume.spec.csi?.volumeHandle ?? '';
  if (!world.store.get('Asset', '', handle)) {
    fail(world, key, attachment, pods, `NOT_FOUND: ${driver} has no volume ${handle}.`);
    return;
  }
  if (call?.dueMs === undefined) {
    calls.begin(world, key, world.duration('attaching', key, callsSeen(world.store, driver, 'attaching')?.drawMs));
    return;
  }
  calls.end(world, key);
  const asset = world.store.get('Asset', '', handle);
  if (asset) world.put({ ...asset, status: { ...asset.status, attachedTo: [...(asset.status?.attachedTo ?? []), node] } });
  world.put({ ...attachment, status: { attached: true } });
  endAttaching(world, pods);
  report(world, pods, 'SuccessfulAttachVolume', `Volume ${volume.metadata.name} is attached to ${node}.`, 'Normal');
}

function detach(world: ClusterAccess, key: string, attachment: Attachment): void {
  const call = calls.of(world, key);
  const { attacher, nodeName, source } = attachment.spec;
  if (!driverAnswers(world.store, attacher) || callFault(world.store, attacher, 'detach') !== undefined) {
    world.after(backoffs.provider.mostMs, key, true);
    return;
  }
  if (call?.dueMs === undefined) {
    calls.begin(world, key, world.duration('detaching', key), { failures: 0 });
    return;
  }
  if (call.dueMs > world.nowMs) {
    world.after(call.dueMs - world.nowMs, key);
    return;
  }
  calls.end(world, key);
  unneededSince(world).delete(key);
  const volume = world.store.get('PersistentVolume', '', source.persistentVolumeName ?? '');
  const asset = world.store.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
  if (asset)
    world.put({ ...asset, status: { ...asset.status, attachedTo: (asset.status?.attachedTo ?? []).filter((one) => one !== nodeName) } });
  world.drop(refOf(attachment));
}

/**
 * How long a volume stays attached to a node that can't say that it is unmounted there, in ms. Source: the cluster API's "Node Shutdowns",
 * force storage detach on timeout.
 */
export const unmountWaitMs = 360_000;
/** Since when nobody needs a volume on a node that isn't heard of (virtual ms). */
const unneededSince = (world: ClusterAccess) => world.memory<number>('unneededSince');

/** How long it is still waited for a node to unmount a volume, in ms; 0 where it has, or nobody need wait for it. */
function unmountsIn(world: ClusterAccess, key: string, node: string): number {
  const since = unneededSince(world);
  const found = world.store.get('Node', '', node);
  if (!found || !isUnheard(world.store, node) || hasTaint(found, outOfServiceTaint)) {
    since.delete(key);
    return 0;
  }
  if (!since.has(key)) since.set(key, world.nowMs);
  return Math.max(0, since.get(key)! + unmountWaitMs - world.nowMs);
}

const allPairs = (store: Store): string[] =>
  store.list('VolumeAttachment').map(({ spec }) => keyOfPair(spec.source.persistentVolumeName ?? '', spec.nodeName));

const pairsOn = (node: string, store: Store): string[] =>
  store
    .list('VolumeAttachment')
    .filter((one) => one.spec.nodeName === node)
    .map(({ spec }) => keyOfPair(spec.source.persistentVolumeName ?? '', node));

/** Attaches volumes to the nodes where their pods stand, and detaches them when the last one has gone. */
export const attaching: Loop = {
  id: 'attaching',
  watches: {
    // A pod whose work is done holds its volumes no more.
    Pod: (now, before, store) =>
      now && before && now.spec === before.spec && takesRoom(now) === takesRoom(before) ? [] : pairsOf(now ?? before, store),
    // A pod that names its node itself may stand there before its claim has a volume.
    PersistentVolumeClaim: (now, before, store) =>
      now?.status?.phase === 'Bound' && before?.status?.phase !== 'Bound'
        ? store.podsOfClaim(now.metadata.namespace ?? '', now.metadata.name).flatMap((pod) => pairsOf(pod, store))
        : [],
    VolumeAttachment: (now, before, store) => {
      // Whoever attached it has done all there is to do.
      if (now?.status?.attached && before && !before.status?.attached && !now.metadata.deletionTimestamp) return [];
      const { spec } = (now ?? before)!;
      const volume = spec.source.persistentVolumeName ?? '';
      const claim = store.get('PersistentVolume', '', volume)?.spec.claimRef;
      const others = claim ? store.podsOfClaim(claim.namespace ?? '', claim.name ?? '').map((pod) => pod.spec.nodeName) : [];
      return [spec.nodeName, ...(now ? [] : others)].filter((node) => node !== undefined).map((node) => keyOfPair(volume, node));
    },
    Outage: (now, before, store) =>
      [now, before].flatMap((one) => [...(one?.spec.dark ?? []), ...(one?.spec.cut ?? []).flat()].flatMap((node) => pairsOn(node, store))),
    Node: (now, before, store) => (now && before && now.spec !== before.spec ? pairsOn(now.metadata.name, store) : []),
    CSINode: (now, _before, store) => (now ? store.podsOn(now.metadata.name).flatMap((pod) => pairsOf(pod, store)) : []),
    ClusterRole: (_now, _before, store) => allPairs(store),
    ClusterRoleBinding: (_now, _before, store) => allPairs(store),
    Identity: (_now, _before, store) => allPairs(store)
  },
  reconcile(world, key) {
    const [name, node] = partsOf(key);
    const volume = world.store.get('PersistentVolume', '', name);
    const attachment = world.store.get('VolumeAttachment', '', attachmentName(name, node));
    const pods = volume ? holders(world.store, volume, node) : [];
    if (!pods.length) {
      if (attachment) {
        const waitMs = attachment.status?.attached ? unmountsIn(world, key, node) : 0;
        if (waitMs > 0) world.after(waitMs, key);
        else if (attachment.status?.attached) detach(world, key, attachment);
        else world.drop(refOf(attachment));
      }
      return;
    }
    unneededSince(world).delete(key);
    const driver = volume?.spec.csi?.driver;
    if (!volume || !driver || world.store.get('CSIDriver', '', driver)?.spec.attachRequired === false) return;
    if (attachment?.status?.attached) {
      calls.end(world, key);
      endAttaching(world, pods);
      return;
    }
    for (const pod of pods) world.begin(`Pod ${idOf(pod)}`, 'attaching', callsSeen(world.store, driver, 'attaching')?.normalMs);
    const other = elsewhere(world.store, volume, node);
    if (other) {
      report(
        world,
        pods,
        'FailedAttachVolume',
        `Volume ${name} is attached to ${other}; one node at a time may have it. It follows when the pod there is gone.`,
        'Warning'
      );
      return;
    }
    const made: Attachment = attachment ?? {
      apiVersion: 'storage.k8s.io/v1',
      kind: 'VolumeAttachment',
      metadata: { name: attachmentName(name, node) },
      spec: { attacher: driver, nodeName: node, source: { persistentVolumeName: name } },
      status: { attached: false }
    };
    attach(world, key, volume, node, attachment ?? world.put(made), pods);
  }
};
