import { momentOf } from '../shared';
import { momentIn, refOf, type Facts, type Ref, podsMadeBy } from '../model';
import { restoredClaim, restoreRefusal, stoppedFor, type Refusal, type Restore } from '../standin';
import { swapWaits } from '../supposed';
import { claimLoss } from './effects';
import type { ChangeSheet } from './types';

/** What putting a snapshot in the place of a claim does; `new` is the claim as it will be. */
export interface RestoreSheet extends Pick<ChangeSheet, 'nowMs' | 'new' | 'restarted' | 'lost' | 'untouched'> {
  readonly ref: Ref;
  readonly steps: readonly string[];
  /** What would keep the new claim, or those that mount it, from coming up once the old one is gone, as things stand. */
  readonly stalls: readonly string[];
  readonly refusal?: Refusal;
}

/** Makes the change sheet of a restore in place. Nothing is written. */
export function restoreSheet(facts: Facts, restore: Restore): RestoreSheet {
  const { namespace, claim: name, snapshot } = restore;
  const ref: Ref = { kind: 'PersistentVolumeClaim', namespace, name };
  const nothing = { ref, nowMs: facts.nowMs, new: [], restarted: [], lost: [], untouched: [], steps: [], stalls: [] };
  const refusal = restoreRefusal(facts, restore);
  if (refusal) return { ...nothing, refusal };
  const claim = facts.get('PersistentVolumeClaim', namespace, name)!;
  const taken = facts.get('VolumeSnapshot', namespace, snapshot)!.status?.creationTime;
  const since = taken === undefined ? '' : ` since ${momentIn(facts, momentOf(taken))}`;
  const next = restoredClaim(facts, claim, snapshot);
  const { pods, alone, deployments } = stoppedFor(facts, namespace, name);
  const owners = [...new Set(pods.flatMap((pod) => pod.metadata.ownerReferences?.find((one) => one.kind === 'StatefulSet')?.name ?? []))];
  const others = owners
    .flatMap((owner) => podsMadeBy(facts, facts.get('StatefulSet', namespace, owner)!))
    .filter((pod) => !pods.includes(pod));
  const names = pods.map((pod) => pod.metadata.name).join(', ');
  const volume = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '');
  const kept = volume && volume.spec.persistentVolumeReclaimPolicy !== 'Delete';
  return {
    ...nothing,
    stalls: swapWaits(facts, claim, next, pods),
    new: [{ ref, says: `from VolumeSnapshot ${snapshot}, ${next.spec.resources.requests.storage}, under the same name` }],
    restarted: pods.map((pod) => ({ ref: refOf(pod), says: 'stops, and starts again on the restored volume' })),
    lost: [...claimLoss(facts, namespace, name), { ref, says: `whatever was written there${since}, when the snapshot was taken` }],
    untouched: [
      ...others.map((pod) => ({ ref: refOf(pod), says: 'runs on' })),
      ...(kept ? [{ ref: refOf(volume), says: 'stays as Released with what lies in it now (policy Retain)' }] : [])
    ],
    steps: [
      ...(names
        ? [
            `${names} ${pods.length === 1 ? 'stops' : 'stop'}${deployments.length ? `: ${deployments.map((one) => one.metadata.name).join(', ')} is scaled to nothing meanwhile` : ''}.`
          ]
        : ['Nobody uses the claim, so nobody stops.']),
      `When it is free, ${name} goes, and a claim of the same name is made from VolumeSnapshot ${snapshot}; nobody makes an empty one in between.`,
      ...(names
        ? [
            `${names} ${pods.length === 1 ? 'starts' : 'start'} again${alone.length ? ', sent anew' : ''}; copies that were written since come from the other members where the engine has them.`
          ]
        : [])
    ]
  };
}
