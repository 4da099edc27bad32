import { bytesOf, milliCpuOf, momentOf } from '../shared';
import type { Condition } from './meta';
import type { Node, Pod, PodSpec } from './pod-kinds';

/** What a pod asks of a node: thousandths of a CPU, and bytes of memory. */
export interface Ask {
  readonly milliCpu: number;
  readonly memoryBytes: number;
}

const asks = new WeakMap<object, Ask>();

/** What a pod is placed by: the sum of its containers' requests (limits where no request is given). */
export function askOf(spec: PodSpec): Ask {
  const known = asks.get(spec.containers);
  if (known) return known;
  let milliCpu = 0;
  let memoryBytes = 0;
  for (const { resources } of spec.containers) {
    const cpu = resources?.requests?.cpu ?? resources?.limits?.cpu;
    const memory = resources?.requests?.memory ?? resources?.limits?.memory;
    if (cpu !== undefined) milliCpu += milliCpuOf(cpu);
    if (memory !== undefined) memoryBytes += bytesOf(memory);
  }
  const ask = { milliCpu, memoryBytes };
  asks.set(spec.containers, ask);
  return ask;
}

const rooms = new WeakMap<object, Ask & { pods: number }>();

/** What a node can give: its allocatable CPU, memory and number of pods (110 where it doesn't say). */
export function roomOf(node: Node): Ask & { pods: number } {
  const given = node.status?.allocatable ?? node.status?.capacity ?? {};
  const known = rooms.get(given);
  if (known) return known;
  const room = {
    milliCpu: milliCpuOf(given.cpu ?? '0'),
    memoryBytes: bytesOf(given.memory ?? '0'),
    pods: given.pods === undefined ? 110 : bytesOf(given.pods)
  };
  rooms.set(given, room);
  return room;
}

/** The label that tells a node's zone (well-known labels, published). */
export const zoneLabel = 'topology.kubernetes.io/zone';

/** The zone a node stands in; '' when it carries no zone label. */
export const zoneOf = (node: Node | undefined): string => node?.metadata.labels?.[zoneLabel] ?? '';

/** The label (invented) of nodes that are no machines of their own and take no daemon set. */
export const virtualLabel = 'standin.example/virtual';

/** Whether a node takes no daemon set; a mark of the stand-in. */
export const isVirtualNode = (node: Node): boolean => node.metadata.labels?.[virtualLabel] === 'true';

/** Finds a condition by its type. */
export const conditionOf = (conditions: readonly Condition[] | undefined, type: string): Condition | undefined =>
  conditions?.find((one) => one.type === type);

/** Whether a pod's Ready condition is True. */
export const isReady = (pod: Pod | undefined): boolean => conditionOf(pod?.status?.conditions, 'Ready')?.status === 'True';

/** When a pod became ready (virtual ms), or undefined while it isn't. */
export function readySinceMs(pod: Pod | undefined): number | undefined {
  const ready = conditionOf(pod?.status?.conditions, 'Ready');
  return ready?.status === 'True' && ready.lastTransitionTime ? momentOf(ready.lastTransitionTime) : undefined;
}

/** Whether a node's Ready condition is True (a node without conditions counts as ready). */
export const nodeReady = (node: Node): boolean => {
  const ready = conditionOf(node.status?.conditions, 'Ready');
  return ready === undefined || ready.status === 'True';
};

/** Whether a pod still takes room on its node: everything but one that has run to its end. */
export const takesRoom = (pod: Pod): boolean => pod.status?.phase !== 'Succeeded' && pod.status?.phase !== 'Failed';

const claimNames = new WeakMap<object, readonly string[]>();
const noNames: readonly string[] = [];

/** Names of the claims that a pod mounts. */
export function claimsOf(spec: PodSpec): readonly string[] {
  if (!spec.volumes) return noNames;
  let names = claimNames.get(spec.volumes);
  if (!names) {
    names = spec.volumes.flatMap((one) => (one.persistentVolumeClaim ? [one.persistentVolumeClaim.claimName] : []));
    claimNames.set(spec.volumes, names);
  }
  return names;
}
