import { conditionOf, isReady, type Pod } from '../../model';
import { containersSeen, quietWaits } from './place';

/** How far a member has come, by what the cluster says of it. */
export type Stage = 'unmade' | 'silent' | 'unplaced' | 'mounting' | 'begun' | 'ready' | 'ended' | 'failed' | 'going';

/** Tells how far a pod has come; `silent` where it was exported without its status. From `begun` on its volumes are mounted, as its containers have been made. */
export function stageOf(pod: Pod | undefined): Stage {
  if (!pod) return 'unmade';
  if (pod.metadata.deletionTimestamp) return 'going';
  const phase = pod.status?.phase;
  if (!phase && !pod.status?.conditions?.length && !containersSeen(pod).length) return 'silent';
  if (phase === 'Succeeded') return 'ended';
  if (phase === 'Failed') return 'failed';
  if (isReady(pod)) return 'ready';
  const scheduled = conditionOf(pod.status?.conditions, 'PodScheduled');
  if (!pod.spec.nodeName && scheduled?.status !== 'True') return 'unplaced';
  const made = containersSeen(pod).some(
    (one) => one.running || one.ended || one.before || (one.waiting && !quietWaits.test(one.waiting.reason))
  );
  return made ? 'begun' : 'mounting';
}

/** From here on everything that a pod mounts is known to have held. */
export const holdsVolumes = (stage: Stage): boolean => stage === 'begun' || stage === 'ready' || stage === 'ended';
