import { defaultClassMark, momentIn, refOf, type Facts, type StorageClass, type Volume } from '../../model';
import { bytesOf } from '../../shared';
import { eventsAbout, latestOf, scopeIn, tellingPart, timeOf } from '../../exports';
import { compact, field, look, madeMs, ref } from '../evidence';
import type { JointId } from '../joints';
import type { ClaimPlace, Position } from '../types';
import { driverLook, type Need } from './driver';
import { byHand, classNameOf, driverIn, sortOf, volumeOf, waitsForMember } from './kinds';
import { brokenBy, evidenceOf, faultOf, mostTelling, placed, remedyFor, underWay, type Fault, type Placed } from './place';
import { holdsVolumes, stageOf } from './stage';
import { attaches, attachmentsOf } from './attachments';
import { bindingFault, changeFault, isBoundClaim, snapshotFault } from './claim-faults';

/** Whether a claim that isn't bound waits for a member before its volume is made. */
function waitsForUser(facts: Facts, { claim, class: one }: ClaimPlace): boolean {
  if (!claim || claim.metadata.annotations?.['volume.kubernetes.io/selected-node']) return false;
  const last = eventsAbout(facts, claim).at(-1);
  return last ? /^WaitFor/.test(last.reason) : waitsForMember(one);
}

/** What the claim still waits for its driver to do. */
function needOf(at: Position, place: ClaimPlace, driver: string): Need {
  if (place.snapshot && !place.snapshot.status?.readyToUse) return 'make';
  if (place.volume && !place.claim)
    return place.volume.status?.phase === 'Released' && place.volume.spec.persistentVolumeReclaimPolicy === 'Delete' ? 'make' : 'none';
  if (!isBoundClaim(place)) return waitsForUser(at.facts, place) ? 'none' : 'make';
  if (changeFault(at.facts, place)) return 'make';
  const stage = stageOf(at.pod);
  if (!at.pod || stage !== 'mounting') return 'none';
  const volume = place.claim?.spec.volumeName ?? '';
  const waiting = attaches(at.facts, driver) !== false && at.facts.list('VolumeAttachment').length > 0;
  return waiting && !attachmentsOf(at.facts, volume, at.pod.spec.nodeName).some((one) => one.status?.attached) ? 'attach' : 'mount';
}

const asked = ({ spec }: ClaimPlace): string => (spec ? `${spec.resources.requests.storage}, ${spec.accessModes.join(' ')}` : '');

interface Seen {
  readonly at: Position;
  readonly place: ClaimPlace;
  readonly faults: readonly Fault[];
  readonly class: StorageClass | undefined;
  readonly volume: Volume | undefined;
  readonly driver: string | undefined;
  readonly need: Need;
  /** Whether a member runs on it, so that all below has held. */
  readonly held: boolean;
}

function faultAt({ faults, place, driver }: Seen, joint: JointId, label: string): Placed | undefined {
  const fault = faults.find((one) => one.joint === joint);
  if (!fault) return undefined;
  const more = compact([place.claim && field(place.claim, 'status.phase', place.claim.status?.phase ?? 'Pending', madeMs(place.claim))]);
  return brokenBy(fault, label || driver || place.name, more);
}

function providerLooks(seen: Seen): Placed[] {
  const { driver, held, place, need, volume } = seen;
  const looks: Placed[] = [];
  const backend = faultAt(seen, 'backend', driver ?? place.name);
  if (backend) looks.push(backend);
  else if (driver)
    looks.push(
      placed(
        'backend',
        need === 'make' && !held
          ? look(
              'unseen',
              driver,
              `an export says nothing of the provider; look at the room there for ${asked(place) || 'it'}, and at the quota of volumes`
            )
          : look('unseen', driver, 'what it has left is not in an export; nothing asks for it now')
      )
    );
  const target = faultAt(seen, 'target', volume ? sortOf(volume).place : place.name);
  if (target) looks.push(target);
  else if (volume && sortOf(volume).sort === 'nfs') {
    const { place: server } = sortOf(volume);
    looks.push(
      placed(
        'target',
        held
          ? look('holds', server, 'it was reached when the member was started')
          : look('unseen', server, `whether the nodes reach ${server} is not in an export; mount it by hand from the node`)
      )
    );
  }
  const rights = faultAt(seen, 'rights', driver ?? place.name);
  if (rights) looks.push(rights);
  else if (driver)
    looks.push(
      placed(
        'rights',
        look(
          'unseen',
          driver,
          need === 'none'
            ? 'what the driver may do is not in an export; nothing asks for it now'
            : `an export says nothing of the provider; look at the trust there for the account of ${driver}, and at its rights`
        )
      )
    );
  return looks;
}

