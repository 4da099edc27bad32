import { momentIn, refOf, type Claim, type Facts } from '../../model';
import { attributesFault, callsSeen, driverTraits, gateOpen, growthFault, stepSpans, wantedAttributes } from '../../standin';
import { bytesOf } from '../../shared';
import { compact, driverOfPlace, field, isBound, lastEvent, look, madeMs, ref } from '../evidence';
import type { JointRule, Look } from '../types';
import { wantsPremade } from './volume';

const short: Record<string, string> = { ReadWriteOnce: 'RWO', ReadOnlyMany: 'ROX', ReadWriteMany: 'RWX', ReadWriteOncePod: 'RWOP' };

/** A bound claim that asks for more than it has: under way, or held up with the reason. */
function growing(facts: Facts, claim: Claim): Look | undefined {
  const have = claim.status?.capacity?.storage;
  const asked = claim.spec.resources.requests.storage;
  if (claim.status?.phase !== 'Bound' || have === undefined || bytesOf(asked) <= bytesOf(have)) return undefined;
  const objects = [refOf(claim)];
  const evidence = compact([
    field(claim, 'spec.resources.requests.storage', asked),
    field(claim, 'status.capacity.storage', have),
    lastEvent(facts, claim, ['VolumeResizeFailed'])
  ]);
  const volume = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '');
  const made = volume !== undefined && bytesOf(volume.spec.capacity.storage) >= bytesOf(asked);
  const fault = made || !facts.knowsProvider ? undefined : growthFault(facts, claim, bytesOf(asked));
  const name = claim.metadata.name;
  if (fault?.waitMs !== undefined) return look('waiting', name, fault.message.replace(/\.$/, ''), { objects, evidence });
  if (fault)
    return look('broken', name, `can't grow from ${have} to ${asked}: ${fault.message.replace(/\.$/, '')}`, {
      objects,
      evidence,
      remedy: { text: 'Mend what the driver says; it tries again by itself. The member runs on with what it has.' }
    });
  const since = lastEvent(facts, claim, ['Resizing'])?.atMs ?? facts.nowMs;
  return look('settling', name, made ? `volume ${asked}, the file system still ${have}` : `grows from ${have} to ${asked}`, {
    objects,
    evidence,
    settling: { sinceMs: since, normalMs: callsSeen(facts, volume?.spec.csi?.driver ?? '', 'growing')?.normalMs ?? [5_000, 40_000] }
  });
}

/** A bound claim that names other attributes than its volume has: under way, or held up with the reason. */
function modifying(facts: Facts, claim: Claim): Look | undefined {
  const wanted = wantedAttributes(claim);
  if (!wanted || !facts.knowsProvider || !gateOpen(facts, 'VolumeAttributesClass')) return undefined;
  const { name } = claim.metadata;
  const had = claim.status?.currentVolumeAttributesClassName;
  const objects = [refOf(claim)];
  const evidence = compact([
    field(claim, 'spec.volumeAttributesClassName', wanted),
    field(claim, 'status.modifyVolumeStatus', claim.status?.modifyVolumeStatus?.status ?? 'none'),
    lastEvent(facts, claim, ['VolumeModifyFailed'])
  ]);
  const fault = attributesFault(facts, claim);
  if (fault)
    return look('broken', name, `can't be changed to the attributes of ${wanted}: ${fault[1].replace(/\.$/, '')}`, {
      objects,
      evidence,
      remedy: {
        text: `Send what lacks, or name ${had ? `${had} again` : 'another class of attributes'}. The member runs on with what its volume has.`
      }
    });
  const since = lastEvent(facts, claim, ['VolumeModify'])?.atMs ?? facts.nowMs;
  return look('settling', name, `is changed to the attributes of ${wanted}`, {
    objects,
    evidence,
    settling: { sinceMs: since, normalMs: stepSpans.modifying.normalMs }
  });
}

/** Is the claim there, and bound? */
export const claimJoint = {
  id: 'claim' as const,
  shared: false,
  title: 'Claim',
  why: 'The claim is what a member asks for: so much, so shared, of that class. Bound means that a volume answers to it.',
  perClaim: true,
  look(at, place) {
    const { facts, pod, podName, set } = at;
    const { claim, spec } = place;
    const objects = [ref('PersistentVolumeClaim', place.namespace, place.name)];
    if (place.volume && !claim) return undefined;
    if (!claim) {
      const own = set && spec;
      if (own && !pod) return look('waiting', place.name, `made together with ${podName}`, { objects });
      return look('broken', place.name, "the claim doesn't exist", {
        objects,
        evidence: [{ object: ref('Pod', place.namespace, podName ?? ''), field: 'spec.volumes', value: place.name }],
        remedy: { text: `Send a claim ${place.namespace}/${place.name}.` }
      });
    }
    const asked = `${claim.spec.resources.requests.storage}, ${claim.spec.accessModes.map((mode) => short[mode] ?? mode).join(' ')}`;
    const growth = growing(facts, claim) ?? modifying(facts, claim);
    if (growth) return growth;
    if (isBound(place))
      return look('holds', place.name, `Bound; asked ${asked}, got ${claim.status?.capacity?.storage ?? 'unknown'}`, {
        objects: [refOf(claim)]
      });
    const modes = wantsPremade(facts, place) ? undefined : driverTraits(facts, driverOfPlace(facts, place) ?? '')?.modes;
    const wrong = modes && claim.spec.accessModes.find((mode) => !modes.includes(mode));
    if (wrong) {
      return look('broken', place.name, `asks for ${wrong}, which ${driverOfPlace(facts, place)} doesn't hand out`, {
        objects,
        evidence: compact([
          field(claim, 'spec.accessModes', claim.spec.accessModes.join(', ')),
          lastEvent(facts, claim, ['ProvisioningFailed'])
        ]),
        remedy: { text: `Make the claim anew with ${modes.join(' or ')}, or with a class of shared files.` }
      });
    }
    const since = madeMs(claim);
    return look('waiting', place.name, `Pending${since === undefined ? '' : ` since ${momentIn(facts, since)}`}, asked ${asked}`, {
      objects: [refOf(claim)],
      evidence: compact([
        field(claim, 'status.phase', claim.status?.phase ?? 'Pending', since),
        lastEvent(facts, claim, ['WaitForFirstConsumer', 'ExternalProvisioning', 'FailedBinding', 'ProvisioningFailed'])
      ])
    });
  }
} satisfies JointRule;
