import { stampOf } from '../../../shared';
import { refOf, type Pod } from '../../../model';
import { withCondition, type ClusterAccess } from '../loop';

/** Says on pods that they go because the cluster needs it, not because anybody changed them. Source: "Pod disruption conditions". */
export const disruption = 'DisruptionTarget';

/** Why a pod is sent away, as its condition says it. Source: "Disruptions", pod disruption conditions. */
export type DisruptionReason = 'EvictionByEvictionAPI' | 'PreemptionByScheduler' | 'DeletionByTaintManager';

/** Sends a pod away, and says on it why. */
export function sendAway(world: ClusterAccess, pod: Pod, reason: DisruptionReason, message: string): void {
  const now = world.store.get('Pod', pod.metadata.namespace ?? '', pod.metadata.name);
  if (!now) return;
  const conditions = withCondition(now.status?.conditions, { type: disruption, status: 'True', reason, message }, stampOf(world.nowMs));
  world.put({ ...now, status: { ...now.status, conditions } });
  world.remove(refOf(now));
}
