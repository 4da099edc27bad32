import { same } from '../../../shared';
import { isReady, selectorMatches, type DisruptionBudget } from '../../../model';
import { idOf, itself, splitKey, type Loop } from '../loop';
import { shareOf } from './share';

/** Shares are rounded up. Source: the cluster API's "Specifying a Disruption Budget". */
const amount = (value: number | string | undefined, of: number): number | undefined =>
  value === undefined ? undefined : shareOf(value, of, Math.ceil);

/** Keeps the count of disruption budgets: how many members may be sent away from a node just now. */
export const budgets: Loop = {
  id: 'budgets',
  paceMs: 200,
  watches: {
    PodDisruptionBudget: itself,
    Pod: (now, before, store) => {
      const pod = (now ?? before)!;
      if (now && before && isReady(now) === isReady(before)) return [];
      return store
        .list('PodDisruptionBudget', pod.metadata.namespace)
        .filter((one) => selectorMatches(one.spec.selector, pod.metadata.labels))
        .map(idOf);
    }
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const budget = world.store.get('PodDisruptionBudget', namespace, name);
    if (!budget) return;
    const pods = world.store.list('Pod', namespace).filter((pod) => selectorMatches(budget.spec.selector, pod.metadata.labels));
    const owners = new Set(pods.map((pod) => pod.metadata.ownerReferences?.[0]?.uid));
    const wanted = world.store
      .list('StatefulSet', namespace)
      .filter((set) => owners.has(set.metadata.uid))
      .reduce((sum, set) => sum + (set.spec.replicas ?? 1), 0);
    const expectedPods = Math.max(wanted, pods.length);
    const currentHealthy = pods.filter(isReady).length;
    const least = amount(budget.spec.minAvailable, expectedPods);
    const desiredHealthy = least ?? Math.max(0, expectedPods - (amount(budget.spec.maxUnavailable, expectedPods) ?? 1));
    const status: DisruptionBudget['status'] = {
      currentHealthy,
      desiredHealthy,
      expectedPods,
      disruptionsAllowed: Math.max(0, currentHealthy - desiredHealthy)
    };
    if (!same(status, budget.status)) world.put({ ...budget, status });
  }
};
