import { bytesOf, milliCpuOf, quantityOf, plural } from '../../shared';
import { asManifest } from '../../manifest';
import { askOf, conditionOf, memberName, ordinalsOf, ownerOf, refOf, roomOf, zoneOf, type Facts, type Node, type Pod } from '../../model';
import {
  claimShut,
  faultRemedies,
  faultSentence,
  heldBack,
  podClaimsOf,
  placeFaultsNow,
  podShut,
  withLimits,
  type PlaceFault,
  type Shut
} from '../../standin';
import { compact, field, lastEvent, lastOfMaker, look, madeMs, ref } from '../evidence';
import type { Evidence, JointRule, Look, Position, Remedy } from '../types';

/** The node's own figure behind a fault, as evidence. */
function nodeEvidence(facts: Facts, name: string, fault: PlaceFault, pod: Pod): Evidence {
  const node = facts.get('Node', '', name)!;
  const ask = askOf(pod.spec);
  const room = roomOf(node);
  switch (fault) {
    case 'volume-zone':
      return field(node, 'metadata.labels[topology.kubernetes.io/zone]', zoneOf(node) || 'none');
    case 'cpu':
      return field(node, 'status.allocatable.cpu', `${room.milliCpu}m in all, ${ask.milliCpu}m asked`);
    case 'memory':
      return field(
        node,
        'status.allocatable.memory',
        `${Math.round(room.memoryBytes / 2 ** 20)} MiB in all, ${Math.round(ask.memoryBytes / 2 ** 20)} MiB asked`
      );
    case 'unschedulable':
      return field(node, 'spec.unschedulable', true);
    case 'taint':
      return field(node, 'spec.taints', (node.spec?.taints ?? []).map((one) => `${one.key}:${one.effect}`).join(', '));
    case 'selector':
      return field(node, 'metadata.labels', node.metadata.labels ?? {});
    default:
      return field(node, 'status', fault);
  }
}

/** A node twice as large, as often as it takes for a pod to stand on it beside what stands there; what the system keeps stays as it is. */
function grown(facts: Facts, node: Node, pod: Pod): Node {
  const { milliCpu, memoryBytes } = askOf(pod.spec);
  const room = roomOf(node);
  const used = facts.useOf(node.metadata.name);
  const { capacity = {}, ...status } = node.status ?? {};
  const cpu = milliCpuOf(capacity.cpu ?? `${room.milliCpu}m`);
  const memory = bytesOf(capacity.memory ?? String(room.memoryBytes));
  let times = 1;
  while (
    (cpu * times - (cpu - room.milliCpu) < used.milliCpu + milliCpu ||
      memory * times - (memory - room.memoryBytes) < used.memoryBytes + memoryBytes) &&
    times < mostTimes
  )
    times *= 2;
  const allocatable = {
    ...status.allocatable,
    cpu: `${cpu * times - (cpu - room.milliCpu)}m`,
    memory: quantityOf(memory * times - (memory - room.memoryBytes))
  };
  const size = { ...capacity, cpu: String((cpu * times) / 1_000), memory: quantityOf(memory * times) };
  return asManifest({ ...node, status: { ...status, capacity: size, allocatable } }) as Node;
}

/** Larger nodes are offered up to so many times the size of those that there are. */
const mostTimes = 64;

/** Bigger nodes, where size alone keeps the pod from them: all alike, so that the members that come after it find room too. */
function biggerNodes(facts: Facts, pod: Pod, short: readonly Node[]): Remedy | undefined {
  const nodes = short.map((node) => grown(facts, node, pod));
  const [first] = nodes;
  if (!first) return undefined;
  const { cpu, memory } = first.status!.capacity!;
  return {
    text: `Give ${nodes.length === 1 ? `the node ${first.metadata.name}` : `the ${nodes.length} nodes`} ${cpu} CPU and ${memory} (the smallest doubling that takes the pod), or let it ask for less.`,
    manifests: nodes
  };
}

function noPlace(facts: Facts, pod: Pod): Look {
  const claims = podClaimsOf(facts, pod);
  const nodes = facts.list('Node');
  const faultOf = placeFaultsNow(facts, pod, claims);
  const faults = nodes.flatMap((node) => {
    const fault = faultOf(node);
    return fault ? [{ name: node.metadata.name, fault }] : [];
  });
  if (faults.length < nodes.length)
    return look('settling', '–', 'a node is being chosen', { settling: { sinceMs: madeMs(pod) ?? facts.nowMs, normalMs: [0, 3_000] } });
  const counted = new Map<PlaceFault, number>();
  for (const { fault } of faults) counted.set(fault, (counted.get(fault) ?? 0) + 1);
  const zonal = counted.has('volume-zone');
  const worst: PlaceFault = zonal ? 'volume-zone' : ([...counted].sort((a, b) => b[1] - a[1])[0]?.[0] ?? 'cpu');
  const short = worst === 'cpu' || worst === 'memory' ? faults.filter((one) => one.fault === 'cpu' || one.fault === 'memory') : [];
  const bigger = biggerNodes(
    facts,
    pod,
    nodes.filter((node) => short.some((one) => one.name === node.metadata.name))
  );
  const volumes = claims.bound.flatMap((claim) => facts.get('PersistentVolume', '', claim.spec.volumeName ?? '') ?? []);
  const zones = volumes.map((one) => field(one, 'spec.nodeAffinity', zoneIn(one.spec.nodeAffinity)));
  return look(
    'broken',
    pod.metadata.name,
    nodes.length ? `0 of ${plural(nodes.length, 'node')} can take it: ${faultSentence(counted)}` : 'the cluster has no nodes',
    {
      objects: [refOf(pod)],
      evidence: compact([
        ...(zonal ? zones : []),
        ...faults.slice(0, 12).map(({ name, fault }) => nodeEvidence(facts, name, fault, pod)),
        lastEvent(facts, pod, ['FailedScheduling'])
      ]),
      remedy: bigger ?? { text: faultRemedies[worst] }
    }
  );
}

