import { claimsOf, refOf, type Facts, type Pod } from '../model';
import { hasTaint, isDark, isUnheard, outOfServiceTaint, runsUnheard, unmountWaitMs } from '../standin';
import type { SheetLine } from './types';

const minutes = `${unmountWaitMs / 60_000} minutes`;

/**
 * What it risks to take a pod away without waiting for its node. Source: the cluster API's "Force Delete StatefulSet Pods" and "Node
 * Shutdowns".
 */
export function forceRisks(facts: Facts, pod: Pod): SheetLine[] {
  const ref = refOf(pod);
  const { nodeName: node } = pod.spec;
  if (node === undefined) return [{ ref, says: 'stands on no node yet: nothing is risked' }];
  if (!facts.knowsProvider) return [{ ref, says: `whether its program still runs on ${node} can't be told from an export` }];
  if (!isUnheard(facts, node))
    return [{ ref, says: `is ended at once by ${node}, without its time to stop: what it holds in memory isn't written` }];
  const lines: SheetLine[] = [
    isDark(facts, node)
      ? { ref, says: `runs no more: ${node} has no power` }
      : { ref, says: `runs on, on ${node}, which is only cut off: two members of one name at once, and each may take itself for the one` }
  ];
  for (const name of claimsOf(pod.spec, pod.metadata.name)) {
    const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
    const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
    if (!claim || !volume) continue;
    const attaches = facts.get('CSIDriver', '', volume.spec.csi?.driver ?? '')?.spec.attachRequired !== false;
    if (!attaches && runsUnheard(facts, node))
      lines.push({
        ref: refOf(claim),
        says: 'is attached to no node, so nothing keeps the two from writing into it at once: its data may be spoilt'
      });
    if (attaches)
      lines.push({
        ref: refOf(claim),
        says: hasTaint(facts.get('Node', '', node), outOfServiceTaint)
          ? `is taken off ${node} at once: the node is marked as out of service`
          : `stays attached to ${node} for ${minutes}, until the cluster no longer waits for it to be unmounted; what follows waits as long`
      });
  }
  return lines;
}
