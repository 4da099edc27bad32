import { bytesOf } from '../../../shared';
import { selectorMatches, termsMatch, type Claim, type Facts, type Node, type StorageClass, type Volume } from '../../../model';
import { gateOpen } from '../../provider/feature-gates';

/** The provisioner of classes that only pre-made volumes carry. Source: the cluster API's "Storage Classes", Local. */
export const noProvisioner = 'kubernetes.io/no-provisioner';

/** Why a pre-made volume doesn't answer to a claim; the closed list. */
export type VolumeFault = 'going' | 'Released' | 'claimed' | 'pinned' | 'class' | 'mode' | 'access' | 'size' | 'selector' | 'attributes';

/**
 * Why a volume doesn't answer to a claim, or undefined when it does. Source: the cluster API's "Persistent Volumes", binding: same
 * class, same volume mode, access modes a superset, capacity at least what is asked, selector, not claimed by another.
 */
export function volumeFault(facts: Facts, volume: Volume, claim: Claim): VolumeFault | undefined {
  const { spec } = volume;
  if (claim.spec.volumeName && claim.spec.volumeName !== volume.metadata.name) return 'pinned';
  if (volume.metadata.deletionTimestamp) return 'going';
  // Whoever names the claim in the volume hands it out again, by name or to this very claim.
  const { claimRef } = spec;
  if (volume.status?.phase === 'Released' && claimRef?.uid !== undefined && claimRef.uid !== claim.metadata.uid) return 'Released';
  if (spec.claimRef && (spec.claimRef.name !== claim.metadata.name || spec.claimRef.namespace !== claim.metadata.namespace))
    return 'claimed';
  if (spec.claimRef?.uid && spec.claimRef.uid !== claim.metadata.uid) return 'claimed';
  if ((spec.storageClassName ?? '') !== (claim.spec.storageClassName ?? '')) return 'class';
  if ((spec.volumeMode ?? 'Filesystem') !== (claim.spec.volumeMode ?? 'Filesystem')) return 'mode';
  // A volume that was made for the claim is changed to its attributes afterwards.
  const others = (spec.volumeAttributesClassName ?? '') !== (claim.spec.volumeAttributesClassName ?? '');
  if (others && spec.claimRef?.uid === undefined && gateOpen(facts, 'VolumeAttributesClass')) return 'attributes';
  if (!claim.spec.accessModes.every((mode) => spec.accessModes.includes(mode))) return 'access';
  if (bytesOf(spec.capacity.storage) < bytesOf(claim.spec.resources.requests.storage)) return 'size';
  return claim.spec.selector && !selectorMatches(claim.spec.selector, volume.metadata.labels) ? 'selector' : undefined;
}

/** Whether a pre-made volume answers to a claim. */
export const volumeFits = (facts: Facts, volume: Volume, claim: Claim): boolean => volumeFault(facts, volume, claim) === undefined;

/** Whether a volume can be used on a node. */
export const reaches = (volume: Volume, node: Node): boolean => {
  const terms = volume.spec.nodeAffinity?.required?.nodeSelectorTerms;
  return !terms || termsMatch(terms, node.metadata.labels);
};

/** The smallest pre-made volume that answers to a claim and, where a node is given, can be used there. */
export function premadeFor(facts: Facts, claim: Claim, node?: Node): Volume | undefined {
  let best: Volume | undefined;
  for (const one of facts.freeVolumes(claim.spec.storageClassName ?? '')) {
    if (!volumeFits(facts, one, claim) || (node && !reaches(one, node))) continue;
    const smaller = best && bytesOf(one.spec.capacity.storage) - bytesOf(best.spec.capacity.storage);
    if (smaller === undefined || smaller < 0 || (smaller === 0 && one.metadata.name < best!.metadata.name)) best = one;
  }
  return best;
}

/** Whether a class lets volumes lie where a node is. Source: the cluster API's "Storage Classes", allowed topologies. */
export function topologyAllows(one: StorageClass, labels: Readonly<Record<string, string>> | undefined): boolean {
  if (!one.allowedTopologies?.length) return true;
  return one.allowedTopologies.some((term) =>
    (term.matchLabelExpressions ?? []).every(({ key, values }) => values.includes(labels?.[key] ?? ''))
  );
}
