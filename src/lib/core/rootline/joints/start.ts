import { refOf } from '../../model';
import { compact, field, isRunning, lastEvent, look, ref, waitingOf } from '../evidence';
import type { JointRule } from '../types';

/** Do the member's containers run? */
export const start: JointRule = {
  id: 'start',
  title: 'Started',
  why: 'A program that ends at once is started again, with ever longer waits between.',
  perClaim: false,
  look({ facts, pod, spec, podName, namespace }) {
    if (podName === undefined || !spec) return undefined;
    const label = spec.containers.map((one) => one.name).join(', ');
    const objects = [pod ? refOf(pod) : ref('Pod', namespace, podName)];
    if (!pod) return look('waiting', label, 'waits for the member', { objects });
    if (isRunning(pod))
      return look('holds', label, `running, ${pod.status?.containerStatuses?.[0]?.restartCount ?? 0} restarts`, { objects });
    const waiting = waitingOf(pod);
    if (waiting?.reason === 'CrashLoopBackOff') {
      return look('broken', label, (waiting.message ?? 'the program ends at once').replace(/\.$/, ''), {
        objects,
        evidence: compact([
          field(pod, 'status.containerStatuses[].state.waiting.reason', waiting.reason),
          field(pod, 'status.containerStatuses[].restartCount', pod.status?.containerStatuses?.[0]?.restartCount),
          lastEvent(facts, pod, ['BackOff'])
        ]),
        remedy: {
          text: /memory/.test(waiting.message ?? '')
            ? 'Raise the memory limit to what the program needs, and send the workload again.'
            : "Read the container's log; mend its configuration."
        }
      });
    }
    return look('waiting', label, 'waits for its image', { objects });
  }
};
