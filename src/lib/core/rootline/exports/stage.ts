import { conditionOf, isReady, type Pod } from '../../model';
import { containersSeen } from './place';

/** How far a member has come, by what the cluster says of it. */
export type Stage = 'unmade' | 'unplaced' | 'mounting' | 'begun' | 'ready' | 'ended' | 'failed' | 'going';

const quietWaits = /^(ContainerCreating|PodInitializing|)$/;

/** Tells how far a pod has come. From `begun` on its volumes are mounted, as its containers have been made. */
export function stageOf(pod: Pod | undefined): Stage {
  if (!pod) return 'unmade';
  if (pod.metadata.deletionTimestamp) return 'going';
  const phase = pod.status?.phase;
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
