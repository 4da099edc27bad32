import {
  askOf,
  claimsOf,
  conditionOf,
  nodeMeant,
  podsMadeBy,
  selectedNodeMark,
  roomOf,
  takesRoom,
  zoneOf,
  type Claim,
  type Facts,
  type Node,
  type Pod
} from '../../../model';
import { hash32, same, stampOf } from '../../../shared';
import { makeRoom } from './preempting';
import { wishesOf } from './wishes';
import { idOf, splitKey, withCondition, type ClusterAccess, type Loop } from '../loop';
import {
  faultSentence,
  heldBack,
  placeFaults,
  placeFaultsNow,
  podClaimsOf,
  standsOn,
  type PlaceFault,
  type Places,
  type PodClaims
} from './place-fault';

/** A cluster of up to so many nodes is looked through whole. */
const smallCluster = 24;
/** In a larger one so many fitting nodes are compared, from a place drawn for the pod. */
const enoughNodes = 4;

interface Choice {
  readonly node: string;
  readonly pod: string;
}

/** Nodes chosen for pods whose volumes are being made; found by node, too. The map is the world's memory, the rest follows from it. */
class Choices {
  private readonly byNode = new Map<string, Map<string, string>>();

  constructor(private readonly kept: Map<string, Choice>) {
    for (const [uid, choice] of kept) this.put(uid, choice);
  }

  private put(uid: string, { node, pod }: Choice): void {
    let mine = this.byNode.get(node);
    if (!mine) this.byNode.set(node, (mine = new Map()));
    mine.set(uid, pod);
  }

  of(uid: string): string | undefined {
    return this.kept.get(uid)?.node;
  }

  set(uid: string, choice: Choice): void {
    this.drop(uid);
    this.kept.set(uid, choice);
    this.put(uid, choice);
  }

  drop(uid: string): void {
    const old = this.kept.get(uid);
    if (!old) return;
    this.kept.delete(uid);
    this.byNode.get(old.node)?.delete(uid);
  }

  /** Pods that will stand on a node, but for one. */
  on(node: string, facts: Facts, except: string | undefined): Pod[] {
    const mine = this.byNode.get(node);
    if (!mine?.size) return noPods;
    const found: Pod[] = [];
    for (const key of mine.values()) {
      const [namespace, name] = splitKey(key);
      const pod = facts.get('Pod', namespace, name);
      if (pod && !pod.spec.nodeName && pod.metadata.uid !== except) found.push(pod);
    }
    return found;
  }
}

const noPods: Pod[] = [];
const choicesKept = new WeakMap<Map<string, Choice>, Choices>();

function choicesOf(world: ClusterAccess): Choices {
  const kept = world.memory<Choice>('chosenNode');
  let choices = choicesKept.get(kept);
  if (!choices) choicesKept.set(kept, (choices = new Choices(kept)));
  return choices;
}

/** The cluster as if pods whose volumes are being made for a chosen node stood there already: nobody else is sent to the same place. */
function assuming(facts: Facts, choices: Choices, self: string | undefined): Places {
  const coming = (node: string) => choices.on(node, facts, self);
  return {
    facts,
    podsOn: (node) => [...facts.podsOn(node), ...coming(node)],
    useOf(node) {
      const there = facts.useOf(node);
      const more = coming(node);
      if (!more.length) return there;
      let { milliCpu, memoryBytes, claims } = there;
      for (const { spec, metadata } of more) {
        const ask = askOf(spec);
        milliCpu += ask.milliCpu;
        memoryBytes += ask.memoryBytes;
        claims += claimsOf(spec, metadata.name).length;
      }
      return { milliCpu, memoryBytes, pods: there.pods + more.length, claims };
    },
    nodeOf: (pod) => (pod.spec.nodeName ? standsOn(pod) : choices.of(pod.metadata.uid ?? ''))
  };
}

/** Where a sibling of a pod stands. */
export interface Sibling {
  readonly node: string;
  readonly zone: string;
}

/**
 * The node that a pod goes to, with what is wrong with those that it can't go to. Nothing is written.
 * @param seed where in a large cluster it is looked first
 */
