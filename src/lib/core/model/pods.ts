import { bytesOf, milliCpuOf, momentOf } from '../shared';
import type { Condition } from './meta';
import type { Container, Node, Pod, PodSpec } from './pod-kinds';

/** What a pod asks of a node: thousandths of a CPU, and bytes of memory. */
export interface Ask {
  readonly milliCpu: number;
  readonly memoryBytes: number;
}

const asks = new WeakMap<object, Ask>();

/** What one container asks for (its limits where no request is given). */
function askOfOne({ resources }: Container): Ask {
  const cpu = resources?.requests?.cpu ?? resources?.limits?.cpu;
  const memory = resources?.requests?.memory ?? resources?.limits?.memory;
  return { milliCpu: cpu === undefined ? 0 : milliCpuOf(cpu), memoryBytes: memory === undefined ? 0 : bytesOf(memory) };
}

/** Whether an init container runs on beside the others. Source: the cluster API's "Sidecar Containers". */
export const isSidecar = (one: Container): boolean => one.restartPolicy === 'Always';

/**
 * What a pod is placed by: the sum of its containers' requests with its sidecars', or what one of its init containers asks for beside the
 * sidecars before it, whichever is more. Source: the cluster API's "Init Containers" and "Sidecar Containers", resource sharing.
 */
export function askOf(spec: PodSpec): Ask {
  const known = asks.get(spec.containers);
  if (known) return known;
  let [milliCpu, memoryBytes, mostCpu, mostMemory] = [0, 0, 0, 0];
  for (const one of spec.initContainers ?? []) {
    const ask = askOfOne(one);
    mostCpu = Math.max(mostCpu, milliCpu + ask.milliCpu);
    mostMemory = Math.max(mostMemory, memoryBytes + ask.memoryBytes);
    if (!isSidecar(one)) continue;
    milliCpu += ask.milliCpu;
    memoryBytes += ask.memoryBytes;
  }
  for (const one of spec.containers) {
    const ask = askOfOne(one);
    milliCpu += ask.milliCpu;
    memoryBytes += ask.memoryBytes;
  }
  const ask = { milliCpu: Math.max(milliCpu, mostCpu), memoryBytes: Math.max(memoryBytes, mostMemory) };
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

/** Why a pod's containers wait: the init container whose turn it is, else the first that waits. */
export function waitingIn(
  pod: Pod | undefined
): { readonly reason?: string | undefined; readonly message?: string | undefined } | undefined {
  const { initContainerStatuses = [], containerStatuses = [] } = pod?.status ?? {};
  const own = initContainerStatuses.find((one) => one.state?.waiting && one.state.waiting.reason !== 'PodInitializing');
  return (own ?? containerStatuses.find((one) => one.state?.waiting))?.state?.waiting;
}

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

type PodVolume = NonNullable<PodSpec['volumes']>[number];

/** Name of the claim behind one of a pod's volumes: named, or made for the pod alone. Source: the cluster API's "Ephemeral Volumes", PVC naming. */
export const claimBehind = (volume: PodVolume, podName: string): string | undefined =>
  volume.persistentVolumeClaim?.claimName ?? (volume.ephemeral?.volumeClaimTemplate ? `${podName}-${volume.name}` : undefined);

/** The volumes of a pod whose claims are made for it alone, with the name of each claim. */
export const ownClaims = ({ metadata, spec }: Pick<Pod, 'metadata' | 'spec'>): { readonly name: string; readonly volume: PodVolume }[] =>
  (spec.volumes ?? []).flatMap((volume) =>
    volume.ephemeral?.volumeClaimTemplate ? [{ name: claimBehind(volume, metadata.name)!, volume }] : []
  );

const claimNames = new WeakMap<object, { readonly named: readonly string[]; readonly own: boolean }>();
const noNames: readonly string[] = [];

/**
 * Names of the claims that a pod mounts.
 * @param podName with it, those that are made for the pod alone are among them; a template's pods have no name yet
 */
export function claimsOf(spec: PodSpec, podName?: string): readonly string[] {
  const { volumes } = spec;
  if (!volumes) return noNames;
  let known = claimNames.get(volumes);
  if (!known) {
    known = {
      named: volumes.flatMap((one) => (one.persistentVolumeClaim ? [one.persistentVolumeClaim.claimName] : [])),
      own: volumes.some((one) => one.ephemeral?.volumeClaimTemplate)
    };
    claimNames.set(volumes, known);
  }
  return known.own && podName !== undefined ? volumes.flatMap((one) => claimBehind(one, podName) ?? []) : known.named;
}