function driverPlaced(seen: Seen): Placed[] {
  const { at, driver, need, place } = seen;
  if (!driver) return [];
  const own = driverLook(at, driver, need, place);
  const fault = faultAt(seen, 'driver', driver);
  if (fault)
    return [placed('driver', { ...fault.look, evidence: [...fault.look.evidence, ...(own.state === 'broken' ? own.evidence : [])] })];
  return [placed('driver', own)];
}

function classPlaced(seen: Seen): Placed[] {
  const { at, place, held, volume } = seen;
  const { facts } = at;
  if (place.volume) return [];
  const name = classNameOf(place);
  const fault = faultAt(seen, 'class', name ?? '(default)');
  if (fault) return [fault];
  if (!place.spec) return [placed('class', look('unseen', '–', "the claim isn't in the export, so its class can't be told"))];
  if (name === '') return [placed('class', look('holds', '""', 'no class: only a pre-made volume without class will do'))];
  const found = seen.class;
  if (found)
    return [
      placed(
        'class',
        look(
          'holds',
          found.metadata.name,
          `provisioner ${found.provisioner}; ${waitsForMember(found) ? 'binds when the member is placed' : 'binds at once'}`,
          {
            objects: [refOf(found)]
          }
        )
      )
    ];
  if (isBoundClaim(place) || held || volume)
    return [placed('class', look('holds', name ?? '–', "the claim is bound, and doesn't need its class"))];
  const reach = scopeIn(facts).of('StorageClass');
  if (reach !== 'contained')
    return [
      placed('class', look('unseen', name ?? '(default)', `classes are not in the export; export StorageClass${name ? ` ${name}` : ''}`))
    ];
  if (name === undefined) {
    const marked = facts.list('StorageClass').filter((one) => one.metadata.annotations?.[defaultClassMark] === 'true');
    return [
      placed('class', look('unseen', '(default)', `the claim names no class; ${marked.length} in the export are marked as the default`))
    ];
  }
  if (facts.list('PersistentVolume').some((one) => one.spec.storageClassName === name && !one.spec.claimRef))
    return [placed('class', look('holds', name, 'no class of that name; pre-made volumes carry the name'))];
  return [
    placed(
      'class',
      look('broken', name, `there is no class ${name}, and the classes were exported`, {
        objects: [ref('StorageClass', '', name)],
        evidence: compact([
          place.claim && field(place.claim, 'spec.storageClassName', name),
          {
            object: ref('StorageClass', '', '(all)'),
            field: 'metadata.name',
            value: facts
              .list('StorageClass')
              .map((one) => one.metadata.name)
              .join(', ')
          }
        ]),
        ...remedyFor('class')
      })
    )
  ];
}

function volumePlaced(seen: Seen): Placed[] {
  const { place, volume, held } = seen;
  const name = volume?.metadata.name ?? place.claim?.spec.volumeName ?? '';
  const fault = faultAt(seen, 'volume', name || 'none fits');
  if (fault) return [fault];
  if (volume) {
    const { sort, place: where } = sortOf(volume);
    const { phase, message } = volume.status ?? {};
    const objects = [refOf(volume)];
    if (phase === 'Failed')
      return [
        placed(
          'volume',
          look('broken', name, tellingPart(message ?? '') || 'it is Failed', {
            objects,
            evidence: [field(volume, 'status', `${phase} ${message ?? ''}`.trim())],
            ...remedyFor('volume')
          })
        )
      ];
    if (place.volume && !place.claim) return [releasedLook(seen, volume)];
    return [
      placed('volume', look('holds', name, `${volume.spec.capacity.storage}, ${sort}${sort === 'csi' ? '' : ` ${where}`}`, { objects }))
    ];
  }
  if (held) return [placed('volume', look('holds', name || '–', 'it was mounted when the member was started'))];
  if (name) return [placed('volume', look('unseen', name, `the volume isn't in the export; export PersistentVolume ${name}`))];
  if (!place.claim) return [];
  return [placed('volume', look('waiting', '–', byHand(place, seen.class) ? 'waits for a volume that was made by hand' : 'not made yet'))];
}

