import { isReady, type ApiObject, type Facts, type Kind, type StatefulSet } from '../../../model';
import { idOf, itself, splitKey, type AbroadWatch, type Loop, type Watch } from '../loop';
import { accessType } from '../../provider/over-rights';
import { operatorCards, operatorFault, operatorIn, operatorOf, type OperatedKind } from '../../provider/operators';
import { documentsSet, expandDocuments } from './documents';
import { report, type Resource } from './expanding';
import { dropDatabase, expandMemory, makeDatabase, memorySet } from './memory';
import { install } from './ordering';
import { dropOver, expandOver } from './over';

export { asOperated } from './expanding';
export { operatorObjects, ownManifests, type OperatorSize } from './objects';

/** Kinds that an operator of the shelf looks after. */
export const operatedKinds: readonly OperatedKind[] = operatorCards.flatMap((card) => card.kinds.map((one) => one.kind));

/** The set that an operator would make of a custom resource; undefined for what comes to none. */
export const setFor = (one: ApiObject): StatefulSet | undefined =>
  one.kind === 'MemoryCluster' ? memorySet(one) : one.kind === 'DocumentSet' ? documentsSet(one) : undefined;

const keysOf = (store: Facts, kinds: readonly OperatedKind[] = operatedKinds, namespace?: string): string[] =>
  kinds.flatMap((kind) => store.list(kind, namespace).map((one) => `${kind} ${idOf(one)}`));

const ofResource =
  <K extends OperatedKind>(kind: K): Watch<K> =>
  (now, before) =>
    now?.spec === before?.spec ? [] : itself(now, before).map((id) => `${kind} ${id}`);
/** Document sets that operators of other clusters look after here, too. */
const overAll: AbroadWatch<Kind> = (_now, _before, { elsewhere }) =>
  (elsewhere?.clusters ?? [])
    .filter((cluster) => cluster !== elsewhere!.here)
    .flatMap((cluster) =>
      elsewhere!
        .facts(cluster)!
        .list('DocumentSet')
        .filter(({ spec }) => spec.clusters?.some((one) => one.cluster === elsewhere!.here))
        .map((one) => ({ cluster, key: `DocumentSet ${idOf(one)}` }))
    );
const all: Watch<Kind> = (_now, _before, store) => keysOf(store);

/** What operators do with their custom resources, while one is installed, ready, watches their namespace and has the rights. */
export const operators: Loop = {
  id: 'operators',
  watches: {
    MemoryCluster: ofResource('MemoryCluster'),
    MemoryDatabase: ofResource('MemoryDatabase'),
    DocumentSet: ofResource('DocumentSet'),
    OperatorOrder: ofResource('OperatorOrder'),
    Pod: (now, before, store) => {
      if ((now && isReady(now)) === (before && isReady(before))) return [];
      const card = operatorIn((now ?? before)!);
      if (!card) return [];
      return keysOf(store, [...card.kinds.map((one) => one.kind), 'OperatorOrder']);
    },
    ClusterRole: all,
    ClusterRoleBinding: all,
    Role: all,
    RoleBinding: all,
    Link: (_now, _before, store) => keysOf(store, ['DocumentSet']),
    Secret: (now, before, store) => {
      const one = (now ?? before)!;
      // The document with which an operator comes to another cluster, or the certificate that it hands out there.
      const concerns = one.type === accessType || (one.data?.['tls.crt'] !== undefined && now?.data !== before?.data);
      return concerns
        ? store
            .list('DocumentSet')
            .filter(({ spec }) => spec.clusters)
            .map((each) => `DocumentSet ${idOf(each)}`)
        : [];
    },
    Certificate: (now, _before, store) =>
      store.get('DocumentSet', now?.metadata.namespace ?? '', now?.metadata.name ?? '') ? [`DocumentSet ${idOf(now!)}`] : [],
    Process: (now, before, store) => {
      const one = (now ?? before)!;
      const kinds = one.spec.engine === 'memory-store' ? (['MemoryCluster', 'MemoryDatabase'] as const) : (['DocumentSet'] as const);
      const concerns = one.spec.engine === 'memory-store' || one.spec.engine === 'document-set';
      return concerns && now?.status?.ready !== before?.status?.ready ? keysOf(store, kinds, one.metadata.namespace) : [];
    },
    Ask: (now, _before, store) =>
      now?.status?.outcome && now.metadata.name.startsWith('database-') ? keysOf(store, ['MemoryDatabase'], now.metadata.namespace) : []
  },
  abroad: {
    Link: overAll,
    ServiceAccount: overAll,
    Namespace: (now, before, store) => (now && before ? [] : overAll(now, before, store)),
    Role: overAll,
    RoleBinding: overAll,
    ClusterRole: overAll,
    ClusterRoleBinding: overAll,
    Outage: (now, before, store) => ((now ?? before)!.spec.links ? overAll(now, before, store) : []),
    StatefulSet: (now, before, store) => (now ? [] : overAll(now, before, store)),
    Process: (now, before, store) => (now?.status?.ready === before?.status?.ready ? [] : overAll(now, before, store))
  },
  reconcile(world, key) {
    const space = key.indexOf(' ');
    const kind = key.slice(0, space) as OperatedKind;
    const [namespace, name] = splitKey(key.slice(space + 1));
    const one = world.store.get(kind, namespace, name) as Resource | undefined;
    if (!one) {
      if (kind === 'MemoryDatabase') dropDatabase(world, namespace, name);
      if (kind === 'DocumentSet') dropOver(world, namespace, name);
      return world.endAll(key);
    }
    if (one.metadata.deletionTimestamp) return;
    const fault = operatorFault(world.store, operatorOf(kind)!, namespace);
    if (fault) return report(world, one, 'waits', 'False', fault.reason, fault.message);
    if (one.kind === 'MemoryDatabase') return makeDatabase(world, one);
    if (one.kind === 'DocumentSet') return one.spec.clusters ? expandOver(world, one, one.spec.clusters) : expandDocuments(world, one);
    if (one.kind === 'OperatorOrder') return install(world, one);
    expandMemory(world, one);
    for (const each of world.store.list('MemoryDatabase', namespace)) if (each.spec.cluster === name) makeDatabase(world, each);
  }
};
