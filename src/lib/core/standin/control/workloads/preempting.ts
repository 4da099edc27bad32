import { selectorMatches, takesRoom, askOf, claimsOf, type Facts, type Node, type Pod } from '../../../model';
import { idOf, type ClusterAccess } from '../loop';
import { sendAway } from '../nodes/sending-away';
import { placeFaults, type Places, type PodClaims } from './place-fault';

const priorityOf = (pod: Pod): number => pod.spec.priority ?? 0;

/** A cluster in which some pods of a node are gone. */
function without(places: Places, node: string, gone: ReadonlySet<string>): Places {
  const there = (pod: Pod) => !gone.has(pod.metadata.uid ?? '');
  return {
    facts: places.facts,
    podsOn: (name) => (name === node ? places.podsOn(name).filter(there) : places.podsOn(name)),
    useOf(name) {
      const use = places.useOf(name);
      if (name !== node) return use;
      let { milliCpu, memoryBytes, pods, claims } = use;
      for (const pod of places.podsOn(name)) {
        if (there(pod) || !takesRoom(pod)) continue;
        const ask = askOf(pod.spec);
        milliCpu -= ask.milliCpu;
        memoryBytes -= ask.memoryBytes;
        claims -= claimsOf(pod.spec, pod.metadata.name).length;
        pods -= 1;
      }
      return { milliCpu, memoryBytes, pods, claims };
    },
    nodeOf: (pod) => (there(pod) ? places.nodeOf(pod) : undefined)
  };
}

/** Whether a pod's removal goes against a disruption budget. */
const guarded = (facts: Facts, pod: Pod): boolean =>
  facts
    .list('PodDisruptionBudget', pod.metadata.namespace)
    .some((one) => selectorMatches(one.spec.selector, pod.metadata.labels) && (one.status?.disruptionsAllowed ?? 0) <= 0);

/** Who has to leave a node so that a pod fits there; undefined where nothing helps. */
function victimsOn(places: Places, pod: Pod, claims: PodClaims, node: Node): Pod[] | undefined {
  const { name } = node.metadata;
  const lower = places.podsOn(name).filter((one) => takesRoom(one) && one.spec.nodeName && priorityOf(one) < priorityOf(pod));
  if (!lower.length) return undefined;
  const gone = new Set(lower.map((one) => one.metadata.uid ?? ''));
  const fits = () => placeFaults(without(places, name, gone), pod, claims)(node) === undefined;
  if (!fits()) return undefined;
  // Whoever need not go stays: those that a budget guards first, then the weightiest.
  const order = [...lower].sort(
    (a, b) =>
      Number(guarded(places.facts, b)) - Number(guarded(places.facts, a)) || priorityOf(b) - priorityOf(a) || (idOf(a) < idOf(b) ? -1 : 1)
  );
  for (const one of order) {
    gone.delete(one.metadata.uid ?? '');
    if (!fits()) gone.add(one.metadata.uid ?? '');
  }
  return lower.filter((one) => gone.has(one.metadata.uid ?? ''));
}

/** So many nodes on which somebody could make room are compared; made up. */
const enoughNodes = 100;

/** A node on which those that matter less can make room, with who has to leave it. */
export interface MadeRoom {
  readonly node: Node;
  readonly victims: readonly Pod[];
}

/**
 * Where room can be made for a pod that fits nowhere: on the node where the fewest guarded, and the least weighty, have to go. Nothing is
 * written. Source: the cluster API's "Pod Priority and Preemption".
 */
export function roomFor(places: Places, pod: Pod, claims: PodClaims): MadeRoom | undefined {
  if (pod.spec.preemptionPolicy === 'Never' || priorityOf(pod) <= 0) return undefined;
  const weigh = (victims: readonly Pod[]) => [
    victims.filter((one) => guarded(places.facts, one)).length,
    Math.max(...victims.map(priorityOf)),
    victims.reduce((sum, one) => sum + priorityOf(one), 0),
    victims.length
  ];
  let best: (MadeRoom & { readonly weight: number[] }) | undefined;
  let found = 0;
  for (const node of places.facts.nodes()) {
    if (found >= enoughNodes) break;
    const victims = victimsOn(places, pod, claims, node);
    if (!victims?.length) continue;
    found += 1;
    const weight = weigh(victims);
    const at = weight.findIndex((one, i) => one !== best?.weight[i]);
    if (!best || (at >= 0 && weight[at]! < best.weight[at]!)) best = { node, victims, weight };
  }
  return best;
}

/** Sends those away that make room for a pod that fits nowhere, where some can. */
export function makeRoom(world: ClusterAccess, places: Places, pod: Pod, claims: PodClaims): void {
  const nominated = (pod.status as { nominatedNodeName?: string } | undefined)?.nominatedNodeName;
  const leaving = (node: string) =>
    world.store.podsOn(node).some((one) => one.metadata.deletionTimestamp && priorityOf(one) < priorityOf(pod));
  if (nominated !== undefined && leaving(nominated)) return;
  const best = roomFor(places, pod, claims);
  if (!best) return;
  for (const one of best.victims) {
    const says = `Makes room on ${best.node.metadata.name} for ${idOf(pod)}, which matters more.`;
    world.event(one, 'Preempted', says, 'Warning');
    sendAway(world, one, 'PreemptionByScheduler', says);
  }
  const now = world.store.get('Pod', pod.metadata.namespace ?? '', pod.metadata.name);
  if (now) world.put({ ...now, status: { ...now.status, nominatedNodeName: best.node.metadata.name } });
}
