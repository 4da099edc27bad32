import { keyOf, refOf } from '../../model';
import { mountFault, type MountFault } from '../../standin';
import { compact, driverOfPlace, field, isAttached, isRunning, lastEvent, look } from '../evidence';
import type { ClaimPlace, JointRule, Position } from '../types';

const remedies: Record<MountFault['cause'], string> = {
  gone: 'The asset is gone from the backend. Restore from a snapshot into a new claim, or make the volume anew.',
  'file-system': 'Make the volume anew with the file system that the disk carries; formatting it would lose what is on it.',
  mode: 'Name it under volumeDevices when its claim says volumeMode: Block, else under volumeMounts; then let the pod be made anew.',
  target: 'Mend the mount target, further down the line; the node tries again by itself.',
  port: 'Let the port in, further down the line; the node tries again by itself.',
  keepers: 'Bring the keepers of the pool back, further down the line.'
};

const attaches = ({ facts }: Position, place: ClaimPlace): boolean =>
  facts.get('CSIDriver', '', driverOfPlace(facts, place) ?? '')?.spec.attachRequired !== false;

/** Are the volumes mounted in the pod? */
export const mounting = {
  id: 'mounting' as const,
  shared: false,
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
    const fault = pod.spec.nodeName && facts.knowsProvider ? mountFault(facts, pod) : undefined;
    if (fault && claims.every((one) => one.claim?.status?.phase === 'Bound' && (isAttached(at, one) || !attaches(at, one))))
      return look('broken', fault.claim, fault.message, {
        objects: [...objects, refOf(fault.volume)],
        evidence: compact([
          field(fault.volume, 'spec.csi', `${fault.volume.spec.csi?.volumeHandle}, ${fault.volume.spec.csi?.fsType ?? 'any file system'}`),
          lastEvent(facts, pod, ['FailedMount'])
        ]),
        remedy: { text: remedies[fault.cause] }
      });
    const drivers = claims.every((one) => isAttached(at, one) || !one.claim || (!attaches(at, one) && one.claim.status?.phase === 'Bound'));
    if (!drivers || !pod.spec.nodeName)
      return look('waiting', '–', pod.spec.nodeName ? 'waits for the volume' : 'waits for a node', { objects });
    return look('settling', claims.map((one) => one.name).join(', '), `being mounted for ${keyOf(refOf(pod))}`, {
      objects,
      evidence: compact([lastEvent(facts, pod, ['SuccessfulAttachVolume'])]),
      settling: { sinceMs: lastEvent(facts, pod, ['SuccessfulAttachVolume'])?.atMs ?? facts.nowMs, normalMs: [500, 5_000] }
    });
  }
} satisfies JointRule;
