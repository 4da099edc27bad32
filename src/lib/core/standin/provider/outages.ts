import type { Facts, Node } from '../../model';

/** Whether a node has no power. */
export const isDark = (facts: Facts, node: string): boolean => facts.list('Outage').some(({ spec }) => spec.dark?.includes(node));

/** Whether the control members don't hear from a node: it has no power, or is cut off. */
export const isUnheard = (facts: Facts, node: string): boolean =>
  facts.list('Outage').some(({ spec }) => spec.dark?.includes(node) || spec.cut?.some((group) => group.includes(node)));

/** Whether two nodes reach each other. Nodes in no group of a cut reach all others in none. */
export function nodesReach(facts: Facts, a: string, b: string): boolean {
  if (a === b) return true;
  return facts.list('Outage').every(({ spec }) => {
    const groupOf = (node: string) => spec.cut?.findIndex((group) => group.includes(node)) ?? -1;
    return groupOf(a) === groupOf(b);
  });
}

/** How much longer a message takes that leaves or enters a node, in ms. */
export const slowMs = (facts: Facts, node: string): number =>
  facts.list('Outage').reduce((sum, { spec }) => sum + (spec.slow?.find((one) => one.node === node)?.ms ?? 0), 0);

/** The node's own taint while nobody hears from it. Source: the cluster API's "Taints and Tolerations", taint based evictions. */
export const unreachableTaint = 'node.kubernetes.io/unreachable';
/** Set by a person: the node is surely off, so its pods and attachments may be given up at once. Source: "Non-graceful node shutdown". */
export const outOfServiceTaint = 'node.kubernetes.io/out-of-service';

/** Whether a node bears a taint. */
export const hasTaint = (node: Node | undefined, key: string): boolean => node?.spec?.taints?.some((one) => one.key === key) ?? false;
