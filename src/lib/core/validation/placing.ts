import type { At } from './at';
import { namespaceName, selector } from './metadata';
import { labelValue, qualified } from './words';

const keyHelp = 'Write the key of a label, e.g. topology.kubernetes.io/zone.';

function requirements(at: At): void {
  for (const one of at.items) {
    const [key, operator, values] = [one.of('key'), one.of('operator'), one.of('values')];
    if (key.need('topology.kubernetes.io/zone')) key.follows(qualified, keyHelp);
    if (operator.need('In')) operator.oneOf(['In', 'NotIn', 'Exists', 'DoesNotExist', 'Gt', 'Lt']);
    const count = values.items.length;
    if ((operator.text === 'In' || operator.text === 'NotIn') && !count)
      values.refuse(`is empty; ${operator.text} asks for values`, 'Name at least one value.', 'missing-field');
    if ((operator.text === 'Exists' || operator.text === 'DoesNotExist') && count)
      values.refuse(`stands beside ${operator.text}, which takes no values`, 'Leave values out.');
    if ((operator.text === 'Gt' || operator.text === 'Lt') && count !== 1)
      values.refuse(`holds ${count}; ${operator.text} takes one`, 'Name one value.');
  }
}

/** Source: NodeSelectorTerm v1 core. */
export function nodeTerm(at: At): void {
  requirements(at.of('matchExpressions'));
  for (const one of at.of('matchFields').items) {
    const [key, operator, values] = [one.of('key'), one.of('operator'), one.of('values')];
    if (key.text !== 'metadata.name')
      key.refuse('must be metadata.name, the only field of nodes that can be asked for', 'Write metadata.name.');
    operator.oneOf(['In', 'NotIn']);
    if (values.items.length !== 1) values.refuse(`holds ${values.items.length}; one is taken`, 'Name one node.');
  }
}

/** Source: NodeSelector v1 core. */
export function nodeSelector(at: At): void {
  if (!at.there) return;
  const terms = at.of('nodeSelectorTerms');
  if (!terms.items.length) terms.refuse('is empty', 'Name at least one term.', 'missing-field');
  terms.items.forEach(nodeTerm);
}

/** Source: PodAffinityTerm v1 core. */
function term(at: At): void {
  const key = at.of('topologyKey');
  if (key.need('kubernetes.io/hostname')) key.follows(qualified, keyHelp);
  selector(at.of('labelSelector'));
  selector(at.of('namespaceSelector'));
  at.of('namespaces').items.forEach(namespaceName);
  for (const field of ['matchLabelKeys', 'mismatchLabelKeys'])
    for (const one of at.of(field).items) {
      one.follows(qualified, keyHelp);
      if (!at.of('labelSelector').there) one.refuse('stands without a labelSelector', 'Add labelSelector.');
    }
}

function weighted(at: At, inner: string): At[] {
  return at.items.map((one) => {
    if (one.of('weight').need('100')) one.of('weight').between(1, 100);
    return one.of(inner);
  });
}

/** Source: Affinity v1 core. */
export function affinity(at: At): void {
  nodeSelector(at.of('nodeAffinity', 'requiredDuringSchedulingIgnoredDuringExecution'));
  weighted(at.of('nodeAffinity', 'preferredDuringSchedulingIgnoredDuringExecution'), 'preference').forEach(nodeTerm);
  for (const kind of ['podAffinity', 'podAntiAffinity']) {
    at.of(kind, 'requiredDuringSchedulingIgnoredDuringExecution').items.forEach(term);
    weighted(at.of(kind, 'preferredDuringSchedulingIgnoredDuringExecution'), 'podAffinityTerm').forEach(term);
  }
}

/** Source: Toleration v1 core. */
export function toleration(at: At): void {
  const [key, operator, value, effect] = [at.of('key'), at.of('operator'), at.of('value'), at.of('effect')];
  if (key.text) key.follows(qualified, keyHelp);
  operator.oneOf(['', 'Equal', 'Exists']);
  effect.oneOf(['', 'NoSchedule', 'PreferNoSchedule', 'NoExecute']);
  if (!key.text && operator.text !== 'Exists')
    operator.refuse('must be Exists where no key is named', 'Write operator: Exists, or name a key.');
  if (operator.text === 'Exists') {
    if (value.text) value.refuse('stands beside operator Exists, which takes none', 'Leave value out.');
  } else value.follows(labelValue, 'Write the value of a taint.');
  if (at.of('tolerationSeconds').there && effect.text !== 'NoExecute')
    at.of('tolerationSeconds').refuse('goes with effect NoExecute only', 'Write effect: NoExecute, or leave the seconds out.');
}

/** Source: TopologySpreadConstraint v1 core. */
export function spread(at: At): void {
  at.unique((one) => `${one.of('topologyKey').text} ${one.of('whenUnsatisfiable').text}`, 'constraint of');
  for (const one of at.items) {
    const [skew, key, when, least] = [one.of('maxSkew'), one.of('topologyKey'), one.of('whenUnsatisfiable'), one.of('minDomains')];
    if (skew.need('1')) skew.between(1);
    if (key.need('topology.kubernetes.io/zone')) key.follows(qualified, keyHelp);
    if (when.need('DoNotSchedule')) when.oneOf(['DoNotSchedule', 'ScheduleAnyway']);
    least.between(1);
    if (least.there && when.text === 'ScheduleAnyway')
      least.refuse('goes with DoNotSchedule only', 'Write whenUnsatisfiable: DoNotSchedule, or leave it out.');
    for (const field of ['nodeAffinityPolicy', 'nodeTaintsPolicy']) one.of(field).oneOf(['Honor', 'Ignore']);
    selector(one.of('labelSelector'));
    const asked = new Set(one.of('labelSelector', 'matchLabels').entries.map(([name]) => name));
    for (const name of one.of('matchLabelKeys').items) {
      name.follows(qualified, keyHelp);
      if (!one.of('labelSelector').there) name.refuse('stands without a labelSelector', 'Add labelSelector.');
      if (asked.has(name.text ?? '')) name.refuse(`is "${name.text}", which the labelSelector asks for, too`, 'Name it once.');
    }
  }
}
