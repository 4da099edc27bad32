import { isOwnClaim } from '../storage/own-claims';
import { premadeFor, noProvisioner, topologyAllows } from '../storage/premade';
import { roomTold } from '../storage/room-told';
import { driverOfClaim } from '../storage/driver-call';
import { apartOf, keptApart, lacksCompany } from './company';
import { hostPortsOf, portTaken, scarcity } from './scarce';
import { unevenness } from './spread';
import {
  askOf,
  classOf,
  claimsOf,
  nodeReady,
  nodeWanted,
  ownClaims,
  repellingTaint,
  roomOf,
  takesRoom,
  termsMatch,
  tolerates,
  waitsForConsumer,
  type Claim,
  type Facts,
  type Node,
  type NodeUse,
  type Pod
} from '../../../model';

/** Why a node is no place for a pod; the closed list. */
export type PlaceFault =
  | 'not-ready'
  | 'unschedulable'
  | 'taint'
  | 'selector'
  | 'cpu'
  | 'memory'
  | 'pods'
  | 'slots'
  | 'anti-affinity'
  | 'affinity'
  | 'spread'
  | 'host-port'
  | 'resource'
  | 'volume-zone'
  | 'class-zone'
  | 'no-volume'
  | 'no-room'
  | 'one-pod';

/** Why nobody looks for a place for a pod. */
export interface Held {
  readonly reason: 'SchedulingGated' | 'Unschedulable';
  readonly says: string;
  readonly remedy: string;
}

/** Whether a pod is held back by gates, or asks for a scheduler that isn't there. Sources: "Pod Scheduling Readiness", "Configure Multiple Schedulers". */
export function heldBack(pod: Pod): Held | undefined {
  const { schedulingGates = [], schedulerName } = pod.spec as { schedulingGates?: { name: string }[]; schedulerName?: string };
  if (schedulingGates.length)
    return {
      reason: 'SchedulingGated',
      says: `nobody looks for a place while gates hold the pod: ${schedulingGates.map((one) => one.name).join(', ')}`,
      remedy: 'Take spec.schedulingGates out once what they wait for is there.'
    };
  if (!schedulerName || schedulerName === 'default-scheduler') return undefined;
  return {
    reason: 'Unschedulable',
    says: `the pod asks for the scheduler ${schedulerName}, and there is none of that name`,
    remedy: 'Leave schedulerName out.'
  };
}

/** A cluster in which a pod seeks its place: as it stands, or as if those who are on their way stood there already. */
export interface Places {
  readonly facts: Facts;
  podsOn(node: string): Pod[];
  useOf(node: string): NodeUse;
  /** The node on which a pod takes room, or will. */
  nodeOf(pod: Pod): string | undefined;
}

/** The node on which a pod takes room. */
export const standsOn = (pod: Pod): string | undefined => (pod.spec.nodeName && takesRoom(pod) ? pod.spec.nodeName : undefined);

/** The cluster as it stands: nobody is on the way. */
export const asItStands = (facts: Facts): Places => ({
  facts,
  podsOn: (node) => facts.podsOn(node),
  useOf: (node) => facts.useOf(node),
  nodeOf: standsOn
});

/** What a pod brings along when a place is sought: its claims that are bound, and those that wait for the choice. */
export interface PodClaims {
  readonly bound: readonly Claim[];
  readonly choosing: readonly Claim[];
  /** Claims that are missing or not bound though they don't wait for a place: no place can be sought yet. */
  readonly missing: readonly string[];
}

/** Sorts a pod's claims by what placing has to know of them. */
export function podClaimsOf(facts: Facts, pod: Pod): PodClaims {
  const bound: Claim[] = [];
  const choosing: Claim[] = [];
  const missing: string[] = [];
  const mine = new Set(ownClaims(pod).map((one) => one.name));
  for (const name of claimsOf(pod.spec, pod.metadata.name)) {
    const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
    const strange = claim && mine.has(name) && !isOwnClaim(claim, pod.metadata.uid);
    if (!claim || claim.metadata.deletionTimestamp || strange) missing.push(name);
    else if (claim.spec.volumeName && claim.status?.phase === 'Bound') bound.push(claim);
    else if (waitsForConsumer(classOf(facts, claim.spec))) choosing.push(claim);
    else missing.push(name);
  }
  return { bound, choosing, missing };
}

