import { refOf, type AskObject } from '../../../model';
import type { Op } from '../../engines/site';
import type { ClusterAccess } from '../loop';

/** Says on an ask for whom it is asked, as the key of that loop (an annotation, invented). */
const askedForMark = 'standin.example/asked-for';
const keyOf = (ask: AskObject): string | undefined => ask.metadata.annotations?.[askedForMark];

/** For whom an ask was made, once it is answered. */
export function askedFor(ask: AskObject | undefined): string[] {
  const key = ask?.status?.outcome ? keyOf(ask) : undefined;
  return key === undefined ? [] : [key];
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
  { namespace, workload }: { readonly namespace: string; readonly workload: string },
  op: Op
): Asked | undefined {
  // Namespaces have no dots: no two keys come to one name.
  const name = `${key.replace(/[ /]/g, '.').toLowerCase()}.${step}`;
  const ask = world.store.get('Ask', namespace, name);
  if (!ask) {
    world.put({
      apiVersion: 'standin.example/v1',
      kind: 'Ask',
      metadata: { name, namespace, annotations: { [askedForMark]: key } },
      spec: { workload, way: 'inside', login: 'right', op: { ...op } }
    });
    return undefined;
  }
  const { status } = ask;
  if (!status?.outcome) return undefined;
  world.drop(refOf(ask));
  return status;
}

/** Takes away what is still asked for somebody who asks no more: an answer that comes late would be taken for one to the next ask. */
export function dropAsks(world: ClusterAccess, key: string): void {
  for (const ask of world.store.list('Ask')) if (keyOf(ask) === key) world.drop(refOf(ask));
}
