import { claimsOf, type Facts, type Node, type Outage, type Pod } from '../../model';

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

/** Whether a pod is the one that is listed. */
export const isPod = (one: { readonly namespace: string; readonly pod: string }, namespace: string, pod: string): boolean =>
  one.pod === pod && one.namespace === namespace;

/** What tells the program that runs in a pod from one that is started there later; undefined where the pod isn't there. */
export function programOf(facts: Facts, namespace: string, pod: string): string | undefined {
  const process = facts.get('Process', namespace, pod)?.metadata.uid;
  const found = process === undefined ? facts.get('Pod', namespace, pod) : undefined;
  return process ?? (found && `${found.metadata.uid} ${found.status?.containerStatuses?.[0]?.restartCount ?? 0}`);
}

/**
 * Since when a pod's program hangs (virtual ms); undefined where it doesn't.
 * @param outages all that stand; given where they are at hand
 */
export function hangsSince(
  facts: Facts,
  namespace: string,
  pod: string,
  outages: readonly Outage[] = facts.list('Outage')
): number | undefined {
  const mine = outages.flatMap(({ status }) => status?.hung?.filter((one) => isPod(one, namespace, pod)) ?? []);
  if (!mine.length) return undefined;
  const program = programOf(facts, namespace, pod);
  const since = mine.flatMap((one) => (one.program === program ? [one.sinceMs] : []));
  return since.length ? Math.min(...since) : undefined;
}

/** Whether a pod is cut off by itself from the other members, or from clients. */
export const keptApartFrom = (outages: readonly Outage[], namespace: string, pod: string, from: 'members' | 'clients'): boolean =>
  outages.some(({ spec }) => spec.apart?.some((one) => one.from === from && isPod(one, namespace, pod)));

/** Whether a claim's volume has no room left by an outage. */
export const isFilled = (facts: Facts, namespace: string, claim: string): boolean =>
  facts.list('Outage').some(({ spec }) => spec.full?.some((one) => one.claim === claim && one.namespace === namespace));

/** How much longer a write takes that goes to a pod's volumes: that of the slowest of them, in ms. */
export function sluggishMs(outages: readonly Outage[], { metadata, spec }: Pod): number {
  const slow = outages.flatMap((one) => one.spec.sluggish ?? []).filter((one) => one.namespace === metadata.namespace);
  if (!slow.length) return 0;
  const claims = claimsOf(spec, metadata.name);
  return Math.max(0, ...claims.map((claim) => slow.reduce((sum, one) => sum + (one.claim === claim ? one.ms : 0), 0)));
}

/** The node's own taint while nobody hears from it. Source: the cluster API's "Taints and Tolerations", taint based evictions. */
export const unreachableTaint = 'node.kubernetes.io/unreachable';
/** Set by a person: the node is surely off, so its pods and attachments may be given up at once. Source: "Non-graceful node shutdown". */
export const outOfServiceTaint = 'node.kubernetes.io/out-of-service';

/** Whether a node bears a taint. */
export const hasTaint = (node: Node | undefined, key: string): boolean => node?.spec?.taints?.some((one) => one.key === key) ?? false;
