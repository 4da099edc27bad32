import { momentOf } from '../../shared';
import { asManifest } from '../../manifest';
import { momentIn, refOf, selectedNodeMark, waitsForConsumer, type Claim, type Facts, type Volume } from '../../model';
import { callsSeen, sourceOf, volumeFault, volumeFits, type VolumeFault } from '../../standin';
import { compact, field, lastEvent, look, ref } from '../evidence';
import type { ClaimPlace, Evidence, JointRule, Look, Remedy } from '../types';
import { leaves } from './rights';

/** Whether a failure that an event tells of is newer than the last sign of work. */
function failing(facts: Facts, claim: Claim): ReturnType<typeof lastEvent> {
  const failed = lastEvent(facts, claim, ['ProvisioningFailed']);
  const working = lastEvent(facts, claim, ['Provisioning', 'ProvisioningSucceeded']);
  return failed && (failed.atMs ?? 0) >= (working?.atMs ?? -1) ? failed : undefined;
}

/** How near a fault comes to fitting; the nearest volume is the one to mend. */
const nearness: readonly VolumeFault[] = [
  'pinned',
  'class',
  'going',
  'mode',
  'claimed',
  'access',
  'selector',
  'size',
  'attributes',
  'Released'
];

const words: Record<VolumeFault, (volume: Volume, claim: Claim) => [says: string, path: string, value: unknown]> = {
  pinned: (volume, claim) => [`the claim is pinned to ${claim.spec.volumeName}`, 'metadata.name', volume.metadata.name],
  going: (volume) => ['it is being deleted', 'metadata.deletionTimestamp', volume.metadata.deletionTimestamp],
  Released: (volume) => [
    'it is Released: its former claim is gone, and it is not handed out again until it is freed',
    'status.phase',
    volume.status?.phase
  ],
  claimed: ({ spec }) => [
    `it is claimed by ${spec.claimRef?.namespace}/${spec.claimRef?.name}`,
    'spec.claimRef',
    `${spec.claimRef?.namespace}/${spec.claimRef?.name}`
  ],
  class: ({ spec }) => [`its class is "${spec.storageClassName ?? ''}"`, 'spec.storageClassName', spec.storageClassName ?? '""'],
  mode: ({ spec }) => [`its volume mode is ${spec.volumeMode ?? 'Filesystem'}`, 'spec.volumeMode', spec.volumeMode ?? 'Filesystem'],
  access: ({ spec }) => [`it offers ${spec.accessModes.join(', ')} only`, 'spec.accessModes', spec.accessModes.join(', ')],
  size: ({ spec }) => [`it is too small: ${spec.capacity.storage}`, 'spec.capacity.storage', spec.capacity.storage],
  selector: ({ metadata }) => ["its labels don't answer to the claim's selector", 'metadata.labels', metadata.labels ?? {}],
  attributes: ({ spec }) => [
    `its class of attributes is "${spec.volumeAttributesClassName ?? ''}"`,
    'spec.volumeAttributesClassName',
    spec.volumeAttributesClassName ?? '""'
  ]
};

function remedyFor(fault: VolumeFault, volume: Volume): Remedy {
  const { name } = volume.metadata;
  if (fault !== 'Released') {
    const texts: Partial<Record<VolumeFault, string>> = {
      size: `Ask for ${volume.spec.capacity.storage} or less, or make a larger volume.`,
      access: `Ask for ${volume.spec.accessModes.join(' or ')}, or make a volume that offers more.`,
      claimed: 'Make another volume: this one belongs to another claim.',
      selector: `Label ${name} as the claim's selector asks, or change the selector in a new claim.`,
      class: 'Make the claim anew with the class of the volume, or give the volume the class of the claim.',
      mode: 'Make the claim anew with the volume mode of the volume.'
    };
    return { text: texts[fault] ?? 'Make a volume whose class, size, access modes and volume mode suit the claim.' };
  }
  const { claimRef: _old, ...spec } = volume.spec;
  return {
    text: `Free ${name}: clear its claimRef. The data in it stays and is handed to the next claim.`,
    manifests: [asManifest({ ...volume, spec: { ...spec, claimRef: null } })]
  };
}

/** Why no pre-made volume answers. */
function premade(facts: Facts, claim: Claim): Look {
  const all = facts.list('PersistentVolume');
  if (all.some((one) => volumeFits(facts, one, claim))) return look('settling', '–', 'a pre-made volume fits and is being bound');
  const { volumeName, storageClassName } = claim.spec;
  const asked = field(claim, 'spec.storageClassName', storageClassName === '' ? '""' : storageClassName);
  const mine = volumeName ? all.filter((one) => one.metadata.name === volumeName) : all;
  const judged = mine
    .map((volume) => ({ volume, fault: volumeFault(facts, volume, claim)! }))
    .sort((a, b) => nearness.indexOf(b.fault) - nearness.indexOf(a.fault));
  const [nearest] = judged;
  if (!nearest)
    return look('broken', '–', 'no pre-made volume fits the claim: there is none', {
      evidence: [asked, { object: ref('PersistentVolume', '', '(all)'), field: 'metadata.name', value: 'there are none' }],
      remedy: { text: 'Make a volume whose class, size, access modes and volume mode suit the claim, or make the claim anew with a class.' }
    });
  const evidence = judged.slice(0, 8).map(({ volume, fault }): Evidence => {
    const [says, path, value] = words[fault](volume, claim);
    return field(volume, path, `${typeof value === 'string' ? value : JSON.stringify(value)} (${says})`);
  });
  const [says] = words[nearest.fault](nearest.volume, claim);
  return look('broken', nearest.volume.metadata.name, `no pre-made volume fits; ${nearest.volume.metadata.name}: ${says}`, {
    objects: [refOf(nearest.volume)],
    evidence: [asked, field(claim, 'spec.resources.requests.storage', claim.spec.resources.requests.storage), ...evidence],
    remedy: remedyFor(nearest.fault, nearest.volume)
  });
}

