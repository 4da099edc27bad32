import {
  isReady,
  memberName,
  ordinalsOf,
  pairsMatch,
  refOf,
  takesRoom,
  type ApiObject,
  type Facts,
  type Ref,
  type StatefulSet
} from '../../model';
import { scopeIn } from '../../exports';
import { claimPosition, memberPosition, snapshotPosition, volumePosition } from '../position';
import { jointIds, type JointId } from '../joints';
import type { Position } from '../types';
import { claimLooks } from './claims';
import { containerLooks, readyLook } from './containers';
import { madeLook, makersOf, saidReady } from './made';
import { look } from '../evidence';
import { concerns, mountFaults, mountLooks } from './mounts';
import { nodeLook } from './node';
import { placingLook, placingOf } from './placing';
import { brokenBy, placed, type Fault, type Placed } from './place';
import { nameLook, serviceLook } from './reach';
import { namespaceLooks, nodeLooks, otherLooks, ownerPositions, podPlace, serviceLooks } from './subjects';

const rank = new Map<JointId, number>(jointIds.map((id, i) => [id, i]));
const claimJoints = new Set<JointId>(['backend', 'target', 'rights', 'driver', 'class', 'volume', 'claim']);

/** Everything that can be told from one position, from the root up. */
function looksFrom(at: Position): Placed[] {
  const ready = saidReady(at);
  if (ready) return [placed('ready', look('holds', at.podName ?? '–', ready, { objects: makersOf(at).map(refOf) }))];
  const faults = mountFaults(at);
  const verdict = placingOf(at).fault;
  const below = [...faults, ...(verdict ? [verdict] : [])].filter((one) => claimJoints.has(one.joint));
  const taken = new Set<Fault>();
  const looks: Placed[] = [];
  for (const place of at.claims) {
    const own = below.filter((one) => concerns(one, place.name, place.claim?.spec.volumeName ?? '\0', at.claims.length));
    for (const one of own) taken.add(one);
    looks.push(...claimLooks(at, place, own));
  }
  for (const one of below) if (!taken.has(one)) looks.push(brokenBy(one, at.podName ?? '–'));
  const nodes = nodeLook(at);
  for (const one of faults)
    if (one.joint === 'node' && !nodes.some((two) => two.look.state === 'broken')) looks.push(brokenBy(one, at.podName ?? '–'));
  if (at.podName !== undefined)
    looks.push(
      ...madeLook(at),
      ...placingLook(at),
      ...nodes,
      ...mountLooks(at, faults),
      ...containerLooks(at, faults),
      ...readyLook(at),
      ...nameLook(at),
      ...serviceLook(at)
    );
  return looks
    .map((one, i) => [one, i] as const)
    .sort(([a, i], [b, j]) => rank.get(a.joint)! - rank.get(b.joint)! || i - j)
    .map(([one]) => one);
}

/** One trunk of a line, before trunks are laid together. */
export interface ExportTrunk {
  readonly position: Position;
  readonly looks: readonly Placed[];
}

/** So many members that aren't there are drawn; those after them wait on the same. */
const mostMissing = 12;

/** The members of a set that are there, and the first of those that aren't. */
function setPlaces(facts: Facts, set: StatefulSet): Position[] {
  const places: Position[] = [];
  let missing = 0;
  for (const ordinal of ordinalsOf(set)) {
    const pod = facts.get('Pod', set.metadata.namespace ?? '', memberName(set, ordinal));
    if (!pod) missing += 1;
    if (pod) places.push(podPlace(facts, pod));
    else if (missing <= mostMissing) places.push(memberPosition(facts, set, ordinal));
  }
  return places;
}

const mostPods = 6;

/** A claim by itself; where it waits for a member to be placed, what keeps that one from a place. */
function claimTrunk(facts: Facts, namespace: string, name: string): ExportTrunk {
  const position = claimPosition(facts, namespace, name);
  const looks = looksFrom(position);
  const waits =
    looks.some((one) => one.joint === 'claim' && one.look.state === 'waiting') && !looks.some((one) => one.look.state === 'broken');
  if (!waits) return { position, looks };
  for (const pod of facts.podsOfClaim(namespace, name)) {
    const at = podPlace(facts, pod);
    if (placingOf(at).fault?.joint === 'placing') return { position, looks: [...looks, ...placingLook(at)] };
  }
  return { position, looks };
}

const alone = (facts: Facts, namespace: string, looks: readonly Placed[]): ExportTrunk[] => [
  { position: { facts, namespace, claims: [] }, looks }
];
const from = (positions: readonly Position[]): ExportTrunk[] => positions.map((position) => ({ position, looks: looksFrom(position) }));

/**
 * What an export of a real cluster tells about a subject, trunk by trunk.
 * @returns undefined when the subject isn't in the export, or is of a kind that has no line
 */
export function exportTrunks(facts: Facts, { kind, namespace, name }: Ref): ExportTrunk[] | undefined {
  const other = scopeIn(facts).others.find((one) => one.kind === kind && one.namespace === namespace && one.name === name);
  if (other) return alone(facts, namespace, otherLooks(facts, other));
  const object = facts.get(kind, namespace, name) as ApiObject | undefined;
  switch (object?.kind) {
    case 'Pod':
      return from([podPlace(facts, object)]);
    case 'StatefulSet':
      return from(setPlaces(facts, object));
    case 'Deployment':
    case 'ReplicaSet':
    case 'DaemonSet':
    case 'Job':
      return from(ownerPositions(facts, object));
    case 'PersistentVolumeClaim':
      return [claimTrunk(facts, namespace, name)];
    case 'PersistentVolume':
      return from([volumePosition(facts, object)]);
    case 'VolumeSnapshot':
      return from([snapshotPosition(facts, object)]);
    case 'VolumeSnapshotContent': {
      const { namespace: space = '', name: taken = '' } = object.spec.volumeSnapshotRef;
      const snapshot = facts.get('VolumeSnapshot', space, taken);
      return snapshot && from([snapshotPosition(facts, snapshot)]);
    }
    case 'Service': {
      // A service whose members aren't ready waits on them, and they tell why.
      const selector = object.spec.selector;
      const pods = selector
        ? facts.list('Pod', namespace).filter((pod) => takesRoom(pod) && pairsMatch(selector, pod.metadata.labels))
        : [];
      const own = serviceLooks(facts, object);
      if (!pods.length || pods.some(isReady) || own.some((one) => one.look.state === 'broken')) return alone(facts, namespace, own);
      return from(pods.slice(0, mostPods).map((pod) => podPlace(facts, pod)));
    }
    case 'Node':
      return alone(facts, '', nodeLooks(facts, object));
    case 'Namespace':
      return alone(facts, '', namespaceLooks(facts, object));
    default:
      return undefined;
  }
}
