import type { Pod } from '../../../../model';
import type { SpanMs } from '../../../clock/steps';
import { enginePartOf, imageCard } from '../../../provider/images';
import { controllerId } from '../../workloads/pods';

/** Says (an annotation of the stand-in) how long the program of a pod that is to end works, in whole seconds. */
export const worksMark = 'standin.example/works-seconds';
/** How long a program works that a job runs and nobody knows, in ms; made up, and said where it ends. */
const supposedWorkMs = [5_000, 30_000] as const;

/** How long a pod's program works. */
export interface Work {
  readonly spanMs: SpanMs;
  /** Nothing tells how long it works, or how it ends. */
  readonly supposed?: boolean;
}

/** How long a pod's program works before it ends by itself; undefined for one that runs on. */
export function workOf(pod: Pod): Work | undefined {
  if ((pod.spec.restartPolicy ?? 'Always') === 'Always') return undefined;
  const known = imageCard(pod.spec.containers[0]?.image ?? '').worksMs;
  if (known) return { spanMs: known };
  const told = Number(pod.metadata.annotations?.[worksMark]);
  if (Number.isInteger(told) && told > 0) return { spanMs: [told * 1_000, told * 1_000] };
  return controllerId(pod, 'Job') !== undefined && !enginePartOf(pod) ? { spanMs: supposedWorkMs, supposed: true } : undefined;
}
