import { bytesOf, quantityOf } from '../../../shared';
import { classOf, defaultClass, selectedNodeMark, waitsForConsumer, type Claim, type Facts, type Volume } from '../../../model';
import { driverAnswers } from '../../provider/driver';
import { noProvisioner, premadeFor, volumeFault, volumeFits, type VolumeFault } from './premade';
import type { Store } from '../../store';
import { idOf, splitKey, type ClusterAccess, type Loop } from '../loop';

/**
 * The volume a claim would be bound to: one made or pinned for it, else the smallest pre-made one that fits; on the node of its first pod,
 * where its class waits for one.
 */
function volumeFor(store: Store, claim: Claim): Volume | undefined {
  const pinned = [...store.by<'PersistentVolume'>('volumesOfClaim', idOf(claim))].find((one) => volumeFits(store, one, claim));
  if (pinned) return pinned;
  const chosen = claim.metadata.annotations?.[selectedNodeMark];
  const node = chosen === undefined || !waitsForConsumer(classOf(store, claim.spec)) ? undefined : store.get('Node', '', chosen);
  return premadeFor(store, claim, node);
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
      capacity: { storage: quantityOf(bytesOf(volume.spec.capacity.storage)) },
      ...(volume.spec.volumeAttributesClassName ? { currentVolumeAttributesClassName: volume.spec.volumeAttributesClassName } : {})
    }
  });
  world.end(`PersistentVolumeClaim ${idOf(claim)}`, 'provisioning');
}

const faultWords: Record<VolumeFault, string> = {
  going: 'it is being deleted',
  Released: 'it is Released, and keeps the claim that it had',
  claimed: 'another claim has it',
  pinned: 'the claim names another one',
  class: 'it is of another class',
  mode: 'it is of another volume mode',
  access: 'it lacks an access mode',
  size: 'it is too small',
  selector: 'its labels are not those that the claim selects',
  attributes: 'it has another class of attributes (volumeAttributesClassName)'
};

function explainWait(world: ClusterAccess, claim: Claim): void {
  const facts: Facts = world.store;
  const { storageClassName, volumeName } = claim.spec;
  const pinned = volumeName ? facts.get('PersistentVolume', '', volumeName) : undefined;
  if (volumeName)
    return world.event(
      claim,
      pinned ? 'VolumeMismatch' : 'FailedBinding',
      pinned
        ? `The volume ${volumeName} doesn't answer to it: ${faultWords[volumeFault(facts, pinned, claim) ?? 'claimed']}.`
        : `The volume ${volumeName} doesn't exist.`,
      'Warning'
    );
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
  if (one.provisioner === noProvisioner)
    return world.event(claim, 'FailedBinding', `No pre-made volume of ${storageClassName} fits this claim; nobody makes one.`, 'Warning');
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
    // A claim that names its volume doesn't wait for a pod.
    if (volume && (!waits || volume.spec.claimRef || claim.spec.volumeName)) bind(world, claim, volume);
    else explainWait(world, claim);
  }
};
