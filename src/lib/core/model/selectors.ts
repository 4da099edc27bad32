import type { LabelSelector } from './meta';
import type { Node, PodSpec, Toleration } from './pod-kinds';
import { zoneLabel } from './pods';

type Labels = Readonly<Record<string, string>> | undefined;

/** Whether labels answer to every pair of a plain selector. An empty or missing selector matches nothing (as for services). */
export function pairsMatch(selector: Labels, labels: Labels): boolean {
  if (!selector) return false;
  let any = false;
  for (const key in selector) {
    any = true;
    if (labels?.[key] !== selector[key]) return false;
  }
  return any;
}

/** Whether labels answer to a label selector. An empty selector matches everything. Source: the cluster API's "Labels and Selectors". */
export function selectorMatches(selector: LabelSelector | undefined, labels: Labels): boolean {
  if (!selector) return false;
  for (const key in selector.matchLabels) if (labels?.[key] !== selector.matchLabels[key]) return false;
  return (selector.matchExpressions ?? []).every((one) => requirementHolds(labels, one));
}

interface Requirement {
  readonly key: string;
  readonly operator: string;
  readonly values?: string[] | undefined;
}

interface Term {
  readonly matchExpressions?: readonly Requirement[] | undefined;
  /** Of a node's own fields its name alone. */
  readonly matchFields?: readonly Requirement[] | undefined;
}

/** What isn't written as a whole number is neither more nor less than another. */
const whole = (text: string | undefined): number => (text !== undefined && /^[+-]?\d+$/.test(text) ? Number(text) : NaN);

function requirementHolds(labels: Labels, { key, operator, values = [] }: Requirement): boolean {
  const value = labels?.[key];
  switch (operator) {
    case 'In':
      return value !== undefined && values.includes(value);
    case 'NotIn':
      return value === undefined || !values.includes(value);
    case 'Exists':
      return value !== undefined;
    case 'DoesNotExist':
      return value === undefined;
    case 'Gt':
      return whole(value) > whole(values[0]);
    case 'Lt':
      return whole(value) < whole(values[0]);
    default:
      return false;
  }
}

const namesHold = (name: string | undefined, fields: readonly Requirement[] | undefined): boolean =>
  (fields ?? []).every((one) => requirementHolds(name === undefined ? undefined : { 'metadata.name': name }, one));

/**
 * Whether a node's labels, and its name, answer to one of the terms (terms are alternatives, their expressions must all hold; one without
 * any matches nothing). Source: NodeSelectorTerm v1 core.
 */
export const termsMatch = (terms: readonly Term[], labels: Labels, name?: string): boolean =>
  terms.some(
    ({ matchExpressions, matchFields }) =>
      (matchExpressions?.length ?? 0) + (matchFields?.length ?? 0) > 0 &&
      (matchExpressions ?? []).every((requirement) => requirementHolds(labels, requirement)) &&
      namesHold(name, matchFields)
  );

interface Taint {
  readonly key: string;
  readonly value?: string | undefined;
  readonly effect: string;
}

/** Whether a toleration bears with a taint. Source: "Taints and Tolerations". */
export const tolerates = (t: Toleration, taint: Taint): boolean =>
  (t.effect === undefined || t.effect === '' || t.effect === taint.effect) &&
  (t.key === undefined || t.key === '' ? t.operator === 'Exists' : t.key === taint.key) &&
  (t.operator === 'Exists' || (t.value ?? '') === (taint.value ?? ''));

/** The taint that keeps a pod off a node (NoSchedule or NoExecute, not tolerated), or undefined. */
export function repellingTaint(node: Node, tolerations: readonly Toleration[] | undefined) {
  const taints = node.spec?.taints ?? [];
  return taints.find((taint) => {
    if (taint.effect === 'PreferNoSchedule') return false;
    return !(tolerations ?? []).some((one) => tolerates(one, taint));
  });
}

/** The only node that a pod asks for by its name, or stands on: that of a daemon set's. Source: NodeSelectorTerm v1 core, matchFields. */
export function nodeMeant({ spec }: { readonly spec: PodSpec }): string | undefined {
  if (spec.nodeName) return spec.nodeName;
  const terms: readonly Term[] | undefined = spec.affinity?.nodeAffinity?.requiredDuringSchedulingIgnoredDuringExecution?.nodeSelectorTerms;
  const field = terms?.length === 1 ? terms[0]!.matchFields?.[0] : undefined;
  return field?.operator === 'In' && field.values?.length === 1 ? field.values[0] : undefined;
}

/** Whether a pod's node selector and required node affinity accept a node. */
export function nodeWanted(spec: PodSpec, node: Node): boolean {
  const labels = node.metadata.labels;
  for (const key in spec.nodeSelector) if (labels?.[key] !== spec.nodeSelector[key]) return false;
  const terms = spec.affinity?.nodeAffinity?.requiredDuringSchedulingIgnoredDuringExecution?.nodeSelectorTerms;
  return !terms || termsMatch(terms, labels, node.metadata.name);
}

/**
 * How members of a template keep apart by what is required, preferences aside: `zones` evenly (or one to a zone), `nodes` one to a node,
 * `both`, or `no`. Sources: PodAntiAffinity and TopologySpreadConstraint v1 core.
 */
export function keepsApart({ affinity, topologySpreadConstraints }: PodSpec): 'both' | 'zones' | 'nodes' | 'no' {
  const keys = [
    ...(affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? []).map((one) => one.topologyKey),
    ...(Array.isArray(topologySpreadConstraints) ? (topologySpreadConstraints as Partial<Record<string, string>>[]) : []).flatMap((one) =>
      one.whenUnsatisfiable === 'ScheduleAnyway' || one.topologyKey !== zoneLabel ? [] : [one.topologyKey]
    )
  ];
  const zones = keys.includes(zoneLabel);
  const nodes = keys.includes('kubernetes.io/hostname');
  return zones && nodes ? 'both' : zones ? 'zones' : nodes ? 'nodes' : 'no';
}
