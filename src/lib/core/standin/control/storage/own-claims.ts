import { ownClaims, ownerOf, takesRoom, type Claim, type Facts, type Pod } from '../../../model';
import { filled } from '../../admit/defaults';
import { claimShut } from '../../admit/limits';
import { idOf, splitKey, type Loop } from '../loop';

type OwnVolume = ReturnType<typeof ownClaims>[number]['volume'];

/** Whether a claim of a pod's own name was made for that very pod. Source: the cluster API's "Ephemeral Volumes", PVC naming. */
export const isOwnClaim = (claim: Claim, podUid: string | undefined): boolean =>
  claim.metadata.ownerReferences?.some((one) => one.controller && one.uid === podUid) ?? false;

/** A claim that a pod has for itself alone, as it is made. */
export function ownClaimToBe(facts: Facts, pod: Pod, name: string, volume: OwnVolume): Claim {
  const { metadata, spec } = volume.ephemeral!.volumeClaimTemplate!;
  const claim: Claim = {
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata: {
      ...(metadata?.labels ? { labels: metadata.labels } : {}),
      ...(metadata?.annotations ? { annotations: metadata.annotations } : {}),
      name,
      namespace: pod.metadata.namespace ?? '',
      ownerReferences: [ownerOf(pod)]
    },
    spec
  };
  return filled(claim, facts) as Claim;
}

/** Makes the claims that pods have for themselves alone; they go with their pods. Source: the cluster API's "Ephemeral Volumes". */
export const ownClaimsLoop: Loop = {
  id: 'own-claims',
  watches: {
    Pod: (now, before) => (now && now.spec !== before?.spec && ownClaims(now).length ? [idOf(now)] : []),
    PersistentVolumeClaim: (now, before, store) =>
      now || !before
        ? []
        : store
            .podsOfClaim(before.metadata.namespace ?? '', before.metadata.name)
            .filter((pod) => ownClaims(pod).length)
            .map(idOf),
    ResourceQuota: (now, _before, store) =>
      store
        .list('Pod', now?.metadata.namespace)
        .filter((pod) => ownClaims(pod).length)
        .map(idOf)
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const pod = world.store.get('Pod', namespace, name);
    if (!pod || pod.metadata.deletionTimestamp || !takesRoom(pod)) return;
    for (const { name: claimName, volume } of ownClaims(pod)) {
      const there = world.store.get('PersistentVolumeClaim', namespace, claimName);
      if (there && !isOwnClaim(there, pod.metadata.uid))
        world.event(
          pod,
          'FailedBinding',
          `The claim ${claimName} is not the pod's own: somebody else made it. Take it away, or give the pod another name.`,
          'Warning'
        );
      if (there) continue;
      const claim = ownClaimToBe(world.store, pod, claimName, volume);
      const refused = claimShut(world.store, claim);
      if (refused) world.event(pod, 'FailedBinding', `${claimName} can't be made: ${refused.message}.`, 'Warning');
      else world.put(claim);
    }
  }
};
