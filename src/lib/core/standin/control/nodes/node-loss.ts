import { stampOf, momentOf } from '../../../shared';
import { conditionOf, refOf, type Facts, type Node, type Pod } from '../../../model';
import { stopWriting } from '../../engines/little-store';
import { endLeftBehind } from '../../engines/left-behind';
import { closeProcess } from '../../engines/processes';
import { hasTaint, isDark, isUnheard, outOfServiceTaint, unreachableTaint } from '../../provider/outages';
import { withCondition, type ClusterAccess, type Loop } from '../loop';
import { sendAway } from './sending-away';

/** How long a node isn't heard of before it counts as not ready. Source: the cluster API's "Nodes", node-monitor-grace-period: 40 s (50 s from 1.32 on). */
export const graceMs = 40_000;
/** How long pods stay on a node that isn't heard of. Source: "Taints and Tolerations": tolerationSeconds 300 where nothing else is said. */
export const evictAfterMs = 300_000;

interface Watch {
  readonly sinceMs: number;
  readonly dark: boolean;
}
const watchesOf = (world: ClusterAccess) => world.memory<Watch>('unheard');

const taintEffects = ['NoSchedule', 'NoExecute'];

function setHeard(world: ClusterAccess, node: Node, heard: boolean): void {
  const conditions = withCondition(
    node.status?.conditions,
    heard
      ? { type: 'Ready', status: 'True', reason: 'KubeletReady' }
      : { type: 'Ready', status: 'Unknown', reason: 'NodeStatusUnknown', message: 'The node has not been heard of.' },
    stampOf(world.nowMs)
  );
  const others = (node.spec?.taints ?? []).filter((one) => one.key !== unreachableTaint);
  const taints = heard ? others : [...others, ...taintEffects.map((effect) => ({ key: unreachableTaint, effect }))];
  world.put({ ...node, spec: { ...node.spec, taints }, status: { ...node.status, conditions } });
  world.event(
    node,
    heard ? 'NodeReady' : 'NodeNotReady',
    heard ? 'The node is heard of again.' : 'The node has not been heard of for too long.',
    heard ? 'Normal' : 'Warning'
  );
}

/** How long a pod stays on a node that isn't heard of, in ms; undefined: for ever. */
export function patienceOf(pod: Pod): number | undefined {
  for (const { key, operator, effect, tolerationSeconds } of pod.spec.tolerations ?? []) {
    if (effect !== undefined && effect !== 'NoExecute') continue;
    if (key === unreachableTaint || (key === undefined && operator === 'Exists'))
      return tolerationSeconds === undefined ? undefined : tolerationSeconds * 1_000;
  }
  return evictAfterMs;
}

/** When the node stopped being heard of, by its own condition (virtual ms). */
export const unheardSinceMs = (node: Node | undefined): number | undefined => {
  const ready = conditionOf(node?.status?.conditions, 'Ready');
  return ready?.status === 'Unknown' && ready.lastTransitionTime ? momentOf(ready.lastTransitionTime) : undefined;
};

/** Pods of a node that nobody hears of are marked for deletion after their patience; they end only when the node is back. */
function evict(world: ClusterAccess, node: Node, key: string): void {
  const since = unheardSinceMs(node);
  if (since === undefined) return;
  for (const pod of world.store.podsOn(node.metadata.name)) {
    if (pod.metadata.deletionTimestamp) continue;
    const patience = patienceOf(pod);
    if (patience === undefined) continue;
    const left = since + patience - world.nowMs;
    if (left > 0) world.after(left, key);
    else {
      const says = `${node.metadata.name} has not been heard of for ${patience / 1_000} s.`;
      world.event(pod, 'TaintManagerEviction', says, 'Warning');
      sendAway(world, pod, 'DeletionByTaintManager', says);
    }
  }
}

/** Takes pods away without their node: it is off for sure, or is no part of the cluster any more. */
function giveUp(world: ClusterAccess, pods: readonly Pod[]): void {
  for (const pod of pods) {
    stopWriting(world, pod);
    closeProcess(world, pod);
    if (!pod.metadata.finalizers?.length) world.drop(refOf(pod));
  }
}

const nodesNamed = (spec: { dark?: string[] | undefined; cut?: string[][] | undefined } | undefined): string[] => [
  ...(spec?.dark ?? []),
  ...(spec?.cut ?? []).flat()
];

/** Nodes that nobody hears of, and what becomes of their pods. */
export const nodeLoss: Loop = {
  id: 'node-loss',
  watches: {
    Outage: (now, before) => [...nodesNamed(now?.spec), ...nodesNamed(before?.spec)],
    Node: (now, before) => (!now || !before || now.spec !== before.spec ? [(now ?? before)!.metadata.name] : []),
    Pod: (now, before, store) =>
      now?.spec.nodeName && now.metadata.deletionTimestamp && !before?.metadata.deletionTimestamp && lost(store, now.spec.nodeName)
        ? [now.spec.nodeName]
        : []
  },
  reconcile(world, key) {
    const node = world.store.get('Node', '', key);
    const watches = watchesOf(world);
    if (!node) {
      watches.delete(key);
      giveUp(world, world.store.podsOn(key));
      return;
    }
    const unheard = isUnheard(world.store, key);
    const watch = watches.get(key);
    const ready = conditionOf(node.status?.conditions, 'Ready')?.status;
    if (hasTaint(node, outOfServiceTaint))
      giveUp(
        world,
        world.store.podsOn(key).filter((pod) => pod.metadata.deletionTimestamp)
      );
    if (!unheard) {
      if (!watch) return;
      watches.delete(key);
      endLeftBehind(world, key);
      if (ready === 'Unknown') setHeard(world, node, true);
      return;
    }
    const dark = isDark(world.store, key);
    if (dark) endLeftBehind(world, key);
    if (!watch || (dark && !watch.dark)) watches.set(key, { sinceMs: watch?.sinceMs ?? world.nowMs, dark: dark || (watch?.dark ?? false) });
    const left = (watch?.sinceMs ?? world.nowMs) + graceMs - world.nowMs;
    if (ready === 'True' && left > 0) world.after(left, key);
    else if (ready === 'True') {
      setHeard(world, node, false);
      for (const pod of world.store.podsOn(key)) notReady(world, pod);
      evict(world, world.store.get('Node', '', key)!, key);
    } else evict(world, node, key);
  }
};

const lost = (facts: Facts, node: string): boolean => isUnheard(facts, node) || hasTaint(facts.get('Node', '', node), outOfServiceTaint);

/** Pods of a node that isn't heard of count as not ready. */
function notReady(world: ClusterAccess, pod: Pod): void {
  if (!pod.status?.conditions?.some((one) => one.type === 'Ready' && one.status === 'True')) return;
  const conditions = withCondition(
    pod.status.conditions,
    { type: 'Ready', status: 'False', reason: 'NodeNotReady', message: 'Its node is not heard of.' },
    stampOf(world.nowMs)
  );
  world.put({ ...pod, status: { ...pod.status, conditions } });
}
