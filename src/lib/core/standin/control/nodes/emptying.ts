import { same } from '../../../shared';
import { isReady, selectorMatches, type DisruptionBudget, type Emptying, type Facts, type Node, type Pod } from '../../../model';
import type { ClusterAccess, Loop } from '../loop';
import { sendAway } from './sending-away';

/** Set on a node that is closed because it is being emptied. */
const emptiedMark = 'standin.example/emptied';
/** How often somebody who empties a node asks again (common practice, no source). */
const againMs = 5_000;

/** Budgets that mean a pod. */
export const budgetsOf = (world: { readonly store: Pick<Facts, 'list'> }, { metadata }: Pod): DisruptionBudget[] =>
  world.store.list('PodDisruptionBudget', metadata.namespace).filter((one) => selectorMatches(one.spec.selector, metadata.labels));

/**
 * Why a pod may not be sent away just now; undefined when it may. Source: the cluster API's "Disruptions" and "Specifying a Disruption
 * Budget": a pod that isn't ready is let go only while the others are as many as they have to be, or always where the budget says so; one
 * that two budgets mean is let go by neither ("API-initiated Eviction").
 */
export function held(world: { readonly store: Pick<Facts, 'list'> }, pod: Pod): string | undefined {
  const budgets = budgetsOf(world, pod);
  if (budgets.length > 1)
    return `${budgets.length} budgets mean it (${budgets.map((one) => one.metadata.name).join(', ')}), and it can't be counted for both`;
  for (const { metadata, spec, status } of budgets) {
    if (!isReady(pod) && (spec as { unhealthyPodEvictionPolicy?: string }).unhealthyPodEvictionPolicy === 'AlwaysAllow') continue;
    if (!status) return `the budget ${metadata.name} has not been counted yet`;
    const { disruptionsAllowed = 0, currentHealthy = 0, desiredHealthy = 0 } = status;
    if (isReady(pod) ? disruptionsAllowed < 1 : currentHealthy < desiredHealthy)
      return `the budget ${metadata.name} lets nobody go: ${currentHealthy} ready, ${desiredHealthy} have to be`;
  }
  return undefined;
}

/** Why a pod stays though its node is emptied; undefined when it only has to wait for its turn. */
export function stays({ metadata, spec }: Pod, losesDirectories: boolean): string | undefined {
  if (!metadata.ownerReferences?.some((one) => one.controller)) return 'nobody would make it anew; take it away by hand';
  const dir = losesDirectories ? undefined : (spec.volumes ?? []).find((one) => one.emptyDir);
  return dir ? `what is in its directory ${dir.name} would be lost` : undefined;
}

/** Those of daemon sets are left where they are. */
export const ofDaemonSet = ({ metadata }: Pod): boolean => metadata.ownerReferences?.some((one) => one.kind === 'DaemonSet') ?? false;

/** A node is closed to new pods, or opened again where it was closed by this. */
function setClosed(world: ClusterAccess, node: Node, closed: boolean): void {
  const { [emptiedMark]: mark, ...annotations } = node.metadata.annotations ?? {};
  if (closed === (mark !== undefined) || (closed && node.spec?.unschedulable)) return;
  world.put({
    ...node,
    metadata: { ...node.metadata, annotations: closed ? { ...annotations, [emptiedMark]: 'yes' } : annotations },
    spec: { ...node.spec, unschedulable: closed }
  });
  world.event(
    node,
    closed ? 'NodeNotSchedulable' : 'NodeSchedulable',
    closed ? 'It takes no new pods: it is being emptied.' : 'It takes pods again.'
  );
}

function evict(world: ClusterAccess, pod: Pod): void {
  for (const one of budgetsOf(world, pod)) {
    const latest = world.store.get('PodDisruptionBudget', one.metadata.namespace ?? '', one.metadata.name)!;
    const { status } = latest;
    if (status && isReady(pod))
      world.put({
        ...latest,
        status: { ...status, disruptionsAllowed: (status.disruptionsAllowed ?? 0) - 1, currentHealthy: (status.currentHealthy ?? 0) - 1 }
      });
  }
  const says = `Sent away: its node ${pod.spec.nodeName} is being emptied.`;
  world.event(pod, 'Evicted', says);
  sendAway(world, pod, 'EvictionByEvictionAPI', says);
}

/** Empties nodes: closes them, and sends their pods away one after another, as disruption budgets allow. */
export const emptying: Loop = {
  id: 'emptying',
  paceMs: 300,
  watches: {
    Emptying: (now, before) => (now?.spec === before?.spec ? [] : ['(all)']),
    Pod: (now, before, store) => (store.list('Emptying').length && (!now || !before || isReady(now) !== isReady(before)) ? ['(all)'] : []),
    PodDisruptionBudget: (_now, _before, store) => (store.list('Emptying').length ? ['(all)'] : [])
  },
  reconcile(world, key) {
    const wishes = world.store.list('Emptying');
    const nodes = new Set(wishes.flatMap((one) => one.spec.nodes));
    for (const node of world.store.list('Node')) setClosed(world, node, nodes.has(node.metadata.name));
    for (const wish of wishes) {
      const waits: NonNullable<Emptying['status']>['waits'] = [];
      let left = 0;
      for (const name of wish.spec.nodes)
        for (const pod of world.store.podsOn(name)) {
          if (ofDaemonSet(pod)) continue;
          left += 1;
          if (pod.metadata.deletionTimestamp) continue;
          const why = stays(pod, wish.spec.losesDirectories) ?? held(world, pod);
          if (why === undefined) evict(world, pod);
          else waits.push({ namespace: pod.metadata.namespace ?? '', name: pod.metadata.name, says: why });
        }
      const status = { left, waits };
      if (!same(wish.status, status)) world.put({ ...wish, status });
      if (left) world.after(againMs, key, true);
    }
  }
};
