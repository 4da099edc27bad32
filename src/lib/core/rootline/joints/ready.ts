import { momentIn, conditionOf, isReady, readySinceMs, refOf } from '../../model';
import { momentOf } from '../../shared';
import { imageCard, probeFault, seenReadyMs, startsSeen } from '../../standin';
import { engineLook } from '../engine';
import { compact, field, isRunning, lastEvent, look, ref } from '../evidence';
import type { JointRule } from '../types';

/** Does the member say that it is ready? */
export const ready = {
  id: 'ready' as const,
  shared: false,
  title: 'Ready',
  why: 'Only a ready member gets traffic, and only after it does the next member of an ordered set start.',
  perClaim: false,
  look({ facts, pod, podName, namespace }) {
    if (podName === undefined) return undefined;
    const objects = [pod ? refOf(pod) : ref('Pod', namespace, podName)];
    if (!pod) return look('waiting', podName, 'waits for the member', { objects });
    if (pod.metadata.deletionTimestamp)
      return look('settling', podName, 'is being taken away', {
        objects,
        settling: { sinceMs: momentOf(pod.metadata.deletionTimestamp), normalMs: [0, 30_000] }
      });
    if (isReady(pod)) return look('holds', podName, `since ${momentIn(facts, readySinceMs(pod) ?? facts.nowMs)}`, { objects });
    if (!isRunning(pod)) return look('waiting', podName, 'waits for the container', { objects });
    const unhealthy = lastEvent(facts, pod, ['Unhealthy']);
    const condition = conditionOf(pod.status?.conditions, 'Ready');
    const evidence = compact([
      condition && field(pod, 'status.conditions[Ready]', `${condition.status} ${condition.reason ?? ''}`.trim()),
      unhealthy
    ]);
    if (unhealthy) {
      const fault = probeFault(pod);
      const ports = imageCard(pod.spec.containers[0]?.image ?? '').ports;
      return look('broken', podName, (unhealthy.event?.message ?? '').replace(/\.$/, ''), {
        objects,
        evidence,
        remedy: {
          text:
            fault && ports
              ? `Let the readiness probe of ${fault.container} ask at a port where the program listens: ${ports.join(', ')}.`
              : 'Mend the readiness probe, or what it finds missing.'
        }
      });
    }
    const process = facts.get('Process', namespace, podName);
    const engine = engineLook(facts, pod, process);
    if (engine) return engine;
    const normalMs = startsSeen(facts, pod.spec)?.normalMs ?? imageCard(pod.spec.containers[0]?.image ?? '').normalMs;
    const startedAt = pod.status?.containerStatuses?.[0]?.state?.running?.startedAt;
    return look('settling', podName, process?.status?.says || 'runs, and is not ready yet', {
      objects,
      evidence,
      settling: {
        sinceMs: startedAt ? momentOf(startedAt) : facts.nowMs,
        normalMs: [normalMs[0], seenReadyMs(pod, normalMs[1])]
      }
    });
  }
} satisfies JointRule;
