import { nodeWanted, repellingTaint, selectorMatches, type LabelSelector, type Node, type Pod } from '../../../model';
import type { Places } from './place-fault';

interface SpreadRule {
  readonly topologyKey: string;
  readonly maxSkew: number;
  readonly whenUnsatisfiable?: string;
  readonly labelSelector?: LabelSelector;
  readonly matchLabelKeys?: readonly string[];
  readonly minDomains?: number;
  readonly nodeAffinityPolicy?: string;
  readonly nodeTaintsPolicy?: string;
}

const rulesOf = (pod: Pod): readonly SpreadRule[] =>
  (pod.spec as { topologySpreadConstraints?: readonly SpreadRule[] }).topologySpreadConstraints ?? [];

/** How many of the pods that a rule means each domain holds that counts. */
function counted({ facts, podsOn }: Places, rule: SpreadRule, pod: Pod): Map<string, number> {
  const counts = new Map<string, number>();
  for (const node of facts.nodes()) {
    const domain = node.metadata.labels?.[rule.topologyKey];
    if (domain === undefined || (rule.nodeAffinityPolicy !== 'Ignore' && !nodeWanted(pod.spec, node))) continue;
    if (rule.nodeTaintsPolicy === 'Honor' && repellingTaint(node, pod.spec.tolerations)) continue;
    const siblings = podsOn(node.metadata.name).filter(
      (other) =>
        other.metadata.uid !== pod.metadata.uid &&
        other.metadata.namespace === pod.metadata.namespace &&
        !other.metadata.deletionTimestamp &&
        means(rule, pod, other)
    );
    counts.set(domain, (counts.get(domain) ?? 0) + siblings.length);
  }
  return counts;
}

const means = (rule: SpreadRule, pod: Pod, other: Pod): boolean =>
  selectorMatches(rule.labelSelector, other.metadata.labels) &&
  (rule.matchLabelKeys ?? []).every(
    (key) => pod.metadata.labels?.[key] === undefined || pod.metadata.labels[key] === other.metadata.labels?.[key]
  );

/**
 * Whether a pod on a node would make the spread of those that a rule means more uneven than it allows. With fewer domains than minDomains
 * the emptiest counts as empty. Source: the cluster API's "Pod Topology Spread Constraints" (DoNotSchedule).
 */
export function unevenness(places: Places, pod: Pod): ((node: Node) => boolean) | undefined {
  const rules = rulesOf(pod).filter((one) => one.whenUnsatisfiable !== 'ScheduleAnyway');
  if (!rules.length) return undefined;
  const looked = rules.map((rule) => {
    const counts = counted(places, rule, pod);
    const least = counts.size < (rule.minDomains ?? 1) ? 0 : Math.min(...counts.values());
    return { rule, counts, least, self: means(rule, pod, pod) ? 1 : 0 };
  });
  return (node) =>
    looked.some(({ rule, counts, least, self }) => {
      const mine = node.metadata.labels?.[rule.topologyKey];
      return mine === undefined || (counts.get(mine) ?? 0) + self - least > rule.maxSkew;
    });
}

/** What the softer rules have against a node: how many more it would hold than allowed. */
export function softUnevenness(places: Places, pod: Pod): ((node: Node) => number) | undefined {
  const rules = rulesOf(pod).filter((one) => one.whenUnsatisfiable === 'ScheduleAnyway');
  if (!rules.length) return undefined;
  const looked = rules.map((rule) => ({ rule, counts: counted(places, rule, pod) }));
  return (node) =>
    looked.reduce((sum, { rule, counts }) => {
      const mine = node.metadata.labels?.[rule.topologyKey];
      return sum + (mine === undefined ? rule.maxSkew : (counts.get(mine) ?? 0));
    }, 0);
}
