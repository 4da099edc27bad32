import type { z } from 'zod';
import { refOf, type AskObject, type Facts, type Ref } from '../../../model';
import type { Op } from '../../engines/site';
import { assetsOf } from '../../engines/processes';
import { fillAt } from '../../engines/fill';
import type { EngineId } from '../../cards/engines';
import type { ClusterAccess } from '../loop';

/** Says on an ask for whom it is asked, as the key of that loop (an annotation, invented). */
const askedForMark = 'standin.example/asked-for';

/** For whom an ask was made, once it is answered. */
export const askedFor = (ask: AskObject | undefined): string[] => {
  const key = ask?.status?.outcome ? ask.metadata.annotations?.[askedForMark] : undefined;
  return key === undefined ? [] : [key];
};

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

/** Which engine a workload's programs are; undefined where none of them runs. */
export const engineRunning = (facts: Facts, namespace: string, workload: string): EngineId | undefined =>
  facts.list('Process', namespace).find((one) => one.spec.workload === workload && one.spec.part !== 'helper')?.spec.engine as
    EngineId | undefined;

/** What a root line of a workload is asked about: who makes its members. */
export function workloadRef(facts: Facts, namespace: string, name: string): Ref {
  const kind = (['StatefulSet', 'Deployment', 'DaemonSet'] as const).find((one) => facts.get(one, namespace, name)) ?? 'StatefulSet';
  return { kind, namespace, name };
}

/** What lies in the fullest volume of a workload's members, in bytes: what a copy through the engine carries. */
export function carriedBytes(facts: Facts, namespace: string, workload: string): number {
  const pods = facts
    .list('Process', namespace)
    .filter((one) => one.spec.workload === workload)
    .flatMap((one) => facts.get('Pod', namespace, one.metadata.name) ?? []);
  return Math.max(0, ...pods.flatMap((pod) => assetsOf(facts, pod).map((asset) => fillAt(asset, facts.nowMs))));
}

/** A text as JSON of a shape; undefined for anything else. */
export function readJson<T>(shape: z.ZodType<T>, text: string): T | undefined {
  try {
    return shape.safeParse(JSON.parse(text)).data;
  } catch {
    return undefined;
  }
}
