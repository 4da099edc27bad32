import { conditionOf, momentIn, refOf, type ApiObject, type Facts } from '../../model';
import { saidIn, tellingPart } from '../../exports';
import { field, look, ref } from '../evidence';
import type { Position } from '../types';
import { brokenBy, placed, remedyFor, type Fault, type Placed } from './place';
import { stageOf } from './stage';

/** Does its node answer? */
export function nodeLook({ facts, pod, namespace }: Position): Placed[] {
  const name = pod?.spec.nodeName;
  if (!pod || !name) return [];
  const stage = stageOf(pod);
  const node = facts.get('Node', '', name);
  if (
    stage === 'failed' &&
    /Evicted|NodeLost|Shutdown|Terminated|Preempt|OutOf|NodeAffinity|UnexpectedAdmission|TaintManager/i.test(
      (pod.status as { reason?: string } | undefined)?.reason ?? ''
    )
  ) {
    const { reason = '', message = '' } = pod.status as { reason?: string; message?: string };
    return [
      placed(
        'node',
        look('broken', name, `${reason}: ${tellingPart(message)}`, {
          objects: [refOf(pod)],
          evidence: [field(pod, 'status.reason', `${reason}: ${message}`)],
          ...remedyFor('node')
        })
      )
    ];
  }
  if (!node) {
    if (stage === 'ready') return [placed('node', look('holds', name, 'the member is ready on it'))];
    const lost =
      pod.status && ['NodeLost', 'NodeNotReady'].includes((pod.status as { reason?: string }).reason ?? '') ? 'it is lost' : undefined;
    return [
      placed(
        'node',
        look(lost ? 'broken' : 'unseen', name, lost ?? `nodes are not in the export; export Node ${name}`, {
          objects: [ref('Node', '', name), ref('Pod', namespace, pod.metadata.name)]
        })
      )
    ];
  }
  const fault = nodeFault(facts, node);
  if (fault && stage !== 'ready') return [brokenBy(fault, name, [], [refOf(node)])];
  return [
    placed(
      'node',
      look('holds', name, fault ? 'not ready now; the member was ready when it was last heard of' : 'ready', { objects: [refOf(node)] })
    )
  ];
}

/** Why a node isn't ready, by its own conditions. */
export function nodeFault(facts: Facts, node: ApiObject & { kind: 'Node' }): Fault | undefined {
  const ready = conditionOf(node.status?.conditions, 'Ready');
  if (!ready || ready.status === 'True') return undefined;
  const said = saidIn(node, ready);
  const since = said.atMs === undefined ? '' : ` since ${momentIn(facts, said.atMs)}`;
  return { joint: 'node', said, says: `not ready${since}: ${tellingPart(ready.message ?? '') || (ready.reason ?? ready.status)}` };
}