function slotsTaken({ facts, podsOn }: Places, node: string, driver: string): Set<string> {
  const taken = new Set<string>();
  for (const pod of podsOn(node)) {
    for (const name of claimsOf(pod.spec, pod.metadata.name)) {
      const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
      if (claim && driverOfClaim(facts, claim) === driver) taken.add(`${pod.metadata.namespace}/${name}`);
    }
  }
  return taken;
}

function slotsShort(places: Places, node: Node, pod: Pod, { bound, choosing }: PodClaims): boolean {
  const { facts } = places;
  if (!bound.length && !choosing.length) return false;
  const atMost = places.useOf(node.metadata.name).claims + bound.length + choosing.length;
  const limits = facts.get('CSINode', '', node.metadata.name)?.spec.drivers ?? [];
  return limits.some(({ name: driver, allocatable }) => {
    const most = allocatable?.count;
    if (most === undefined || atMost <= most) return false;
    const mine = [...bound, ...choosing].filter((claim) => driverOfClaim(facts, claim) === driver);
    if (!mine.length) return false;
    const taken = slotsTaken(places, node.metadata.name, driver);
    for (const claim of mine) taken.add(`${pod.metadata.namespace}/${claim.metadata.name}`);
    return taken.size > most;
  });
}

/** Why a node is no place for claims whose volume is only to be chosen: the class leaves it out, or no pre-made volume that fits lies there. */
type Room = (node: Node) => boolean;
function choiceFault(
  facts: Facts,
  node: Node,
  choosing: readonly { readonly claim: Claim; readonly room: Room | undefined }[]
): 'class-zone' | 'no-volume' | 'no-room' | undefined {
  for (const { claim, room } of choosing) {
    const one = classOf(facts, claim.spec);
    if (!one) continue;
    if (premadeFor(facts, claim, node)) continue;
    if (one.provisioner === noProvisioner) return 'no-volume';
    if (!topologyAllows(one, node.metadata.labels)) return 'class-zone';
    if (room && !room(node)) return 'no-room';
  }
  return undefined;
}

function volumeElsewhere(facts: Facts, node: Node, { bound }: PodClaims): boolean {
  return bound.some((claim) => {
    const terms = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '')?.spec.nodeAffinity?.required?.nodeSelectorTerms;
    return terms !== undefined && !termsMatch(terms, node.metadata.labels);
  });
}

/** Whether a claim of one pod at a time is another pod's already. Source: the cluster API's "Persistent Volumes", ReadWriteOncePod. */
const taken = (facts: Facts, pod: Pod, { bound, choosing }: PodClaims): boolean =>
  [...bound, ...choosing].some(
    ({ metadata, spec }) =>
      spec.accessModes.includes('ReadWriteOncePod') &&
      facts
        .podsOfClaim(metadata.namespace ?? '', metadata.name)
        .some((other) => other.metadata.uid !== pod.metadata.uid && other.spec.nodeName && takesRoom(other))
  );

/** What keeps pods off a node that isn't ready, and one that is cordoned, unless they tolerate it. Source: "Taints and Tolerations", taint nodes by condition. */
const notReadyTaint = { key: 'node.kubernetes.io/not-ready', effect: 'NoSchedule' };
const unschedulableTaint = { key: 'node.kubernetes.io/unschedulable', effect: 'NoSchedule' };

/** Why a node is closed to a pod, whoever else stands there: its state, its taints, its labels and name. */
export function closedTo({ spec }: Pod, node: Node): PlaceFault | undefined {
  const bears = (taint: typeof notReadyTaint) => spec.tolerations?.some((one) => tolerates(one, taint)) ?? false;
  if (!nodeReady(node) && !bears(notReadyTaint)) return 'not-ready';
  if (node.spec?.unschedulable && !bears(unschedulableTaint)) return 'unschedulable';
  if (repellingTaint(node, spec.tolerations)) return 'taint';
  return nodeWanted(spec, node) ? undefined : 'selector';
}

/**
 * Tells of each node why a pod can't stand there, or undefined when it can. By requests, not by use; what keeps the pod apart from others is
 * looked up once for all nodes. Source: the cluster API's "Assigning Pods to Nodes", "Taints and Tolerations", "Node-specific Volume Limits".
 */
