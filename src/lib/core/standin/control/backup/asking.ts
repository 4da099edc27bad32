import { refOf, type AskObject } from '../../../model';
import type { Op } from '../../engines/site';
import type { ClusterAccess } from '../loop';

/** Says on an ask for whom it is asked, as the key of that loop (an annotation, invented). */
const askedForMark = 'standin.example/asked-for';
/** The key of that loop; undefined where nobody here asks for somebody. */
export const keyOfAsk = (ask: AskObject): string | undefined => ask.metadata.annotations?.[askedForMark];
/** Says on an ask from which other cluster it is asked (an annotation, invented). */
const askedFromMark = 'standin.example/asked-from';
const fromOf = (ask: AskObject): string | undefined => ask.metadata.annotations?.[askedFromMark];

/** For whom an ask was made, once it is answered. */
export function askedFor(ask: AskObject | undefined): string[] {
  const key = ask?.status?.outcome && fromOf(ask) === undefined ? keyOfAsk(ask) : undefined;
  return key === undefined ? [] : [key];
}

/** The same for asks from other clusters. */
export function askedFrom(ask: AskObject | undefined): { cluster: string; key: string }[] {
  const [cluster, key] = ask?.status?.outcome ? [fromOf(ask), keyOfAsk(ask)] : [];
  return cluster === undefined || key === undefined ? [] : [{ cluster, key }];
}

/** How an ask ended. */
export type Asked = NonNullable<AskObject['status']>;

/**
 * Asks a workload something, as any client inside would; gives the answer once there is one, and takes the ask away then.
 * @param step names the ask among those of one key
 */
export function asked(
  world: ClusterAccess,
  key: string,
  step: string,
  { namespace, workload, cluster }: { readonly namespace: string; readonly workload: string; readonly cluster?: string | undefined },
  op: Op
): Asked | undefined {
  const here = world.store.elsewhere?.here;
  const far = cluster !== undefined && cluster !== here;
  const there = far ? world.abroad(cluster) : world;
  if (!there) return undefined;
  // Namespaces have no dots, and clusters none: no two keys come to one name.
  const name = `${far ? `${here}.` : ''}${key.replace(/[ /]/g, '.').toLowerCase()}.${step}`;
  const ask = there.store.get('Ask', namespace, name);
  if (!ask) {
    there.put({
      apiVersion: 'standin.example/v1',
      kind: 'Ask',
      metadata: { name, namespace, annotations: { [askedForMark]: key, ...(far ? { [askedFromMark]: here! } : {}) } },
      spec: { workload, way: 'inside', login: 'right', op: { ...op } }
    });
    return undefined;
  }
  const { status } = ask;
  if (!status?.outcome) return undefined;
  there.drop(refOf(ask));
  return status;
}

/** Takes away what is still asked for somebody who asks no more: an answer that comes late would be taken for one to the next ask. */
export function dropAsks(world: ClusterAccess, key: string): void {
  const { here, clusters = [undefined] } = world.store.elsewhere ?? {};
  for (const cluster of clusters) {
    const far = cluster !== here;
    const there = far ? world.abroad(cluster!) : world;
    for (const ask of there?.store.list('Ask') ?? [])
      if (keyOfAsk(ask) === key && fromOf(ask) === (far ? here : undefined)) there!.drop(refOf(ask));
  }
}