export function chosenNode(
  places: Places,
  pod: Pod,
  claims: PodClaims,
  siblings: readonly Sibling[],
  seed: number
): { node?: Node; faults: Map<PlaceFault, number> } {
  const faultOf = placeFaults(places, pod, claims);
  const all = places.facts.nodes();
  const faults = new Map<PlaceFault, number>();
  // Whoever asks for one by its name is kept from all others.
  const meant = nodeMeant(pod);
  const nodes = meant === undefined ? all : all.filter((node) => node.metadata.name === meant);
  if (all.length > nodes.length) faults.set('selector', all.length - nodes.length);
  const enough = nodes.length > smallCluster ? enoughNodes : smallCluster;
  const start = nodes.length > smallCluster ? hash32(idOf(pod), seed) % nodes.length : 0;
  let best: Node | undefined;
  let bestScore = -Infinity;
  const wishes = wishesOf(places, pod);
  let fitting = 0;
  for (let i = 0; i < nodes.length && fitting < enough; i += 1) {
    const node = nodes[(start + i) % nodes.length]!;
    const fault = faultOf(node);
    if (fault) {
      faults.set(fault, (faults.get(fault) ?? 0) + 1);
      continue;
    }
    fitting += 1;
    const score = scoreOf(places, siblings, node) + (wishes?.(node) ?? 0);
    if (score > bestScore) [best, bestScore] = [node, score];
  }
  return { ...(best ? { node: best } : {}), faults };
}

function choose(world: ClusterAccess, pod: Pod, claims: PodClaims): { node?: Node; faults: Map<PlaceFault, number> } {
  const choices = choicesOf(world);
  return chosenNode(
    assuming(world.store, choices, pod.metadata.uid),
    pod,
    claims,
    siblingsOf(world.store, pod, (one) => one.spec.nodeName ?? choices.of(one.metadata.uid ?? '')),
    world.seed
  );
}

/**
 * Node and zone of each sibling of a pod that has been placed.
 * @param nodeOf the node of one that has
 */
export function siblingsOf(facts: Facts, pod: Pod, nodeOf = (one: Pod) => one.spec.nodeName): Sibling[] {
  const owner = pod.metadata.ownerReferences?.[0];
  if (!owner) return [];
  const between = owner.kind === 'ReplicaSet' ? facts.get('ReplicaSet', pod.metadata.namespace ?? '', owner.name) : undefined;
  const above = between?.metadata.ownerReferences?.[0];
  const maker = above && facts.get('Deployment', pod.metadata.namespace ?? '', above.name);
  return (maker ? podsMadeBy(facts, maker) : facts.ownedBy(owner.uid)).flatMap((one) => {
    const other = one.kind === 'Pod' && one.metadata.uid !== pod.metadata.uid;
    const node = other ? nodeOf(one) : undefined;
    return node ? [{ node, zone: zoneOf(facts.get('Node', '', node)) }] : [];
  });
}

/** Roomier nodes first; nodes and zones that already hold a sibling last. */
function scoreOf(places: Places, siblings: readonly Sibling[], node: Node): number {
  const room = roomOf(node);
  const given = places.useOf(node.metadata.name);
  const free = (1 - given.milliCpu / Math.max(1, room.milliCpu) + 1 - given.memoryBytes / Math.max(1, room.memoryBytes)) / 2;
  const zone = zoneOf(node);
  let score = 100 + free;
  for (const one of siblings) score -= (one.node === node.metadata.name ? 4 : 0) + (one.zone === zone ? 2 : 0);
  return score;
}

function wait(world: ClusterAccess, pod: Pod, message: string, reason = 'Unschedulable'): void {
  const old = conditionOf(pod.status?.conditions, 'PodScheduled');
  if (old?.status === 'False' && old.message === message) return;
  const conditions = withCondition(
    pod.status?.conditions,
    { type: 'PodScheduled', status: 'False', reason, message },
    stampOf(world.nowMs)
  );
  world.put({ ...pod, status: { ...pod.status, conditions } });
  world.event(pod, 'FailedScheduling', message, 'Warning');
}

