import { tolerates, type Node, type Pod, type Toleration } from '../../../model';
import { unreachableTaint } from '../../provider/outages';
import type { ClusterAccess, Loop } from '../loop';
import { sendAway } from './sending-away';

type Taint = NonNullable<NonNullable<Node['spec']>['taints']>[number];

/** Taints that the node's own state brings, and that go with it: another loop acts on them. */
const ofState = new Set([unreachableTaint, 'node.kubernetes.io/not-ready', 'node.kubernetes.io/out-of-service']);

const acting = (node: Node | undefined): Taint[] =>
  (node?.spec?.taints ?? []).filter((one) => one.effect === 'NoExecute' && !ofState.has(one.key));

const nameOf = ({ key, value }: Taint): string => (value ? `${key}=${value}` : key);

/** How long a pod bears with taints, in ms from when they came; Infinity: for ever. */
function patience(tolerations: readonly Toleration[], taints: readonly Taint[]): number {
  let least = Infinity;
  for (const taint of taints) {
    const mine = tolerations.filter((one) => tolerates(one, taint));
    if (!mine.length) return 0;
    for (const { tolerationSeconds } of mine)
      if (tolerationSeconds !== undefined) least = Math.min(least, Math.max(0, tolerationSeconds) * 1_000);
  }
  return least;
}

/** How long a pod bears with what a node is tainted with by hand, in ms from when that came; Infinity: for ever. */
export const nodeBears = (pod: Pod, node: Node): number => {
  const taints = acting(node);
  return taints.length ? patience(pod.spec.tolerations ?? [], taints) : Infinity;
};

/** Sends pods away from nodes with a taint that they don't bear with, or no longer. Source: "Taints and Tolerations", effect NoExecute. */
export const tainting: Loop = {
  id: 'tainting',
  watches: {
    Node: (now, before) =>
      now?.spec?.taints === before?.spec?.taints || !(acting(now).length + acting(before).length) ? [] : [(now ?? before)!.metadata.name],
    Pod: (now, before, store) =>
      now?.spec.nodeName && !before?.spec.nodeName && acting(store.get('Node', '', now.spec.nodeName)).length ? [now.spec.nodeName] : []
  },
  reconcile(world, key) {
    const since = world.memory<number>('tainted');
    const taints = acting(world.store.get('Node', '', key));
    for (const id of [...since.keys()])
      if (id.startsWith(`${key} `) && !taints.some((one) => id === `${key} ${nameOf(one)}`)) since.delete(id);
    for (const one of taints) if (!since.has(`${key} ${nameOf(one)}`)) since.set(`${key} ${nameOf(one)}`, world.nowMs);
    if (!taints.length) return;
    const from = Math.max(...taints.map((one) => since.get(`${key} ${nameOf(one)}`)!));
    for (const pod of world.store.podsOn(key)) if (!pod.metadata.deletionTimestamp) send(world, pod, taints, from, key);
  }
};

function send(world: ClusterAccess, pod: Pod, taints: readonly Taint[], sinceMs: number, key: string): void {
  const left = sinceMs + patience(pod.spec.tolerations ?? [], taints) - world.nowMs;
  if (left === Infinity) return;
  if (left > 0) return world.after(left, key);
  const says = `${key} has the taint ${taints.map(nameOf).join(', ')}, which the pod does not bear with.`;
  world.event(pod, 'TaintManagerEviction', says, 'Warning');
  sendAway(world, pod, 'DeletionByTaintManager', says);
}
