import type { ApiObject, Facts, Pod } from '../model';
import { ordinalsOf } from '../model';
import { takesDaemon, withLimits } from '../standin';
import type { PodPlace } from './pods';
import type { DraftContext } from './types';

/** Draft and target as admission would meet them. */
export const meeting = (context: DraftContext): Pick<Facts, 'get' | 'list'> => ({ get: context.find, list: context.all });

/** The pod that a place's spec would come to, as its namespace fills it in. */
export const podOf = (context: DraftContext, { spec, namespace, labels, on }: PodPlace): Pod =>
  withLimits(
    {
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: { name: on.object.metadata.name, namespace, ...(labels ? { labels } : {}) },
      spec
    },
    meeting(context)
  );

/** A field of a pod, where the pod is written in a draft. */
export const fieldIn = ({ path }: PodPlace, field: string): (string | number)[] => [
  ...path,
  ...field
    .replace(/^spec\.?/, '')
    .split(/[.[\]]+/)
    .filter(Boolean)
    .map((one) => (/^\d+$/.test(one) ? Number(one) : one))
];

/** How many pods a maker asks for at a time; a daemon set one for each node of the target that it takes. */
export function podsAsked(context: DraftContext, one: ApiObject): number {
  if (one.kind === 'StatefulSet') return ordinalsOf(one).length;
  if (one.kind === 'Deployment') return one.spec.replicas ?? 1;
  if (one.kind === 'DaemonSet') return context.target?.nodes().filter((node) => takesDaemon(one, node)).length ?? 1;
  return 1;
}
