import { momentOf } from '../../shared';
import { refOf, selectedNodeMark, waitsForConsumer, type Claim, type Facts } from '../../model';
import { volumeFits } from '../../standin';
import { compact, field, lastEvent, look, ref } from '../evidence';
import type { JointRule, Look } from '../types';

/** Whether a failure that an event tells of is newer than the last sign of work. */
function failing(facts: Facts, claim: Claim): ReturnType<typeof lastEvent> {
  const failed = lastEvent(facts, claim, ['ProvisioningFailed']);
  const working = lastEvent(facts, claim, ['Provisioning', 'ProvisioningSucceeded']);
  return failed && (failed.atMs ?? 0) >= (working?.atMs ?? -1) ? failed : undefined;
}

function premade(facts: Facts, claim: Claim): Look {
  const all = facts.list('PersistentVolume');
  if (all.some((one) => volumeFits(one, claim))) return look('settling', '–', 'a pre-made volume fits and is being bound');
  return look('broken', '–', 'no pre-made volume fits the claim', {
    evidence: [
      field(claim, 'spec.storageClassName', '""'),
      {
        object: ref('PersistentVolume', '', '(all)'),
        field: 'status.phase',
        value: all.map((one) => `${one.metadata.name}: ${one.status?.phase ?? 'unknown'}`).join('; ') || 'there are none'
      }
    ],
    remedy: {
      text: 'Make a volume without class whose size, access modes and volume mode suit the claim, or make the claim anew with a class.'
    }
  });
}

/** Has the claim got a volume? */
export const volume: JointRule = {
  id: 'volume',
  title: 'Volume',
  why: "The volume is the cluster's name for a piece of the backend. The driver makes it, unless somebody made it beforehand.",
  perClaim: true,
  look({ facts }, place) {
    const { claim } = place;
    if (!claim) return look('waiting', '–', 'made when the claim is there');
    const name = claim.spec.volumeName;
    const found = facts.get('PersistentVolume', '', name ?? '');
    if (name && !found)
      return look('broken', name, `the claim names the volume ${name}, which doesn't exist`, {
        objects: [ref('PersistentVolume', '', name)],
        evidence: [field(claim, 'spec.volumeName', name)],
        remedy: { text: "Make the volume anew from its backend's asset, or make a new claim and restore the data." }
      });
    if (found?.status?.phase === 'Bound')
      return look(
        'holds',
        found.spec.csi?.volumeHandle ?? found.metadata.name,
        `${found.metadata.name}, ${found.spec.capacity.storage}, made by ${found.spec.csi?.driver ?? 'hand'}`,
        { objects: [refOf(found)] }
      );
    if (claim.spec.storageClassName === '') return premade(facts, claim);
    if (found) return look('settling', found.metadata.name, 'is being bound', { objects: [refOf(found)] });
    if (!place.class) return look('waiting', '–', 'waits for a class');
    const failed = failing(facts, claim);
    if (failed) {
      return look('broken', '–', (failed.event?.message ?? '').replace(/\.$/, ''), {
        evidence: compact([failed, field(claim, 'status.phase', claim.status?.phase)]),
        remedy: { text: 'Mend what the driver says; it tries again by itself, after 1 s at first and 5 min at the most.' }
      });
    }
    const working = lastEvent(facts, claim, ['Provisioning']);
    if (working)
      return look('settling', '–', 'is being made', {
        evidence: [working],
        settling: { sinceMs: working.atMs ?? facts.nowMs, normalMs: [2_000, 20_000] }
      });
    if (waitsForConsumer(place.class) && !claim.metadata.annotations?.[selectedNodeMark])
      return look('waiting', '–', 'made when the first user of the claim is placed');
    return look(
      'waiting',
      '–',
      `waits for ${place.class.provisioner} since ${claim.metadata.creationTimestamp ? `T+${Math.round(momentOf(claim.metadata.creationTimestamp) / 1000)} s` : 'it was asked for'}`
    );
  }
};