function releasedLook({ at, driver }: Seen, volume: Volume): Placed {
  const { facts } = at;
  const name = volume.metadata.name;
  const objects = [refOf(volume)];
  const refused = mostTelling(eventsAbout(facts, volume).filter((one) => one.reason === 'VolumeFailedDelete'));
  const phase = volume.status?.phase ?? 'Pending';
  if (refused) return brokenBy(faultOf('delete', refused), name, [field(volume, 'status.phase', phase)], objects);
  const going = timeOf(volume.metadata.deletionTimestamp);
  if (going !== undefined) {
    const holders = attachmentsOf(facts, name);
    const by = holders.length
      ? `attached to ${holders.map((one) => one.spec.nodeName).join(', ')} still`
      : `held by ${(volume.metadata.finalizers ?? []).join(', ') || 'nobody that is told'}`;
    return underWay(
      facts,
      'volume',
      name,
      `is being taken away; ${by}`,
      going,
      [1_000, 60_000],
      `see what ${driver ?? 'its driver'} says of it`,
      { objects }
    );
  }
  if (phase === 'Released')
    return placed(
      'volume',
      look(
        'waiting',
        name,
        `Released; ${volume.spec.persistentVolumeReclaimPolicy === 'Delete' ? 'waits to be deleted' : 'kept until somebody frees it'}`,
        { objects, evidence: [field(volume, 'status.phase', phase)] }
      )
    );
  return placed(
    'volume',
    look(phase === 'Available' || phase === 'Bound' ? 'holds' : 'waiting', name, phase, {
      objects,
      evidence: [field(volume, 'status.phase', phase)]
    })
  );
}

function boundLook(seen: Seen): Placed {
  const { at, place } = seen;
  const claim = place.claim!;
  const objects = [refOf(claim)];
  const going = timeOf(claim.metadata.deletionTimestamp);
  const users = at.facts.podsOfClaim(place.namespace, place.name).map((one) => one.metadata.name);
  if (going !== undefined && users.length)
    return placed(
      'claim',
      look(
        'waiting',
        place.name,
        `goes, with its data, as soon as ${users.slice(0, 3).join(', ')} let${users.length === 1 ? 's' : ''} go of it`,
        {
          objects,
          evidence: [field(claim, 'metadata.deletionTimestamp', claim.metadata.deletionTimestamp, going)]
        }
      )
    );
  if (going !== undefined)
    return underWay(
      at.facts,
      'claim',
      place.name,
      `is being taken away; held by ${(claim.metadata.finalizers ?? []).join(', ') || 'nobody that is told'}`,
      going,
      [1_000, 60_000],
      'see which pods still mount it',
      { objects }
    );
  const want = bytesOf(claim.spec.resources.requests.storage);
  if (want > bytesOf(claim.status?.capacity?.storage ?? String(want))) {
    const begun = claim.status?.conditions?.find((one) => /Resiz/.test(one.type) && one.status === 'True');
    return underWay(
      at.facts,
      'claim',
      place.name,
      `grows from ${claim.status?.capacity?.storage} to ${claim.spec.resources.requests.storage}${begun ? ` (${begun.type})` : ''}`,
      timeOf(begun?.lastTransitionTime),
      [5_000, 600_000],
      "see what the driver's resizer says",
      { objects }
    );
  }
  return placed(
    'claim',
    look('holds', place.name, `Bound; asked ${asked(place)}, got ${claim.status?.capacity?.storage ?? 'unknown'}`, { objects })
  );
}

function claimPlaced(seen: Seen): Placed[] {
  const { at, place, held, driver } = seen;
  const { facts, pod, podName, set } = at;
  const { claim } = place;
  const fault = faultAt(seen, 'claim', place.name);
  if (fault) return [fault];
  if (place.volume && !claim) return [];
  const objects = [ref('PersistentVolumeClaim', place.namespace, place.name)];
  if (!claim) {
    if (held) return [placed('claim', look('holds', place.name, 'it was mounted when the member was started', { objects }))];
    if (set && place.spec && !pod) return [placed('claim', look('waiting', place.name, `made together with ${podName}`, { objects }))];
    if (scopeIn(facts).of('PersistentVolumeClaim', place.namespace) === 'contained')
      return [
        placed(
          'claim',
          look('broken', place.name, "the claim doesn't exist, and claims of the namespace were exported", {
            objects,
            evidence: [{ object: ref('Pod', place.namespace, podName ?? ''), field: 'spec.volumes', value: place.name }],
            ...remedyFor('claim')
          })
        )
      ];
    return [
      placed(
        'claim',
        look('unseen', place.name, `claims of ${place.namespace} are not in the export; export PersistentVolumeClaim ${place.name}`, {
          objects
        })
      )
    ];
  }
  if (isBoundClaim(place)) return [boundLook(seen)];
  return [pendingLook(seen, driver)];
}

