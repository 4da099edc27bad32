import type { ApiObject, Facts, Ref } from '../../model';
import { scopeIn } from '../../exports';
import { claimPosition, setPositions, snapshotPosition, volumePosition } from '../position';
import { jointIds, type JointId, type Position } from '../types';
import { claimLooks } from './claims';
import { containerLooks, readyLook } from './containers';
import { madeLook } from './made';
import { concerns, mountFaults, mountLooks } from './mounts';
import { nodeLook } from './node';
import { placingLook, placingOf } from './placing';
import { brokenBy, type Fault, type Placed } from './place';
import { nameLook, serviceLook } from './reach';
import { namespaceLooks, nodeLooks, otherLooks, ownerPositions, podPlace, serviceLooks } from './subjects';

const rank = new Map<JointId, number>(jointIds.map((id, i) => [id, i]));
const claimJoints = new Set<JointId>(['backend', 'target', 'rights', 'driver', 'class', 'volume', 'claim']);

/** Everything that can be told from one position, from the root up. */
function looksFrom(at: Position): Placed[] {
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
      return from(setPositions(facts, object).map((one) => (one.pod ? podPlace(facts, one.pod) : one)));
    case 'Deployment':
    case 'ReplicaSet':
    case 'DaemonSet':
    case 'Job':
      return from(ownerPositions(facts, object));
    case 'PersistentVolumeClaim':
      return from([claimPosition(facts, namespace, name)]);
    case 'PersistentVolume':
      return from([volumePosition(facts, object)]);
    case 'VolumeSnapshot':
      return from([snapshotPosition(facts, object)]);
    case 'Service':
      return alone(facts, namespace, serviceLooks(facts, object));
    case 'Node':
      return alone(facts, '', nodeLooks(facts, object));
    case 'Namespace':
      return alone(facts, '', namespaceLooks(facts, object));
    default:
      return undefined;
  }
}
