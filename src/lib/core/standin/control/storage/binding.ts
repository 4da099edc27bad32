import { bytesOf, quantityOf } from '../../../shared';
import {
  classOf,
  defaultClass,
  selectedNodeMark,
  selectorMatches,
  waitsForConsumer,
  type Claim,
  type Facts,
  type Volume
} from '../../../model';
import { driverAnswers } from '../../provider/driver';
import type { Store } from '../../store';
import { idOf, splitKey, type ClusterAccess, type Loop } from '../loop';

/** Why a pre-made volume doesn't answer to a claim; the closed list. */
export type VolumeFault = 'going' | 'Released' | 'claimed' | 'pinned' | 'class' | 'mode' | 'access' | 'size' | 'selector';

/**
 * Why a volume doesn't answer to a claim, or undefined when it does. Source: the cluster API's "Persistent Volumes", binding: same
 * class, same volume mode, access modes a superset, capacity at least what is asked, selector, not claimed by another.
 */
export function volumeFault(volume: Volume, claim: Claim): VolumeFault | undefined {
  const { spec } = volume;
  if (claim.spec.volumeName && claim.spec.volumeName !== volume.metadata.name) return 'pinned';
  if (volume.metadata.deletionTimestamp) return 'going';
  if (volume.status?.phase === 'Released' && spec.claimRef) return 'Released';
  if (spec.claimRef && (spec.claimRef.name !== claim.metadata.name || spec.claimRef.namespace !== claim.metadata.namespace))
    return 'claimed';
  if (spec.claimRef?.uid && spec.claimRef.uid !== claim.metadata.uid) return 'claimed';
  if ((spec.storageClassName ?? '') !== (claim.spec.storageClassName ?? '')) return 'class';
  if ((spec.volumeMode ?? 'Filesystem') !== (claim.spec.volumeMode ?? 'Filesystem')) return 'mode';
  if (!claim.spec.accessModes.every((mode) => spec.accessModes.includes(mode))) return 'access';
  if (bytesOf(spec.capacity.storage) < bytesOf(claim.spec.resources.requests.storage)) return 'size';
  return claim.spec.selector && !selectorMatches(claim.spec.selector, volume.metadata.labels) ? 'selector' : undefined;
}

/** Whether a pre-made volume answers to a claim. */
export const volumeFits = (volume: Volume, claim: Claim): boolean => volumeFault(volume, claim) === undefined;

/** The volume a claim would be bound to: one made or pinned for it, else the smallest pre-made one that fits. */
function volumeFor(store: Store, claim: Claim): Volume | undefined {
  const pinned = [...store.by<'PersistentVolume'>('volumesOfClaim', idOf(claim))].find((one) => volumeFits(one, claim));
  if (pinned) return pinned;
  return [...store.by<'PersistentVolume'>('freeVolumes', claim.spec.storageClassName ?? '')]
    .filter((one) => volumeFits(one, claim))
    .sort((a, b) => bytesOf(a.spec.capacity.storage) - bytesOf(b.spec.capacity.storage) || (a.metadata.name < b.metadata.name ? -1 : 1))[0];
}

function bind(world: ClusterAccess, claim: Claim, volume: Volume): void {
  const claimRef = {
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    namespace: claim.metadata.namespace,
    name: claim.metadata.name,
    uid: claim.metadata.uid
  };
  world.put({ ...volume, spec: { ...volume.spec, claimRef }, status: { ...volume.status, phase: 'Bound' } });
  world.put({
    ...claim,
    metadata: {
      ...claim.metadata,
      annotations: {
        ...claim.metadata.annotations,
        'pv.kubernetes.io/bind-completed': 'yes',
        ...(claim.spec.volumeName ? {} : { 'pv.kubernetes.io/bound-by-controller': 'yes' })
      }
    },
    spec: { ...claim.spec, volumeName: volume.metadata.name },
    status: {
      ...claim.status,
      phase: 'Bound',
      accessModes: volume.spec.accessModes,
      capacity: { storage: quantityOf(bytesOf(volume.spec.capacity.storage)) }
    }
  });
  world.end(`PersistentVolumeClaim ${idOf(claim)}`, 'provisioning');
}

function explainWait(world: ClusterAccess, claim: Claim): void {
  const facts: Facts = world.store;
  const { storageClassName } = claim.spec;
  if (storageClassName === undefined)
    return world.event(
      claim,
      'FailedBinding',
      'The claim names no class and no class is the default. Mark a class as default, or name one.',
      'Warning'
    );
  if (storageClassName === '') return world.event(claim, 'FailedBinding', 'No pre-made volume without class fits this claim.', 'Warning');
  const one = classOf(facts, claim.spec);
  if (!one)
    return world.event(claim, 'ProvisioningFailed', `The class ${storageClassName} doesn't exist. Send it, or name another.`, 'Warning');
  if (waitsForConsumer(one) && !claim.metadata.annotations?.[selectedNodeMark])
    return world.event(claim, 'WaitForFirstConsumer', "Waits for its first pod to be placed; the volume is made in that pod's zone.");
  if (!driverAnswers(facts, one.provisioner))
    world.event(
      claim,
      'ExternalProvisioning',
      `Waits for the driver ${one.provisioner}, which doesn't answer. Check that it is installed and ready.`
    );
}

/** Binds claims to volumes, fills in the default class, and says what an unbound claim waits for. */
export const binding: Loop = {
  id: 'binding',
  watches: {
    PersistentVolumeClaim: (now) => (now && now.status?.phase !== 'Bound' && !now.metadata.deletionTimestamp ? [idOf(now)] : []),
    PersistentVolume: (now, _before, store) => {
      if (!now) return [];
      if (now.spec.claimRef) return now.status?.phase === 'Bound' ? [] : [`${now.spec.claimRef.namespace}/${now.spec.claimRef.name}`];
      return [...store.by<'PersistentVolumeClaim'>('claimsOfClass', now.spec.storageClassName || '')].map(idOf);
    },
    StorageClass: (now, _before, store) =>
      now ? [now.metadata.name, '(none)'].flatMap((name) => [...store.by<'PersistentVolumeClaim'>('claimsOfClass', name)].map(idOf)) : []
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const claim = world.store.get('PersistentVolumeClaim', namespace, name);
    if (!claim || claim.metadata.deletionTimestamp || claim.status?.phase === 'Bound') return;
    const fallback = claim.spec.storageClassName === undefined ? defaultClass(world.store) : undefined;
    if (fallback) {
      world.put({ ...claim, spec: { ...claim.spec, storageClassName: fallback.metadata.name } });
      return;
    }
    const waits = waitsForConsumer(classOf(world.store, claim.spec)) && !claim.metadata.annotations?.[selectedNodeMark];
    const volume = volumeFor(world.store, claim);
    if (volume && (!waits || volume.spec.claimRef)) bind(world, claim, volume);
    else explainWait(world, claim);
  }
};
