import {
  askOf,
  classOf,
  claimsOf,
  nodeReady,
  nodeWanted,
  repellingTaint,
  roomOf,
  selectorMatches,
  takesRoom,
  termsMatch,
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
  | 'spread'
  | 'volume-zone'
  | 'one-pod';

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
const asItStands = (facts: Facts): Places => ({
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
  for (const name of claimsOf(pod.spec)) {
    const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
    if (!claim || claim.metadata.deletionTimestamp) missing.push(name);
    else if (claim.spec.volumeName && claim.status?.phase === 'Bound') bound.push(claim);
    else if (waitsForConsumer(classOf(facts, claim.spec))) choosing.push(claim);
    else missing.push(name);
  }
  return { bound, choosing, missing };
}

function slotsTaken({ facts, podsOn }: Places, node: string, driver: string): Set<string> {
  const taken = new Set<string>();
  for (const pod of podsOn(node)) {
    for (const name of claimsOf(pod.spec)) {
      const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
      if (claim && driverOf(facts, claim) === driver) taken.add(`${pod.metadata.namespace}/${name}`);
    }
  }
  return taken;
}

function driverOf(facts: Facts, claim: Claim): string | undefined {
  const volume = claim.spec.volumeName ? facts.get('PersistentVolume', '', claim.spec.volumeName) : undefined;
  return volume?.spec.csi?.driver ?? classOf(facts, claim.spec)?.provisioner;
}

function slotsShort(places: Places, node: Node, pod: Pod, { bound, choosing }: PodClaims): boolean {
  const { facts } = places;
  if (!bound.length && !choosing.length) return false;
  const atMost = places.useOf(node.metadata.name).claims + bound.length + choosing.length;
  const limits = facts.get('CSINode', '', node.metadata.name)?.spec.drivers ?? [];
  return limits.some(({ name: driver, allocatable }) => {
    const most = allocatable?.count;
    if (most === undefined || atMost <= most) return false;
    const mine = [...bound, ...choosing].filter((claim) => driverOf(facts, claim) === driver);
    if (!mine.length) return false;
    const taken = slotsTaken(places, node.metadata.name, driver);
    for (const claim of mine) taken.add(`${pod.metadata.namespace}/${claim.metadata.name}`);
    return taken.size > most;
  });
}

const noTerms: NonNullable<
  NonNullable<NonNullable<Pod['spec']['affinity']>['podAntiAffinity']>['requiredDuringSchedulingIgnoredDuringExecution']
> = [];
const antiTerms = (pod: Pod) => pod.spec.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? noTerms;

type Term = ReturnType<typeof antiTerms>[number];

const clashes = (owner: Pod, other: Pod, term: Term): boolean =>
  other.metadata.uid !== owner.metadata.uid &&
  (term.namespaces?.length
    ? term.namespaces.includes(other.metadata.namespace ?? '')
    : other.metadata.namespace === owner.metadata.namespace) &&
  selectorMatches(term.labelSelector, other.metadata.labels);

const sameNode = 'kubernetes.io/hostname';

/** Nodes, and other domains, in which a pod can't stand because of pods that are kept apart from it. */
interface Apart {
  readonly nodes: ReadonlySet<string>;
  readonly domains: readonly { readonly topologyKey: string; readonly value: string }[];
}

/** Where the pods stand that a pod keeps apart from, and those that keep apart from it on their own node. Found by labels, not node by node. */
function apartOf({ facts, nodeOf }: Places, pod: Pod): Apart {
  const nodes = new Set<string>();
  const domains: { topologyKey: string; value: string }[] = [];
  for (const term of antiTerms(pod)) {
    const spaces = term.namespaces?.length ? term.namespaces : [pod.metadata.namespace ?? ''];
    for (const space of spaces)
      for (const other of facts.podsLabelled(space, term.labelSelector?.matchLabels ?? {})) {
        const node = nodeOf(other);
        if (node === undefined || !clashes(pod, other, term)) continue;
        if (term.topologyKey === sameNode) nodes.add(node);
        else {
          const value = facts.get('Node', '', node)?.metadata.labels?.[term.topologyKey];
          if (value !== undefined) domains.push({ topologyKey: term.topologyKey, value });
        }
      }
  }
  for (const other of facts.podsApartFrom(pod)) {
    const node = nodeOf(other);
    if (node !== undefined && antiTerms(other).some((term) => clashes(other, pod, term))) nodes.add(node);
  }
  return { nodes, domains };
}

const keptApart = ({ nodes, domains }: Apart, { metadata }: Node): boolean =>
  nodes.has(metadata.name) || domains.some(({ topologyKey, value }) => metadata.labels?.[topologyKey] === value);

function volumeElsewhere(facts: Facts, node: Node, { bound }: PodClaims): boolean {
  return bound.some((claim) => {
    const terms = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '')?.spec.nodeAffinity?.required?.nodeSelectorTerms;
    return terms !== undefined && !termsMatch(terms, node.metadata.labels);
  });
}

interface SpreadRule {
  readonly topologyKey: string;
  readonly maxSkew: number;
  readonly whenUnsatisfiable?: string;
  readonly labelSelector?: Term['labelSelector'];
}

/**
 * Whether a pod on the node would make its siblings' spread more uneven than it allows: the node's domain would hold more than maxSkew more
 * of them than the emptiest. Source: the cluster API's "Pod Topology Spread Constraints" (DoNotSchedule).
 */
function uneven({ facts, podsOn }: Places, node: Node, pod: Pod): boolean {
  const rules = ((pod.spec as { topologySpreadConstraints?: readonly SpreadRule[] }).topologySpreadConstraints ?? []).filter(
    (one) => one.whenUnsatisfiable !== 'ScheduleAnyway'
  );
  return rules.some(({ topologyKey, maxSkew, labelSelector }) => {
    const mine = node.metadata.labels?.[topologyKey];
    if (mine === undefined) return true;
    const counts = new Map<string, number>();
    for (const one of facts.nodes()) {
      const domain = one.metadata.labels?.[topologyKey];
      if (domain === undefined || !nodeWanted(pod.spec, one)) continue;
      const siblings = podsOn(one.metadata.name).filter(
        (other) =>
          other.metadata.uid !== pod.metadata.uid &&
          other.metadata.namespace === pod.metadata.namespace &&
          !other.metadata.deletionTimestamp &&
          selectorMatches(labelSelector, other.metadata.labels)
      );
      counts.set(domain, (counts.get(domain) ?? 0) + siblings.length);
    }
    return (counts.get(mine) ?? 0) + 1 - Math.min(...counts.values()) > maxSkew;
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

/**
 * Tells of each node why a pod can't stand there, or undefined when it can. By requests, not by use; what keeps the pod apart from others is
 * looked up once for all nodes. Source: the cluster API's "Assigning Pods to Nodes", "Taints and Tolerations", "Node-specific Volume Limits".
 */
export function placeFaults(places: Places, pod: Pod, claims: PodClaims): (node: Node) => PlaceFault | undefined {
  const { facts } = places;
  const apart = apartOf(places, pod);
  const ask = askOf(pod.spec);
  return (node) => {
    if (!nodeReady(node)) return 'not-ready';
    if (node.spec?.unschedulable) return 'unschedulable';
    if (repellingTaint(node, pod.spec.tolerations)) return 'taint';
    if (!nodeWanted(pod.spec, node)) return 'selector';
    if (volumeElsewhere(facts, node, claims)) return 'volume-zone';
    if (taken(facts, pod, claims)) return 'one-pod';
    const room = roomOf(node);
    const given = places.useOf(node.metadata.name);
    if (given.milliCpu + ask.milliCpu > room.milliCpu) return 'cpu';
    if (given.memoryBytes + ask.memoryBytes > room.memoryBytes) return 'memory';
    if (given.pods + 1 > room.pods) return 'pods';
    if (keptApart(apart, node)) return 'anti-affinity';
    if (uneven(places, node, pod)) return 'spread';
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
  spread: 'that would hold more of its siblings than the spread allows',
  'volume-zone': 'out of reach of its volume',
  'one-pod': 'refused, because another pod has the claim, which one pod at a time may have'
};

/** The faults of all nodes in one sentence, the commonest first. */
export const faultSentence = (faults: ReadonlyMap<PlaceFault, number>): string =>
  [...faults]
    .sort((a, b) => b[1] - a[1])
    .map(([fault, count]) => `${count} ${faultWords[fault]}`)
    .join(', ');