export function placeFaults(places: Places, pod: Pod, claims: PodClaims): (node: Node) => PlaceFault | undefined {
  const { facts } = places;
  const apart = apartOf(places, pod);
  const lacks = lacksCompany(places, pod);
  const uneven = unevenness(places, pod);
  const short = scarcity(places, pod);
  const ports = hostPortsOf(pod);
  const ask = askOf(pod.spec);
  const choosing = claims.choosing.map((claim) => ({ claim, room: roomTold(facts, claim) }));
  return (node) => {
    const closed = closedTo(pod, node);
    if (closed) return closed;
    if (volumeElsewhere(facts, node, claims)) return 'volume-zone';
    const choice = choosing.length ? choiceFault(facts, node, choosing) : undefined;
    if (choice) return choice;
    if (taken(facts, pod, claims)) return 'one-pod';
    const room = roomOf(node);
    const given = places.useOf(node.metadata.name);
    if (given.milliCpu + ask.milliCpu > room.milliCpu) return 'cpu';
    if (given.memoryBytes + ask.memoryBytes > room.memoryBytes) return 'memory';
    if (given.pods + 1 > room.pods) return 'pods';
    if (short?.(node)) return 'resource';
    if (ports && portTaken(places, ports, node)) return 'host-port';
    if (keptApart(apart, node)) return 'anti-affinity';
    if (lacks?.(node)) return 'affinity';
    if (uneven?.(node)) return 'spread';
    return slotsShort(places, node, pod, claims) ? 'slots' : undefined;
  };
}

/** The same in the cluster as it stands. */
export const placeFaultsNow = (facts: Facts, pod: Pod, claims: PodClaims): ((node: Node) => PlaceFault | undefined) =>
  placeFaults(asItStands(facts), pod, claims);

const faultWords: Record<PlaceFault, string> = {
  'not-ready': 'not ready',
  unschedulable: 'cordoned',
  taint: 'with a taint that the pod does not tolerate',
  selector: 'not asked for by the pod',
  cpu: 'without the CPU asked for',
  memory: 'without the memory asked for',
  pods: 'full of pods',
  slots: 'without a free attach slot',
  'anti-affinity': 'where a pod it keeps apart from stands',
  affinity: 'without the company that it asks for',
  spread: 'that would hold more of its siblings than the spread allows',
  'host-port': 'where the host port is taken',
  resource: 'without the other resources asked for',
  'class-zone': 'outside the topologies that its class allows',
  'no-volume': 'without a pre-made volume that fits',
  'no-room': 'where the driver says that it has no room for the volume',
  'volume-zone': 'out of reach of its volume',
  'one-pod': 'refused, because another pod has the claim, which one pod at a time may have'
};

/** What helps against each. */
export const faultRemedies: Record<PlaceFault, string> = {
  'not-ready': 'Bring the nodes back.',
  unschedulable: 'Uncordon a node (spec.unschedulable: false).',
  taint: 'Tolerate the taint in the pod, or take it off a node.',
  selector: "Correct the pod's node selector, or label a node as it asks.",
  cpu: 'Ask for less CPU, free some, or add a node that is large enough.',
  memory: 'Ask for less memory, free some, or add a node that is large enough.',
  pods: 'Add a node: those that fit are full of pods.',
  slots: 'Add a node, or spread the members: the attach slots are used up.',
  spread: 'Add a node in the zone that holds fewest of them, or allow a wider spread (maxSkew).',
  'anti-affinity': 'Add a node, or ask for fewer members: at most one of them may stand on each.',
  'volume-zone': 'Make room in the zone of the volume, or use a class that waits for the first consumer and make the claim anew.',
  affinity: 'Let the pods that it asks for stand first, or take the rule out.',
  'host-port': 'Leave hostPort out and use a service, or add a node.',
  resource: 'Ask for less, or add a node that has it.',
  'class-zone': 'Let the pod stand where the class allows volumes (allowedTopologies), or use another class.',
  'no-volume': 'Send a pre-made volume of the class that fits and lies on such a node.',
  'no-room': 'Free room at the driver, ask for a smaller volume, or use another class.',
  'one-pod': 'Take the pod that has the claim away first, or make the claim anew with ReadWriteOnce.'
};

/** The faults of all nodes in one sentence, the commonest first. */
export const faultSentence = (faults: ReadonlyMap<PlaceFault, number>): string =>
  [...faults]
    .sort((a, b) => b[1] - a[1])
    .map(([fault, count]) => `${count} ${faultWords[fault]}`)
    .join(', ');