function select(world: ClusterAccess, claim: Claim, node: string): void {
  if (claim.metadata.annotations?.[selectedNodeMark] === node) return;
  world.put({ ...claim, metadata: { ...claim.metadata, annotations: { ...claim.metadata.annotations, [selectedNodeMark]: node } } });
}

function seek(world: ClusterAccess, pod: Pod): void {
  const held = heldBack(pod);
  if (held) return wait(world, pod, `${held.says[0]!.toUpperCase()}${held.says.slice(1)}.`, held.reason);
  const claims = podClaimsOf(world.store, pod);
  const waiting = world.memory<boolean>('unplaced');
  const key = idOf(pod);
  if (claims.missing.length) {
    waiting.delete(key);
    // A claim that comes wakes its pods; a class that comes changes no claim.
    world.memory<boolean>('unclaimed').set(key, true);
    wait(
      world,
      pod,
      `0 of ${world.store.nodes().length} nodes can be chosen: the claim ${claims.missing.join(', ')} is missing or not bound.`
    );
    return;
  }
  world.memory('unclaimed').delete(key);
  const choices = choicesOf(world);
  const chosen = choices.of(pod.metadata.uid ?? '');
  const known = chosen ? world.store.get('Node', '', chosen) : undefined;
  const kept = known && !placeFaultsNow(world.store, pod, claims)(known) ? known : undefined;
  const { node, faults } = kept ? { node: kept, faults: new Map<PlaceFault, number>() } : choose(world, pod, claims);
  if (!node) {
    waiting.set(key, true);
    wait(world, pod, `0 of ${world.store.nodes().length} nodes can take the pod: ${faultSentence(faults)}.`);
    const now = world.store.get('Pod', pod.metadata.namespace ?? '', pod.metadata.name);
    if (now?.spec.priority) makeRoom(world, assuming(world.store, choices, pod.metadata.uid), now, claims);
    return;
  }
  waiting.delete(key);
  if (claims.choosing.length) {
    choices.set(pod.metadata.uid ?? '', { node: node.metadata.name, pod: key });
    for (const claim of claims.choosing) select(world, claim, node.metadata.name);
    return;
  }
  choices.drop(pod.metadata.uid ?? '');
  place(world, pod, node);
}

function place(world: ClusterAccess, pod: Pod, node: Node): void {
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
    Pod: (now, before) => {
      // One that has gone, or whose work is done, leaves room.
      if (!now?.spec.nodeName) return now ? (now.metadata.deletionTimestamp ? [] : [idOf(now)]) : before?.spec.nodeName ? [again] : [];
      return before?.spec.nodeName && takesRoom(before) && !takesRoom(now) ? [again] : [];
    },
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
    StorageClass: (now, before) => (now && !before ? [again, classCame] : [again]),
    CSIStorageCapacity: () => [again],
    CSIDriver: (now, before) => ((now?.spec.storageCapacity ?? false) === (before?.spec.storageCapacity ?? false) ? [] : [again])
  },
  reconcile(world, key) {
    if (key === again || key === classCame) {
      const waiting = [...world.memory<boolean>(key === again ? 'unplaced' : 'unclaimed').keys()];
      const weight = (id: string) => world.store.get('Pod', ...splitKey(id))?.spec.priority ?? 0;
      const weights = new Map(waiting.map((id) => [id, weight(id)]));
      // Who matters more is looked at first. Source: "Pod Priority and Preemption", effect on the order of scheduling.
      if ([...weights.values()].some((one) => one !== 0)) waiting.sort((a, b) => weights.get(b)! - weights.get(a)!);
      for (const id of waiting) world.after(1, id);
      return;
    }
    const [namespace, name] = splitKey(key);
    const pod = world.store.get('Pod', namespace, name);
    if (!pod || pod.spec.nodeName || pod.metadata.deletionTimestamp) {
      world.memory('unplaced').delete(key);
      world.memory('unclaimed').delete(key);
      if (pod) choicesOf(world).drop(pod.metadata.uid ?? '');
    } else seek(world, pod);
  }
};
