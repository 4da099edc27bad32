import {
  askOf,
  classOf,
  claimsOf,
  conditionOf,
  nodeReady,
  nodeWanted,
  repellingTaint,
  roomOf,
  selectedNodeMark,
  selectorMatches,
  takesRoom,
  termsMatch,
  waitsForConsumer,
  zoneOf,
  type Claim,
  type Facts,
  type Node,
  type Pod
} from '../../model';
import { hash32, same, stampOf } from '../../shared';
import { idOf, splitKey, withCondition, type Hands, type Loop } from './loop';

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

/** What a pod brings along when a place is sought: its claims that are bound, and those that wait for the choice. */
export interface Luggage {
  readonly bound: readonly Claim[];
  readonly choosing: readonly Claim[];
  /** Claims that are missing or not bound though they don't wait for a place: no place can be sought yet. */
  readonly missing: readonly string[];
}

/** Sorts a pod's claims by what placing has to know of them. */
export function luggageOf(facts: Facts, pod: Pod): Luggage {
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

function slotsTaken(facts: Facts, node: string, driver: string): Set<string> {
  const taken = new Set<string>();
  for (const pod of facts.podsOn(node)) {
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

function slotsShort(facts: Facts, node: Node, pod: Pod, { bound, choosing }: Luggage): boolean {
  if (!bound.length && !choosing.length) return false;
  const atMost = facts.useOf(node.metadata.name).claims + bound.length + choosing.length;
  const limits = facts.get('CSINode', '', node.metadata.name)?.spec.drivers ?? [];
  return limits.some(({ name: driver, allocatable }) => {
    const most = allocatable?.count;
    if (most === undefined || atMost <= most) return false;
    const mine = [...bound, ...choosing].filter((claim) => driverOf(facts, claim) === driver);
    if (!mine.length) return false;
    const taken = slotsTaken(facts, node.metadata.name, driver);
    for (const claim of mine) taken.add(`${pod.metadata.namespace}/${claim.metadata.name}`);
    return taken.size > most;
  });
}

/** Pods in a node's failure domain under a topology key. */
function domainPods(facts: Facts, node: Node, topologyKey: string): Pod[] {
  const value = node.metadata.labels?.[topologyKey];
  if (value === undefined) return [];
  return facts.list('Node').flatMap((one) => (one.metadata.labels?.[topologyKey] === value ? facts.podsOn(one.metadata.name) : []));
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

/** Whether the pod keeps apart from one in the node's domain, or one on the node keeps apart from it. */
function keptApart(facts: Facts, node: Node, pod: Pod): boolean {
  const mine = antiTerms(pod);
  for (const other of facts.podsOn(node.metadata.name)) {
    for (const term of mine) if (term.topologyKey === sameNode && clashes(pod, other, term)) return true;
    for (const term of antiTerms(other)) if (clashes(other, pod, term)) return true;
  }
  for (const term of mine) {
    if (term.topologyKey === sameNode) continue;
    for (const other of domainPods(facts, node, term.topologyKey)) if (clashes(pod, other, term)) return true;
  }
  return false;
}

function volumeElsewhere(facts: Facts, node: Node, { bound }: Luggage): boolean {
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
function uneven(facts: Facts, node: Node, pod: Pod): boolean {
  const rules = ((pod.spec as { topologySpreadConstraints?: readonly SpreadRule[] }).topologySpreadConstraints ?? []).filter(
    (one) => one.whenUnsatisfiable !== 'ScheduleAnyway'
  );
  return rules.some(({ topologyKey, maxSkew, labelSelector }) => {
    const mine = node.metadata.labels?.[topologyKey];
    if (mine === undefined) return true;
    const counts = new Map<string, number>();
    for (const one of facts.list('Node')) {
      const domain = one.metadata.labels?.[topologyKey];
      if (domain === undefined || !nodeWanted(pod.spec, one)) continue;
      const siblings = facts
        .podsOn(one.metadata.name)
        .filter(
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
const taken = (facts: Facts, pod: Pod, { bound, choosing }: Luggage): boolean =>
  [...bound, ...choosing].some(
    ({ metadata, spec }) =>
      spec.accessModes.includes('ReadWriteOncePod') &&
      facts
        .podsOfClaim(metadata.namespace ?? '', metadata.name)
        .some((other) => other.metadata.uid !== pod.metadata.uid && other.spec.nodeName && takesRoom(other))
  );

/**
 * Why a pod can't stand on a node, or undefined when it can. By requests, not by use. Source: the cluster API's "Assigning Pods to
 * Nodes", "Taints and Tolerations", "Node-specific Volume Limits".
 */
export function placeFault(facts: Facts, pod: Pod, node: Node, luggage: Luggage): PlaceFault | undefined {
  if (!nodeReady(node)) return 'not-ready';
  if (node.spec?.unschedulable) return 'unschedulable';
  if (repellingTaint(node, pod.spec.tolerations)) return 'taint';
  if (!nodeWanted(pod.spec, node)) return 'selector';
  if (volumeElsewhere(facts, node, luggage)) return 'volume-zone';
  if (taken(facts, pod, luggage)) return 'one-pod';
  const ask = askOf(pod.spec);
  const room = roomOf(node);
  const given = facts.useOf(node.metadata.name);
  if (given.milliCpu + ask.milliCpu > room.milliCpu) return 'cpu';
  if (given.memoryBytes + ask.memoryBytes > room.memoryBytes) return 'memory';
  if (given.pods + 1 > room.pods) return 'pods';
  if (keptApart(facts, node, pod)) return 'anti-affinity';
  if (uneven(facts, node, pod)) return 'spread';
  return slotsShort(facts, node, pod, luggage) ? 'slots' : undefined;
}

/** A cluster of up to so many nodes is looked through whole. */
const smallCluster = 24;
/** In a larger one so many fitting nodes are compared, from a place drawn for the pod. */
const enoughNodes = 4;

interface Choice {
  readonly node: string;
  readonly pod: string;
}

/** The cluster as if pods whose volumes are being made for a chosen node stood there already: nobody else is sent to the same place. */
function assuming(world: Hands, self: Pod): Facts {
  const choices = [...world.memory<Choice>('chosenNode').values()];
  const waiting = choices.flatMap(({ node, pod: key }) => {
    const [namespace, name] = splitKey(key);
    const pod = world.store.get('Pod', namespace, name);
    return pod && !pod.spec.nodeName && pod.metadata.uid !== self.metadata.uid ? [{ node, pod }] : [];
  });
  if (!waiting.length) return world.store;
  const on = (node: string) => waiting.filter((one) => one.node === node).map((one) => one.pod);
  const facts = Object.create(world.store) as { -readonly [K in keyof Facts]: Facts[K] };
  facts.podsOn = (node) => [...world.store.podsOn(node), ...on(node)];
  facts.useOf = (node) =>
    on(node).reduce((sum, { spec }) => {
      const ask = askOf(spec);
      return {
        milliCpu: sum.milliCpu + ask.milliCpu,
        memoryBytes: sum.memoryBytes + ask.memoryBytes,
        pods: sum.pods + 1,
        claims: sum.claims + claimsOf(spec).length
      };
    }, world.store.useOf(node));
  return facts;
}

function choose(world: Hands, pod: Pod, luggage: Luggage): { node?: Node; faults: Map<PlaceFault, number> } {
  const facts = assuming(world, pod);
  const nodes = world.store.list('Node');
  const faults = new Map<PlaceFault, number>();
  const enough = nodes.length > smallCluster ? enoughNodes : smallCluster;
  const siblings = siblingsOf(facts, pod, world.memory<Choice>('chosenNode'));
  const start = nodes.length > smallCluster ? hash32(idOf(pod), world.seed) % nodes.length : 0;
  let best: Node | undefined;
  let bestScore = -1;
  let fitting = 0;
  for (let i = 0; i < nodes.length && fitting < enough; i += 1) {
    const node = nodes[(start + i) % nodes.length]!;
    const fault = placeFault(facts, pod, node, luggage);
    if (fault) {
      faults.set(fault, (faults.get(fault) ?? 0) + 1);
      continue;
    }
    fitting += 1;
    const score = scoreOf(facts, siblings, node);
    if (score > bestScore) [best, bestScore] = [node, score];
  }
  return { ...(best ? { node: best } : {}), faults };
}

/** Node and zone of each sibling that has been placed. */
function siblingsOf(facts: Facts, pod: Pod, choices: ReadonlyMap<string, Choice>): { node: string; zone: string }[] {
  const owner = pod.metadata.ownerReferences?.[0];
  if (!owner) return [];
  return facts.ownedBy(owner.uid).flatMap((one) => {
    const other = one.kind === 'Pod' && one.metadata.uid !== pod.metadata.uid;
    const node = other ? (one.spec.nodeName ?? choices.get(one.metadata.uid ?? '')?.node) : undefined;
    return node ? [{ node, zone: zoneOf(facts.get('Node', '', node)) }] : [];
  });
}

/** Roomier nodes first; nodes and zones that already hold a sibling last. */
function scoreOf(facts: Facts, siblings: readonly { node: string; zone: string }[], node: Node): number {
  const room = roomOf(node);
  const given = facts.useOf(node.metadata.name);
  const free = (1 - given.milliCpu / Math.max(1, room.milliCpu) + 1 - given.memoryBytes / Math.max(1, room.memoryBytes)) / 2;
  const zone = zoneOf(node);
  let score = 100 + free;
  for (const one of siblings) score -= (one.node === node.metadata.name ? 4 : 0) + (one.zone === zone ? 2 : 0);
  return score;
}

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

function wait(world: Hands, pod: Pod, message: string): void {
  const old = conditionOf(pod.status?.conditions, 'PodScheduled');
  if (old?.status === 'False' && old.message === message) return;
  const conditions = withCondition(
    pod.status?.conditions,
    { type: 'PodScheduled', status: 'False', reason: 'Unschedulable', message },
    stampOf(world.nowMs)
  );
  world.put({ ...pod, status: { ...pod.status, conditions } });
  world.event(pod, 'FailedScheduling', message, 'Warning');
}

function select(world: Hands, claim: Claim, node: string): void {
  if (claim.metadata.annotations?.[selectedNodeMark] === node) return;
  world.put({ ...claim, metadata: { ...claim.metadata, annotations: { ...claim.metadata.annotations, [selectedNodeMark]: node } } });
}

function seek(world: Hands, pod: Pod): void {
  const luggage = luggageOf(world.store, pod);
  const waiting = world.memory<boolean>('unplaced');
  const key = idOf(pod);
  if (luggage.missing.length) {
    waiting.delete(key);
    // A claim that comes wakes its pods; a class that comes changes no claim.
    world.memory<boolean>('unclaimed').set(key, true);
    wait(
      world,
      pod,
      `0 of ${world.store.list('Node').length} nodes can be chosen: the claim ${luggage.missing.join(', ')} is missing or not bound.`
    );
    return;
  }
  world.memory('unclaimed').delete(key);
  const choices = world.memory<Choice>('chosenNode');
  const chosen = choices.get(pod.metadata.uid ?? '')?.node;
  const known = chosen ? world.store.get('Node', '', chosen) : undefined;
  const kept = known && !placeFault(world.store, pod, known, luggage) ? known : undefined;
  const { node, faults } = kept ? { node: kept, faults: new Map<PlaceFault, number>() } : choose(world, pod, luggage);
  if (!node) {
    waiting.set(key, true);
    wait(world, pod, `0 of ${world.store.list('Node').length} nodes can take the pod: ${faultSentence(faults)}.`);
    return;
  }
  waiting.delete(key);
  if (luggage.choosing.length) {
    choices.set(pod.metadata.uid ?? '', { node: node.metadata.name, pod: key });
    for (const claim of luggage.choosing) select(world, claim, node.metadata.name);
    return;
  }
  choices.delete(pod.metadata.uid ?? '');
  place(world, pod, node);
}

function place(world: Hands, pod: Pod, node: Node): void {
  const stamp = stampOf(world.nowMs);
  const conditions = withCondition(pod.status?.conditions, { type: 'PodScheduled', status: 'True' }, stamp);
  world.put({ ...pod, spec: { ...pod.spec, nodeName: node.metadata.name }, status: { ...pod.status, conditions } });
  world.end(`Pod ${idOf(pod)}`, 'placing');
  world.event(pod, 'Scheduled', `Placed on ${node.metadata.name}${zoneOf(node) ? ` in zone ${zoneOf(node)}` : ''}.`);
}

const again = '(all)';
const classCame = '(class)';

/** Places pods on nodes, and tells drivers where the first user of a waiting claim will stand. */
export const placing: Loop = {
  id: 'placing',
  watches: {
    Pod: (now, before) =>
      now ? (now.spec.nodeName || now.metadata.deletionTimestamp ? [] : [idOf(now)]) : before?.spec.nodeName ? [again] : [],
    PersistentVolumeClaim: (now, before, store) =>
      now && before && now.status === before.status && now.spec === before.spec
        ? []
        : store.podsOfClaim((now ?? before)!.metadata.namespace ?? '', (now ?? before)!.metadata.name).map(idOf),
    Node: (now, before) =>
      now &&
      before &&
      same(now.spec, before.spec) &&
      same(now.metadata.labels, before.metadata.labels) &&
      now.status?.conditions === before.status?.conditions &&
      same(now.status?.allocatable, before.status?.allocatable)
        ? []
        : [again],
    CSINode: () => [again],
    StorageClass: (now, before) => (now && !before ? [again, classCame] : [again])
  },
  reconcile(world, key) {
    if (key === again || key === classCame) {
      for (const id of world.memory<boolean>(key === again ? 'unplaced' : 'unclaimed').keys()) world.after(1, id);
      return;
    }
    const [namespace, name] = splitKey(key);
    const pod = world.store.get('Pod', namespace, name);
    if (!pod || pod.spec.nodeName || pod.metadata.deletionTimestamp) {
      world.memory('unplaced').delete(key);
      world.memory('unclaimed').delete(key);
      if (pod) world.memory('chosenNode').delete(pod.metadata.uid ?? '');
    } else seek(world, pod);
  }
};