function pendingLook({ at, place, faults, class: one, need }: Seen, driver: string | undefined): Placed {
  const { facts } = at;
  const claim = place.claim!;
  const since = madeMs(claim);
  const said = eventsAbout(facts, claim);
  const evidence = compact([
    field(claim, 'status.phase', claim.status?.phase ?? 'Pending', since),
    said.at(-1) && evidenceOf(said.at(-1)!)
  ]);
  const objects = [refOf(claim)];
  const says = `Pending${since === undefined ? '' : ` since ${momentIn(facts, since)}`}, asked ${asked(place)}`;
  const last = said.at(-1);
  const waiting = (more = '') => placed('claim', look('waiting', place.name, `${says}${more}`, { objects, evidence }));
  if (faults.length) return waiting();
  if (waitsForUser(facts, { ...place, ...(one ? { class: one } : {}) }))
    return waiting(last?.reason === 'WaitForPodScheduled' ? '; waits until its member has a place' : '; waits for its first user');
  if (need !== 'none' && driver && driverLook(at, driver, need, place).state === 'broken') return waiting();
  return underWay(
    facts,
    'claim',
    place.name,
    says,
    latestOf(said, ['Provisioning', 'ExternalProvisioning'])?.firstMs ?? since,
    [5_000, 120_000],
    last
      ? `the last that was said of it: ${tellingPart(last.message, 120)}`
      : 'no event about it is in the export; export the events of the namespace',
    { objects, evidence }
  );
}

/** Everything that a claim stands on, from the backend up, as an export tells it. */
export function claimLooks(at: Position, place: ClaimPlace, own: readonly Fault[] = []): Placed[] {
  const { facts } = at;
  const one = place.class ?? (place.claim ? facts.get('StorageClass', '', classNameOf(place) ?? '') : undefined);
  const driver = driverIn(facts, place, one);
  const held = holdsVolumes(stageOf(at.pod));
  const need = driver ? needOf(at, place, driver) : 'none';
  let faults = [
    ...own,
    ...[bindingFault(facts, place), changeFault(facts, place), snapshotFault(facts, place)].filter((two): two is Fault => two !== undefined)
  ];
  // A controller that is down now outweighs what it was told while it ran.
  if (driver && need === 'make' && faults.some((two) => two.joint === 'backend' || two.joint === 'rights')) {
    const controller = driverLook(at, driver, need, place);
    const saidMs = Math.max(...faults.map((two) => two.said.atMs ?? 0));
    const downMs = Math.max(...controller.evidence.map((two) => two.atMs ?? 0));
    if (controller.state === 'broken' && downMs > saidMs)
      faults = faults.filter((two) => two.joint !== 'backend' && two.joint !== 'rights');
  }
  const seen: Seen = { at, place, faults, class: one, volume: volumeOf(facts, place), driver, need, held };
  const above: JointId[] = ['backend', 'target', 'rights', 'driver', 'class', 'volume', 'claim'];
  const rest = faults
    .filter((two) => !above.includes(two.joint) && !(place.snapshot && two.joint === 'snapshot'))
    .map((two) => brokenBy(two, place.name));
  return [
    ...providerLooks(seen),
    ...driverPlaced(seen),
    ...classPlaced(seen),
    ...volumePlaced(seen),
    ...claimPlaced(seen),
    ...(place.snapshot ? [snapshotPlaced(seen)] : []),
    ...rest
  ];
}

function snapshotPlaced(seen: Seen): Placed {
  const { at, place } = seen;
  const snapshot = place.snapshot!;
  const name = snapshot.metadata.name;
  const objects = [refOf(snapshot)];
  const fault = faultAt(seen, 'snapshot', name);
  if (fault) return fault;
  if (snapshot.status?.readyToUse) return placed('snapshot', look('holds', name, 'ready to use', { objects }));
  if (seen.faults.length) return placed('snapshot', look('waiting', name, 'not ready yet', { objects }));
  return underWay(
    at.facts,
    'snapshot',
    name,
    'is being taken',
    madeMs(snapshot),
    [2_000, 300_000],
    'see what the snapshotter beside the driver says, and export VolumeSnapshotContent',
    { objects }
  );
}
