import { selectorMatches, termsMatch, type LabelSelector, type Node, type Pod } from '../../../model';
import type { Places } from './place-fault';
import { softUnevenness } from './spread';

interface NodeWish {
  readonly weight: number;
  readonly preference: Parameters<typeof termsMatch>[0][number];
}
interface PodWish {
  readonly weight: number;
  readonly podAffinityTerm: {
    readonly topologyKey: string;
    readonly labelSelector?: LabelSelector;
    readonly namespaces?: readonly string[];
  };
}
interface Wished {
  readonly nodeAffinity?: { readonly preferredDuringSchedulingIgnoredDuringExecution?: readonly NodeWish[] };
  readonly podAffinity?: { readonly preferredDuringSchedulingIgnoredDuringExecution?: readonly PodWish[] };
  readonly podAntiAffinity?: { readonly preferredDuringSchedulingIgnoredDuringExecution?: readonly PodWish[] };
}

/** A wish of full weight counts as much as two siblings on a node do. The scale is made up; the reference gives weights against each other only. */
const fullWeight = 8 / 100;

/** What a pod's wishes add to each node's score; undefined for a pod without any. Source: "Assigning Pods to Nodes", preferred rules. */
export function wishesOf(places: Places, pod: Pod): ((node: Node) => number) | undefined {
  const { nodeAffinity, podAffinity, podAntiAffinity } = (pod.spec.affinity ?? {}) as Wished;
  const nodes = nodeAffinity?.preferredDuringSchedulingIgnoredDuringExecution ?? [];
  const company = [
    ...(podAffinity?.preferredDuringSchedulingIgnoredDuringExecution ?? []).map((one) => ({ ...one, sign: 1 })),
    ...(podAntiAffinity?.preferredDuringSchedulingIgnoredDuringExecution ?? []).map((one) => ({ ...one, sign: -1 }))
  ].map(({ weight, sign, podAffinityTerm: term }) => ({ weight: weight * sign, term, domains: domainsOf(places, pod, term) }));
  const soft = softUnevenness(places, pod);
  const shunned = places.facts.nodes().some((node) => node.spec?.taints?.some((one) => one.effect === 'PreferNoSchedule'));
  if (!nodes.length && !company.length && !soft && !shunned) return undefined;
  return (node) => {
    let score = 0;
    for (const { weight, preference } of nodes)
      if (termsMatch([preference], node.metadata.labels, node.metadata.name)) score += weight * fullWeight;
    for (const { weight, term, domains } of company)
      score += weight * fullWeight * (domains.get(node.metadata.labels?.[term.topologyKey] ?? '') ?? 0);
    if (soft) score -= 2 * soft(node);
    if (node.spec?.taints?.some((one) => one.effect === 'PreferNoSchedule')) score -= 3;
    return score;
  };
}

/** How many pods that a term means each domain holds. */
function domainsOf({ facts, nodeOf }: Places, pod: Pod, term: PodWish['podAffinityTerm']): Map<string, number> {
  const counts = new Map<string, number>();
  for (const space of term.namespaces?.length ? term.namespaces : [pod.metadata.namespace ?? ''])
    for (const other of facts.podsLabelled(space, term.labelSelector?.matchLabels ?? {})) {
      const node =
        other.metadata.uid === pod.metadata.uid || !selectorMatches(term.labelSelector, other.metadata.labels) ? undefined : nodeOf(other);
      const domain = node === undefined ? undefined : facts.get('Node', '', node)?.metadata.labels?.[term.topologyKey];
      if (domain !== undefined) counts.set(domain, (counts.get(domain) ?? 0) + 1);
    }
  return counts;
}
