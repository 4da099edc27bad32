import { conditionOf, nodeReady, refOf, type Facts, type Pod } from '../../model';
import { eventsAbout, latestOf, saidIn, verdictOf, verdictSays, type Said, type VerdictKind } from '../../exports';
import { compact, field, look, madeMs } from '../evidence';
import type { Position } from '../types';
import { brokenBy, evidenceOf, placed, underWay, type Fault, type Placed } from './place';
import { stageOf } from './stage';

const placeFaults: Partial<Record<VerdictKind, 'claim' | 'volume'>> = {
  'claim-going': 'claim',
  'claim-missing': 'claim',
  'no-volume': 'volume',
  'lost-volume': 'volume'
};
/** Nodes that nobody means for members. */
const benign = /control-plane|master/;

interface Verdicts {
  readonly fault?: Fault;
  /** It only waits for its claims, or for whoever opens a gate. */
  readonly waits?: { readonly says: string; readonly said: Said };
}

/** What the scheduler says of a member that has no place. */
export function placingOf({ facts, pod }: Position): Verdicts {
  if (!pod || stageOf(pod) !== 'unplaced') return {};
  const condition = conditionOf(pod.status?.conditions, 'PodScheduled');
  const event = latestOf(eventsAbout(facts, pod), ['FailedScheduling']);
  const said = condition?.message ? saidIn(pod, condition) : event;
  if (!said) return {};
  if (condition?.reason === 'SchedulingGated') return { waits: { says: 'held back by a scheduling gate', said } };
  const verdict = verdictOf(said.message);
  const counting = verdict.parts.filter((one) => !(one.kind === 'taint' && benign.test(one.detail ?? '')));
  const kinds = new Set((counting.length ? counting : verdict.parts).map((one) => one.kind));
  if (kinds.has('gated')) return { waits: { says: 'held back by a scheduling gate', said } };
  if ([...kinds].every((one) => one === 'unbound') && kinds.size) return { waits: { says: 'waits until its claims are bound', said } };
  const says = verdictSays(verdict);
  const only = [...kinds].map((one) => placeFaults[one]);
  const going = [...kinds].find((one) => one === 'claim-going' || one === 'claim-missing');
  if (going) return { fault: { joint: 'claim', said, says: claimWords(going, verdict.parts.find((one) => one.kind === going)?.detail) } };
  if (only.length && only.every((one) => one === 'volume'))
    return {
      fault: {
        joint: 'volume',
        said,
        says: kinds.has('lost-volume')
          ? 'its claim is bound to a volume that is gone'
          : 'no volume can be bound: none that was made by hand fits where a node is free'
      }
    };
  return { fault: { joint: 'placing', said, says } };
}

const claimWords = (kind: VerdictKind, name = ''): string =>
  kind === 'claim-going' ? `the claim ${name} is being deleted` : `there is no claim ${name}`;

/** Has it a place? */
export function placingLook(at: Position): Placed[] {
  const { facts, pod, podName } = at;
  if (!pod || podName === undefined) return [];
  const objects = [refOf(pod)];
  const node = pod.spec.nodeName;
  if (stageOf(pod) !== 'unplaced') return [placed('placing', look('holds', podName, node ? `on ${node}` : 'placed', { objects }))];
  const { fault, waits } = placingOf(at);
  if (fault?.joint === 'placing') return [brokenBy(fault, podName, room(facts, pod))];
  if (fault) return [placed('placing', look('waiting', podName, fault.says, { objects, evidence: [evidenceOf(fault.said)] }))];
  if (waits) return [placed('placing', look('waiting', podName, waits.says, { objects, evidence: [evidenceOf(waits.said)] }))];
  return [
    underWay(
      facts,
      'placing',
      podName,
      'has no place yet',
      madeMs(pod),
      [100, 30_000],
      'the scheduler says nothing of it in the export; see whether it runs, and which one the pod asks for',
      { objects }
    )
  ];
}

/** Our own arithmetic beside the scheduler's verdict: what each node has left of what is asked. */
function room(facts: Facts, pod: Pod) {
  const asks = pod.spec.containers.flatMap((one) =>
    Object.entries(one.resources?.requests ?? {}).map(([key, value]) => `${key} ${String(value)}`)
  );
  return compact([
    asks.length ? field(pod, 'spec.containers[].resources.requests', asks.join(', ')) : undefined,
    ...facts
      .list('Node')
      .slice(0, 8)
      .map((node) => {
        const { milliCpu, memoryBytes } = facts.useOf(node.metadata.name);
        const given = node.status?.allocatable ?? {};
        return field(
          node,
          'status.allocatable',
          `cpu ${given.cpu ?? '?'}, ${milliCpu}m asked; memory ${given.memory ?? '?'}, ${Math.round(memoryBytes / 2 ** 20)}Mi asked; ${nodeReady(node) ? 'ready' : 'not ready'}${node.spec?.unschedulable ? ', cordoned' : ''}`
        );
      })
  ]);
}