/** Whether only a pre-made volume will do: no class, a pinned volume, or a class name that only volumes carry. */
export const wantsPremade = (facts: Facts, { claim, class: one }: ClaimPlace): boolean =>
  claim !== undefined &&
  (claim.spec.storageClassName === '' ||
    Boolean(claim.spec.volumeName) ||
    (!one &&
      claim.spec.storageClassName !== undefined &&
      facts.list('PersistentVolume').some((volume) => volume.spec.storageClassName === claim.spec.storageClassName)));

function underWay(facts: Facts, place: ClaimPlace, claim: Claim): Look {
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
      settling: {
        sinceMs: working.atMs ?? facts.nowMs,
        normalMs: callsSeen(facts, place.class?.provisioner ?? '', 'provisioning')?.normalMs ?? [2_000, 20_000]
      }
    });
  if (waitsForConsumer(place.class) && !claim.metadata.annotations?.[selectedNodeMark]) {
    // Source: the cluster API's "Storage Classes", volume binding mode, on nodeName.
    const fixed = facts.podsOfClaim(place.namespace, place.name).find((pod) => pod.spec.nodeName && !pod.metadata.deletionTimestamp);
    if (fixed)
      return look('broken', '–', `${fixed.metadata.name} names its node, so nobody chooses one for the claim, which waits for that`, {
        objects: [refOf(fixed)],
        evidence: [field(fixed, 'spec.nodeName', fixed.spec.nodeName)],
        remedy: { text: 'Leave spec.nodeName out, and select the node by its label kubernetes.io/hostname instead.' }
      });
    return look('waiting', '–', 'made when the first user of the claim is placed');
  }
  const { wait } = sourceOf(facts, claim, place.class!.provisioner);
  if (wait) return look('waiting', '–', `waits for its content: ${wait}`);
  const since = claim.metadata.creationTimestamp;
  return look(
    'waiting',
    '–',
    `waits for ${place.class!.provisioner} since ${since ? momentIn(facts, momentOf(since)) : 'it was asked for'}`
  );
}

/** A volume that somebody asked about by itself, without its claim. */
function alone(facts: Facts, volume: Volume): Look {
  const { name } = volume.metadata;
  const objects = [refOf(volume)];
  const phase = volume.status?.phase ?? 'Available';
  if (phase !== 'Released') return look('holds', name, phase === 'Bound' ? 'Bound' : 'Available: nobody claims it', { objects });
  const evidence = compact([field(volume, 'status.phase', phase), lastEvent(facts, volume, ['VolumeFailedDelete', 'VolumeReleased'])]);
  if (!leaves(volume))
    return look('waiting', name, 'Released and kept (policy Retain): it waits to be freed', {
      objects,
      evidence,
      remedy: remedyFor('Released', volume)
    });
  const failed = lastEvent(facts, volume, ['VolumeFailedDelete']);
  const attached = facts.get('Asset', '', volume.spec.csi?.volumeHandle ?? '')?.status?.attachedTo ?? [];
  if (attached.length) return look('waiting', name, `its asset is still attached to ${attached.join(', ')}`, { objects, evidence });
  return look('settling', name, failed ? 'its asset is not deleted yet; the driver tries again' : 'it is being deleted with its asset', {
    objects,
    evidence,
    settling: { sinceMs: failed?.atMs ?? facts.nowMs, normalMs: [1_000, 20_000] }
  });
}

/** Has the claim got a volume? */
export const volume = {
  id: 'volume' as const,
  shared: false,
  title: 'Volume',
  why: "The volume is the cluster's name for a piece of the backend. The driver makes it, unless somebody made it beforehand.",
  perClaim: true,
  look({ facts }, place) {
    const { claim } = place;
    if (place.volume && !claim) return alone(facts, place.volume);
    if (!claim) return look('waiting', '–', 'made when the claim is there');
    const name = claim.spec.volumeName;
    const found = facts.get('PersistentVolume', '', name ?? '');
    if (name && !found)
      return look('broken', name, `the claim names the volume ${name}, which doesn't exist`, {
        objects: [ref('PersistentVolume', '', name)],
        evidence: [field(claim, 'spec.volumeName', name)],
        remedy: { text: "Make the volume anew from its backend's asset, or make a new claim and restore the data." }
      });
    if (found?.status?.phase === 'Bound' && claim.status?.phase === 'Bound')
      return look(
        'holds',
        found.spec.csi?.volumeHandle ?? found.metadata.name,
        `${found.metadata.name}, ${found.spec.capacity.storage}, made by ${found.spec.csi?.driver ?? 'hand'}`,
        { objects: [refOf(found)] }
      );
    if (wantsPremade(facts, place)) return premade(facts, claim);
    if (found) return look('settling', found.metadata.name, 'is being bound', { objects: [refOf(found)] });
    return place.class ? underWay(facts, place, claim) : look('waiting', '–', 'waits for a class');
  }
} satisfies JointRule;
