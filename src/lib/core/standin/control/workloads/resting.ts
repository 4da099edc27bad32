import { isReady, makerOf, podsMadeBy, type Deployment, type Rest, type StatefulSet } from '../../../model';
import { partRank } from '../../cards/engines';
import { enginePartOf, workloadOfTemplate } from '../../provider/images';
import type { Store } from '../../store';
import { splitKey, type ClusterAccess, type Loop } from '../loop';

/** Set on what rests: how many members it had. */
export const restedMark = 'standin.example/rested-replicas';

type Set = StatefulSet | Deployment;
const rankOf = (set: Set): number => partRank(enginePartOf(set.spec.template));

const restOf = (store: Store, namespace: string, workload: string): Rest | undefined =>
  store.list('Rest', namespace).find((one) => one.spec.workload === workload);
const isRested = (set: Set): boolean => set.metadata.annotations?.[restedMark] !== undefined;

function partsOf(store: Store, namespace: string, workload: string): Set[] {
  const sets = store.by<'StatefulSet'>('setsOfWorkload', `${namespace}/${workload}`);
  const deployments = store.list('Deployment', namespace).filter((one) => workloadOfTemplate(one) === workload);
  return [...sets, ...deployments].sort((a, b) => rankOf(a) - rankOf(b));
}

const podsOf = (world: ClusterAccess, set: Set) => podsMadeBy(world.store, set);

function scale(world: ClusterAccess, set: Set, replicas: number, mark: string | undefined): void {
  const { [restedMark]: _, ...annotations } = set.metadata.annotations ?? {};
  const metadata = {
    ...set.metadata,
    annotations: mark === undefined ? annotations : { ...annotations, [restedMark]: mark },
    generation: (set.metadata.generation ?? 1) + 1
  };
  world.put({ ...set, metadata, spec: { ...set.spec, replicas } } as Set);
}

/** One part after the other, the last to start first; each is gone before the next one stops. */
function stop(world: ClusterAccess, rest: Rest, parts: readonly Set[]): string {
  for (const set of [...parts].reverse()) {
    if ((set.spec.replicas ?? 1) > 0) scale(world, set, 0, String(set.spec.replicas ?? 1));
    if (podsOf(world, set).length) return `${set.metadata.name} stops`;
  }
  return `at rest`;
}

/** The other way round: each part is ready before the next one starts. */
function wake(world: ClusterAccess, parts: readonly Set[]): void {
  for (const set of parts) {
    const mark = set.metadata.annotations?.[restedMark];
    if (mark !== undefined) scale(world, set, Number(mark), undefined);
    const wanted = mark === undefined ? (set.spec.replicas ?? 1) : Number(mark);
    if (podsOf(world, set).filter((one) => one.kind === 'Pod' && isReady(one)).length < wanted) return;
  }
}

/** Rests whole workloads in order, and wakes them in order with their state. */
export const resting: Loop = {
  id: 'resting',
  paceMs: 100,
  watches: {
    Rest: (now, before) => {
      const one = (now ?? before)!;
      return now?.spec === before?.spec ? [] : [`${one.metadata.namespace}/${one.spec.workload}`];
    },
    Pod: (now, before, store) => {
      if (now && before && isReady(now) === isReady(before)) return [];
      const pod = (now ?? before)!;
      const owner = makerOf(pod);
      if (owner?.kind !== 'StatefulSet' && owner?.kind !== 'Deployment') return [];
      const set = store.get(owner.kind, pod.metadata.namespace ?? '', owner.name);
      if (!set) return [];
      if (!enginePartOf(set.spec.template)) return [];
      const namespace = pod.metadata.namespace ?? '';
      const workload = workloadOfTemplate(set);
      return (restOf(store, namespace, workload) ?? partsOf(store, namespace, workload).some(isRested)) ? [`${namespace}/${workload}`] : [];
    }
  },
  reconcile(world, key) {
    const [namespace, workload] = splitKey(key);
    const rest = restOf(world.store, namespace, workload);
    const parts = partsOf(world.store, namespace, workload);
    if (rest) {
      const stage = stop(world, rest, parts);
      if (rest.status?.stage !== stage) world.put({ ...rest, status: { stage } });
    } else if (parts.some(isRested)) wake(world, parts);
  }
};
