import { keyOf, refOf } from '../../model';
import { compact, isAttached, isRunning, lastEvent, look } from '../evidence';
import type { JointRule } from '../types';

/** Are the volumes mounted in the pod? */
export const mounting: JointRule = {
  id: 'mounting',
  title: 'Mounted',
  why: 'Attached is a disk on the node; mounted is a directory in the container.',
  perClaim: false,
  look(at) {
    const { facts, pod, claims } = at;
    if (at.podName === undefined || !claims.length) return undefined;
    if (!pod) return look('waiting', '–', 'waits for the member');
    const objects = [refOf(pod)];
    const pulled = lastEvent(facts, pod, ['Pulling', 'Pulled', 'Started', 'BackOff']);
    if (isRunning(pod) || pod.status?.podIP || pulled)
      return look('holds', claims.map((one) => one.name).join(', '), `in ${pod.metadata.name}`, { objects });
    const drivers = claims.every((one) => isAttached(at, one) || !one.claim);
    if (!drivers || !pod.spec.nodeName)
      return look('waiting', '–', pod.spec.nodeName ? 'waits for the volume' : 'waits for a node', { objects });
    return look('settling', claims.map((one) => one.name).join(', '), `being mounted for ${keyOf(refOf(pod))}`, {
      objects,
      evidence: compact([lastEvent(facts, pod, ['SuccessfulAttachVolume'])]),
      settling: { sinceMs: lastEvent(facts, pod, ['SuccessfulAttachVolume'])?.atMs ?? facts.nowMs, normalMs: [500, 5_000] }
    });
  }
};