interface Affinity {
  readonly required?: { readonly nodeSelectorTerms: { matchExpressions?: { key: string; values?: string[] }[] }[] };
}

const zoneIn = (affinity: Affinity | undefined): string =>
  (affinity?.required?.nodeSelectorTerms ?? [])
    .flatMap((term) => (term.matchExpressions ?? []).map((one) => `${one.key} in ${(one.values ?? []).join(', ')}`))
    .join(' or ');

/** Why the namespace doesn't let a member in, or one of its claims. */
function shutOut({ facts, set, maker, spec, labels, namespace, podName, claims }: Position): Shut | undefined {
  if (!facts.knowsProvider || !spec || podName === undefined) return undefined;
  for (const { name, spec: asked, claim } of claims) {
    if (claim || !asked) continue;
    const shut = claimShut(facts, { apiVersion: 'v1', kind: 'PersistentVolumeClaim', metadata: { name, namespace }, spec: asked });
    if (shut) return { ...shut, field: `spec.volumeClaimTemplates[].${shut.field}` };
  }
  const owner = set ?? maker;
  const pod: Pod = {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: { name: podName, namespace, ...(labels ? { labels } : {}), ...(owner ? { ownerReferences: [ownerOf(owner)] } : {}) },
    spec
  };
  const shut = podShut(facts, withLimits(pod, facts));
  return shut && { ...shut, field: `spec.template.${shut.field}` };
}

/** What a member that isn't there yet waits for. */
function notMade(at: Position): Look {
  const { facts, set, maker, ordinal, namespace, podName } = at;
  const label = podName ?? '–';
  const owner = set ?? maker;
  const failed = lastOfMaker(facts, owner, ['FailedCreate']);
  const shut = failed && shutOut(at);
  if (shut && owner)
    return look('broken', label, `can't be made: ${shut.message}`, {
      objects: [refOf(owner)],
      evidence: compact([{ object: refOf(owner), field: shut.field }, failed]),
      remedy: { text: shut.remedy }
    });
  if (failed) return look('waiting', label, "the member couldn't be made yet", { evidence: [failed] });
  const before =
    set && ordinal !== undefined
      ? ordinalsOf(set)
          .filter((one) => one < ordinal)
          .at(-1)
      : undefined;
  const previous = set && before !== undefined && set.spec.podManagementPolicy !== 'Parallel' ? memberName(set, before) : undefined;
  return look('waiting', label, previous ? `made when ${previous} is ready` : 'the member is about to be made', {
    objects: [ref('Pod', namespace, label)]
  });
}

/** Has the member a node? */
export const placing = {
  id: 'placing' as const,
  shared: false,
  title: 'Placed',
  why: 'A pod is placed by what it asks for, what it keeps apart from, what the nodes allow, and where its volumes can be reached.',
  perClaim: false,
  look(at) {
    const { facts, pod } = at;
    if (!pod) return at.podName === undefined ? undefined : notMade(at);
    const node = pod.spec.nodeName;
    if (node)
      return look(
        'holds',
        node,
        `on ${node}${zoneOf(facts.get('Node', '', node)) ? `, zone ${zoneOf(facts.get('Node', '', node))}` : ''}`,
        { objects: [refOf(pod)] }
      );
    const claims = podClaimsOf(facts, pod);
    const objects = [refOf(pod)];
    const scheduled = conditionOf(pod.status?.conditions, 'PodScheduled');
    const evidence = compact([
      scheduled && field(pod, 'status.conditions[PodScheduled]', `${scheduled.status} ${scheduled.reason ?? ''}`.trim())
    ]);
    const held = heldBack(pod);
    // Which schedulers a real cluster has isn't told by an export.
    if (held && (facts.knowsProvider || held.reason === 'SchedulingGated'))
      return look('broken', pod.metadata.name, held.says, { objects, evidence, remedy: { text: held.remedy } });
    if (held) return look('unseen', pod.metadata.name, `${held.says} here; look at who places pods there`, { objects, evidence });
    if (claims.missing.length) return look('waiting', pod.metadata.name, 'waits for its claim', { objects, evidence });
    const placed = noPlace(facts, pod);
    if (placed.state === 'broken') return placed;
    if (claims.choosing.length)
      return look('waiting', pod.metadata.name, 'a node is chosen; the member takes it when the volume is there', { objects, evidence });
    return placed;
  }
} satisfies JointRule;
