import { isReady, type Deployment, type Rest, type StatefulSet } from '../../model';
import { enginePartOf, workloadOfTemplate } from '../provider/images';
import { splitKey, type Hands, type Loop } from './loop';

/** Set on what rests: how many members it had. */
export const restedMark = 'standin.example/rested-replicas';

/** What has to stand before what: lower parts start first and stop last. */
const ranks: Readonly<Record<string, number>> = {
  coordinator: 0,
  data: 0,
  node: 1,
  member: 1,
  broker: 1,
  access: 2,
  user: 2,
  shelf: 2,
  helper: 3
};

type Set = StatefulSet | Deployment;
/** When a part of a workload starts, among its parts: lower first. */
export const partRank = (part: string): number => ranks[part] ?? 2;
const rankOf = (set: Set): number => partRank(enginePartOf(set.spec.template.spec)?.part ?? '');

function partsOf(world: Hands, namespace: string, workload: string): Set[] {
  const all: Set[] = [...world.store.list('StatefulSet', namespace), ...world.store.list('Deployment', namespace)];
  return all.filter((set) => workloadOfTemplate(set) === workload).sort((a, b) => rankOf(a) - rankOf(b));
}

const podsOf = (world: Hands, set: Set) => world.store.ownedBy(set.metadata.uid ?? '').filter((one) => one.kind === 'Pod');

function scale(world: Hands, set: Set, replicas: number, mark: string | undefined): void {
  const { [restedMark]: _, ...annotations } = set.metadata.annotations ?? {};
  const metadata = {
    ...set.metadata,
    annotations: mark === undefined ? annotations : { ...annotations, [restedMark]: mark },
    generation: (set.metadata.generation ?? 1) + 1
  };
  world.put({ ...set, metadata, spec: { ...set.spec, replicas } } as Set);
}

/** One part after the other, the last to start first; each is gone before the next one stops. */
function stop(world: Hands, rest: Rest, parts: readonly Set[]): string {
  for (const set of [...parts].reverse()) {
    if ((set.spec.replicas ?? 1) > 0) scale(world, set, 0, String(set.spec.replicas ?? 1));
    if (podsOf(world, set).length) return `${set.metadata.name} stops`;
  }
  return `at rest`;
}

/** The other way round: each part is ready before the next one starts. */
function wake(world: Hands, parts: readonly Set[]): void {
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
      const pod = (now ?? before)!;
      const owner = store
        .list('StatefulSet', pod.metadata.namespace)
        .find((one) => one.metadata.uid === pod.metadata.ownerReferences?.[0]?.uid);
      const set =
        owner ??
        store.list('Deployment', pod.metadata.namespace).find((one) => one.metadata.uid === pod.metadata.ownerReferences?.[0]?.uid);
      if (!set || (now && before && isReady(now) === isReady(before))) return [];
      return enginePartOf(set.spec.template.spec) ? [`${pod.metadata.namespace}/${workloadOfTemplate(set)}`] : [];
    }
  },
  reconcile(world, key) {
    const [namespace, workload] = splitKey(key);
    const rest = world.store.list('Rest', namespace).find((one) => one.spec.workload === workload);
    const parts = partsOf(world, namespace, workload);
    if (rest) {
      const stage = stop(world, rest, parts);
      if (rest.status?.stage !== stage) world.put({ ...rest, status: { stage } });
    } else if (parts.some((one) => one.metadata.annotations?.[restedMark] !== undefined)) wake(world, parts);
  }
};
