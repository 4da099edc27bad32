import { claimsOf, refOf, takesRoom, type Claim, type Volume } from '../../../model';
import { claimFinalizer, volumeFinalizer } from '../../admit/defaults';
import { driverAnswers, callFault } from '../../provider/driver';
import { fileSystemOf } from '../../provider/shared-files';
import type { Store } from '../../store';
import { idOf, splitKey, type ClusterAccess, type Loop } from '../loop';
import { DriverCalls } from './driver-call';

const calls = new DriverCalls('deleteVolume');

function claimGoes(world: ClusterAccess, claim: Claim): void {
  const users = world.store.podsOfClaim(claim.metadata.namespace ?? '', claim.metadata.name).filter(takesRoom);
  if (users.length) return;
  const finalizers = claim.metadata.finalizers?.filter((one) => one !== claimFinalizer) ?? [];
  // Whoever set another finalizer has to take it off; until then the claim stays as it is.
  if (finalizers.length) world.put({ ...claim, metadata: { ...claim.metadata, finalizers } });
  else world.drop(refOf(claim));
}

/** What becomes of a volume whose claim has gone: kept as Released, or deleted with its asset. */
function release(world: ClusterAccess, volume: Volume): void {
  const { claimRef } = volume.spec;
  if (volume.status?.phase !== 'Bound' || !claimRef?.name) return;
  const claim = world.store.get('PersistentVolumeClaim', claimRef.namespace ?? '', claimRef.name);
  if (claim && claim.metadata.uid === claimRef.uid) return;
  const released = world.put({ ...volume, status: { ...volume.status, phase: 'Released' } });
  if (released.spec.persistentVolumeReclaimPolicy !== 'Delete')
    world.event(
      released,
      'VolumeReleased',
      'Its claim has gone; the policy is Retain, so volume and asset stay. Clear spec.claimRef to hand it out again.'
    );
}

function deleteAsset(world: ClusterAccess, key: string, volume: Volume): void {
  const driver = volume.spec.csi?.driver ?? '';
  const asset = world.store.get('Asset', '', volume.spec.csi?.volumeHandle ?? '');
  const call = calls.of(world, key);
  const waitUntil = call?.dueMs ?? call?.retryMs ?? 0;
  if (waitUntil > world.nowMs) {
    world.after(waitUntil - world.nowMs, key);
    return;
  }
  if (asset && (asset.status?.attachedTo.length ?? 0) > 0) return;
  const denied = driverAnswers(world.store, driver) ? callFault(world.store, driver, 'delete') : `${driver} doesn't answer`;
  if (denied) {
    world.event(volume, 'VolumeFailedDelete', `${denied[0]!.toUpperCase()}${denied.slice(1)}.`, 'Warning');
    calls.failed(world, key);
    return;
  }
  if (call?.dueMs === undefined) {
    world.begin(`PersistentVolume ${volume.metadata.name}`, 'deleting');
    calls.begin(world, key, world.duration('deleting', key), { failures: 0 });
    return;
  }
  calls.end(world, key);
  world.end(`PersistentVolume ${volume.metadata.name}`, 'deleting');
  // A static volume may name a whole shared file system; that is never deleted with it.
  if (asset && !fileSystemOf(world.store, asset.metadata.name)) world.drop(refOf(asset));
  world.drop(refOf(volume));
}

const releasedVolumes = (store: Store): string[] =>
  store.list('PersistentVolume').flatMap((one) => (one.status?.phase === 'Released' ? [`volume:${one.metadata.name}`] : []));

/** Protection of claims and volumes in use, and what becomes of volumes when their claims go. Source: "Persistent Volumes", reclaiming. */
export const reclaim: Loop = {
  id: 'reclaim',
  watches: {
    PersistentVolumeClaim: (now, before, store) => {
      if (now) return now.metadata.deletionTimestamp ? [`claim:${idOf(now)}`] : [];
      return [...store.by<'PersistentVolume'>('volumesOfClaim', idOf(before!))].map((one) => `volume:${one.metadata.name}`);
    },
    PersistentVolume: (now) =>
      now && (now.metadata.deletionTimestamp || now.status?.phase === 'Released') ? [`volume:${now.metadata.name}`] : [],
    // A pod that takes no room any more may have been the last that used a claim.
    Pod: (now, before) =>
      now && (takesRoom(now) || now.status?.phase === before?.status?.phase)
        ? []
        : claimsOf((now ?? before)!.spec, (now ?? before)!.metadata.name).map(
            (name) => `claim:${(now ?? before)!.metadata.namespace}/${name}`
          ),
    Asset: (now, _before, store) => {
      if (!now || now.status?.attachedTo.length) return [];
      return store.get('PersistentVolume', '', now.spec.requestName) ? [`volume:${now.spec.requestName}`] : [];
    },
    ClusterRole: (_now, _before, store) => releasedVolumes(store),
    ClusterRoleBinding: (_now, _before, store) => releasedVolumes(store),
    Identity: (_now, _before, store) => releasedVolumes(store)
  },
  reconcile(world, key) {
    const name = key.slice(key.indexOf(':') + 1);
    if (key.startsWith('claim:')) {
      const [namespace, claimName] = splitKey(name);
      const claim = world.store.get('PersistentVolumeClaim', namespace, claimName);
      if (claim?.metadata.deletionTimestamp) claimGoes(world, claim);
      return;
    }
    const volume = world.store.get('PersistentVolume', '', name);
    if (!volume) return;
    if (volume.metadata.deletionTimestamp && volume.status?.phase !== 'Bound') {
      const finalizers = volume.metadata.finalizers?.filter((one) => one !== volumeFinalizer) ?? [];
      if (finalizers.length) world.put({ ...volume, metadata: { ...volume.metadata, finalizers } });
      else world.drop(refOf(volume));
      return;
    }
    if (volume.status?.phase === 'Released' && !volume.spec.claimRef) {
      world.put({ ...volume, status: { ...volume.status, phase: 'Available' } });
      return;
    }
    if (volume.status?.phase === 'Bound') release(world, volume);
    else if (volume.status?.phase === 'Released' && volume.spec.persistentVolumeReclaimPolicy === 'Delete') deleteAsset(world, key, volume);
  }
};
