import { keyOf, refOf } from '../../model';
import { attachmentName, callsSeen } from '../../standin';
import { compact, driverOfPlace, field, isAttached, isBound, lastEvent, look, madeMs, ref } from '../evidence';
import type { JointRule } from '../types';

/** Is the claim's volume attached to the member's node? */
export const attaching = {
  id: 'attaching' as const,
  shared: false,
  title: 'Attached',
  why: 'Block storage hangs on one node at a time, like a disk. It can follow a member only when the node before has let it go.',
  perClaim: true,
  look(at, place) {
    const { facts, pod } = at;
    if (at.podName === undefined) return undefined;
    const driver = driverOfPlace(facts, place);
    if (driver && facts.get('CSIDriver', '', driver)?.spec.attachRequired === false) return undefined;
    const node = pod?.spec.nodeName;
    const volume = place.claim?.spec.volumeName;
    if (!node || !volume || !isBound(place)) return look('waiting', place.name, node ? 'waits for its volume' : 'waits for a node');
    const name = attachmentName(volume, node);
    const objects = [ref('VolumeAttachment', '', name)];
    if (isAttached(at, place)) return look('holds', node, `attached to ${node}`, { objects });
    const mine = facts.get('VolumeAttachment', '', name);
    const other = facts
      .list('VolumeAttachment')
      .find((one) => one.spec.source.persistentVolumeName === volume && one.spec.nodeName !== node);
    const failed = lastEvent(facts, pod, ['FailedAttachVolume']);
    if (other) {
      const holders = facts.podsOfClaim(place.namespace, place.name).filter((one) => one.spec.nodeName === other.spec.nodeName);
      const leaving = holders.every((one) => one.metadata.deletionTimestamp);
      return look(
        leaving ? 'settling' : 'broken',
        node,
        `the volume is attached to ${other.spec.nodeName}${holders.length ? `, where ${holders.map((one) => one.metadata.name).join(', ')} has it` : ', which lets it go'}`,
        {
          objects: [refOf(other)],
          evidence: compact([field(other, 'spec.nodeName', other.spec.nodeName), failed]),
          ...(leaving
            ? {}
            : {
                remedy: {
                  text: `Take ${holders.map((one) => keyOf(refOf(one))).join(', ')} away first; for a rolling change of a one-node claim use the strategy Recreate.`
                }
              })
        }
      );
    }
    const error = mine?.status?.attachError?.message;
    if (error)
      return look('broken', node, error.replace(/\.$/, ''), {
        objects,
        evidence: compact([field(mine, 'status.attachError.message', error), failed]),
        remedy: { text: 'Mend what the driver says; it tries again by itself.' }
      });
    return look('settling', node, 'is being attached', {
      objects,
      settling: { sinceMs: madeMs(mine) ?? facts.nowMs, normalMs: callsSeen(facts, driver ?? '', 'attaching')?.normalMs ?? [2_000, 15_000] }
    });
  }
} satisfies JointRule;
