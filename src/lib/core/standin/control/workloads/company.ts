import { selectorMatches, type Facts, type Node, type Pod } from '../../../model';
import type { Places } from './place-fault';

type Affinity = NonNullable<Pod['spec']['affinity']>;
type Term = NonNullable<NonNullable<Affinity['podAntiAffinity']>['requiredDuringSchedulingIgnoredDuringExecution']>[number] & {
  readonly namespaceSelector?: Parameters<typeof selectorMatches>[0];
  readonly matchLabelKeys?: readonly string[];
};

const noTerms: readonly Term[] = [];
const antiTerms = (pod: Pod): readonly Term[] =>
  (pod.spec.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution as readonly Term[] | undefined) ?? noTerms;
const nearTerms = (pod: Pod): readonly Term[] =>
  (pod.spec.affinity as { podAffinity?: { requiredDuringSchedulingIgnoredDuringExecution?: readonly Term[] } } | undefined)?.podAffinity
    ?.requiredDuringSchedulingIgnoredDuringExecution ?? noTerms;

/** Namespaces that a term of a pod looks at. Source: PodAffinityTerm v1 core, namespaces and namespaceSelector. */
function spacesOf(facts: Facts, { namespaces, namespaceSelector }: Term, owner: Pod): readonly string[] {
  if (!namespaceSelector) return namespaces?.length ? namespaces : [owner.metadata.namespace ?? ''];
  const chosen = facts
    .list('Namespace')
    .filter((one) => selectorMatches(namespaceSelector, one.metadata.labels))
    .map((one) => one.metadata.name);
  return [...new Set([...(namespaces ?? []), ...chosen])];
}

/** Whether a term of one pod means another: its labels, and of matchLabelKeys the same value as its owner has. */
const means = (term: Term, owner: Pod, other: Pod): boolean =>
  selectorMatches(term.labelSelector, other.metadata.labels) &&
  (term.matchLabelKeys ?? []).every(
    (key) => owner.metadata.labels?.[key] === undefined || owner.metadata.labels[key] === other.metadata.labels?.[key]
  );

const meant = (facts: Facts, term: Term, owner: Pod): Pod[] =>
  spacesOf(facts, term, owner).flatMap((space) =>
    facts
      .podsLabelled(space, term.labelSelector?.matchLabels ?? {})
      .filter((other) => other.metadata.uid !== owner.metadata.uid && means(term, owner, other))
  );

const sameNode = 'kubernetes.io/hostname';

/** Nodes, and other domains, in which a pod can't stand because of pods that are kept apart from it. */
export interface Apart {
  readonly nodes: ReadonlySet<string>;
  readonly domains: readonly { readonly topologyKey: string; readonly value: string }[];
}

/** Where the pods stand that a pod keeps apart from, and those that keep apart from it. Found by labels, not node by node. */
export function apartOf({ facts, nodeOf }: Places, pod: Pod): Apart {
  const nodes = new Set<string>();
  const domains: { topologyKey: string; value: string }[] = [];
  const avoid = (node: string | undefined, { topologyKey }: Term) => {
    if (node === undefined) return;
    if (topologyKey === sameNode) nodes.add(node);
    else {
      const value = facts.get('Node', '', node)?.metadata.labels?.[topologyKey];
      if (value !== undefined) domains.push({ topologyKey, value });
    }
  };
  for (const term of antiTerms(pod)) for (const other of meant(facts, term, pod)) avoid(nodeOf(other), term);
  for (const other of facts.podsApartFrom(pod)) {
    const node = other.metadata.uid === pod.metadata.uid ? undefined : nodeOf(other);
    if (node === undefined) continue;
    for (const term of antiTerms(other))
      if (means(term, other, pod) && spacesOf(facts, term, other).includes(pod.metadata.namespace ?? '')) avoid(node, term);
  }
  return { nodes, domains };
}

export const keptApart = ({ nodes, domains }: Apart, { metadata }: Node): boolean =>
  nodes.has(metadata.name) || domains.some(({ topologyKey, value }) => metadata.labels?.[topologyKey] === value);

/**
 * Whether a node lacks the company that a pod asks for. A pod that asks for its own like may be the first of them. Source: "Assigning Pods
 * to Nodes", inter-pod affinity.
 */
export function lacksCompany({ facts, nodeOf }: Places, pod: Pod): ((node: Node) => boolean) | undefined {
  const terms = nearTerms(pod);
  if (!terms.length) return undefined;
  const standing = terms
    .map((term) => meant(facts, term, pod))
    .reduce((some, next) => some.filter((one) => next.includes(one)))
    .flatMap((one) => nodeOf(one) ?? []);
  const values = terms.map(
    ({ topologyKey }) => new Set(standing.map((node) => facts.get('Node', '', node)?.metadata.labels?.[topologyKey]))
  );
  const first =
    !standing.length && terms.every((term) => means(term, pod, pod) && spacesOf(facts, term, pod).includes(pod.metadata.namespace ?? ''));
  return ({ metadata }) =>
    terms.some(({ topologyKey }, i) => {
      const value = metadata.labels?.[topologyKey];
      return value === undefined || !(first || values[i]!.has(value));
    });
}
