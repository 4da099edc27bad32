import { same, suffix } from '../../../shared';
import { isReady, readySinceMs, refOf, type Pod, type ReplicaSet } from '../../../model';
import { idOf, itself, splitKey, type ClusterAccess, type Loop } from '../loop';
import { makePod, ownersOfKind } from './pods';

/** A replica set makes or takes away so many pods at a time, so that a large one holds nothing else up. */
const mostAtOnce = 40;

/** The pods of a replica set that aren't going, oldest first. */
export const livingOf = (world: ClusterAccess, set: ReplicaSet): Pod[] =>
  world.store
    .ownedBy(set.metadata.uid ?? '')
    .filter((one): one is Pod => one.kind === 'Pod' && !one.metadata.deletionTimestamp && one.status?.phase !== 'Failed');

/**
 * Whether a pod is ready and has been for minReadySeconds.
 * @param later called with the wait in ms where it is only a matter of time
 */
export function isAvailable(
  world: ClusterAccess,
  pod: Pod,
  minReadySeconds: number | undefined,
  later?: (waitMs: number) => void
): boolean {
  const since = readySinceMs(pod);
  if (since === undefined) return false;
  const left = since + (minReadySeconds ?? 0) * 1_000 - world.nowMs;
  if (left > 0) later?.(left);
  return left <= 0;
}

function make(world: ClusterAccess, set: ReplicaSet, wanted: number): void {
  const { template } = set.spec;
  if (!template) return;
  const made = world.memory<number>('replicaSetPods');
  const id = idOf(set);
  const count = Math.min(wanted, mostAtOnce);
  for (let i = 0; i < count; i += 1) {
    const nth = (made.get(id) ?? 0) + 1;
    made.set(id, nth);
    if (!makePod(world, { owner: set, name: `${set.metadata.name}-${suffix(world.seed, `${id}#${nth}`)}`, template, labels: {} })) return;
  }
  if (count < wanted) world.after(1, id);
}

/** What goes first when there are too many: what has no node, what doesn't run, what isn't ready, then the youngest. Source: "ReplicaSet", scaling. */
const keeps = (pod: Pod): number => (isReady(pod) ? 3 : pod.status?.phase === 'Running' ? 2 : pod.spec.nodeName ? 1 : 0);

function leave(world: ClusterAccess, set: ReplicaSet, pods: readonly Pod[], count: number): void {
  const order = pods.map((pod, nth) => ({ pod, nth })).sort((a, b) => keeps(a.pod) - keeps(b.pod) || b.nth - a.nth);
  for (const { pod } of order.slice(0, Math.min(count, mostAtOnce))) world.remove(refOf(pod));
  if (count > mostAtOnce) world.after(1, idOf(set));
}

/** Keeps as many pods of one template as are asked for. Source: the cluster API's "ReplicaSet". */
export const replicaSets: Loop = {
  id: 'replica-sets',
  watches: {
    ReplicaSet: itself,
    Pod: ownersOfKind('ReplicaSet'),
    ServiceAccount: (now, _before, store) => (now ? store.list('ReplicaSet', now.metadata.namespace).map(idOf) : [])
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const set = world.store.get('ReplicaSet', namespace, name);
    if (!set || set.metadata.deletionTimestamp) {
      if (!set) world.memory<number>('replicaSetPods').delete(key);
      return;
    }
    const wanted = set.spec.replicas ?? 1;
    const before = livingOf(world, set);
    if (before.length < wanted) make(world, set, wanted - before.length);
    else if (before.length > wanted) leave(world, set, before, before.length - wanted);
    const pods = livingOf(world, set);
    const up = pods.filter((pod) => isAvailable(world, pod, set.spec.minReadySeconds, (ms) => world.after(ms, key)));
    const status: ReplicaSet['status'] = {
      observedGeneration: set.metadata.generation ?? 1,
      replicas: pods.length,
      fullyLabeledReplicas: pods.length,
      readyReplicas: pods.filter(isReady).length,
      availableReplicas: up.length
    };
    if (!same(status, set.status)) world.put({ ...set, status });
  }
};
