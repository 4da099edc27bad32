import { momentOf } from '../../shared';
import { conditionOf, nodeReady, refOf } from '../../model';
import { field, look, ref } from '../evidence';
import type { JointRule } from '../types';

/** Is the node that the member stands on ready and within reach? */
export const node = {
  id: 'node' as const,
  shared: true,
  title: 'Node',
  why: "At most one pod per ordinal: while its node can't be reached, a member is neither running for certain nor replaced.",
  perClaim: false,
  look({ facts, pod, podName }) {
    if (podName === undefined) return undefined;
    const name = pod?.spec.nodeName;
    if (!name) return look('waiting', '–', 'waits for a place');
    const found = facts.get('Node', '', name);
    if (!found)
      return look('broken', name, `the node ${name} is gone`, {
        objects: [ref('Node', '', name)],
        evidence: [field(pod, 'spec.nodeName', name)],
        remedy: { text: 'Take the pod away; its set makes it anew on another node.' }
      });
    const ready = conditionOf(found.status?.conditions, 'Ready');
    if (nodeReady(found)) return look('holds', name, found.spec?.unschedulable ? 'ready; cordoned' : 'ready', { objects: [refOf(found)] });
    return look('broken', name, `not ready: ${(ready?.message ?? ready?.reason ?? 'it does not answer').replace(/\.$/, '')}`, {
      objects: [refOf(found)],
      evidence: [
        field(
          found,
          'status.conditions[Ready]',
          `${ready?.status} ${ready?.reason ?? ''}`.trim(),
          ready?.lastTransitionTime ? momentOf(ready.lastTransitionTime) : undefined
        )
      ],
      remedy: { text: 'Bring the node back, or mark it out of service, so that its pods are freed and their volumes detached.' }
    });
  }
} satisfies JointRule;
