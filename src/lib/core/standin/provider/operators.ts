import { allows, rulesFor } from './accounts';
import { isReady, type Deployment, type Facts, type Kind, type Pod } from '../../model';
import { imageCard, imageParts, operatorImages, type ImageVersion } from './images';

/** Custom resources that operators look after. */
export type OperatedKind = 'MemoryCluster' | 'MemoryDatabase' | 'DocumentSet' | 'OperatorOrder';

/** What the stand-in knows of an operator: what it looks after, and what it needs once per cluster. All made up. */
export interface OperatorCard {
  readonly id: keyof typeof operatorImages;
  readonly title: string;
  readonly says: string;
  readonly namespace: string;
  /** Name of its account, deployment, role and service. */
  readonly name: string;
  readonly kinds: readonly { readonly kind: OperatedKind; readonly plural: string }[];
  /** What it makes, by API group. */
  readonly makes: readonly { readonly group: string; readonly resources: readonly string[] }[];
  /** The kind whose objects it looks over before they are taken. */
  readonly admits?: OperatedKind;
}

/** Operators of the shelf. */
export const operatorCards: readonly OperatorCard[] = [
  {
    id: 'memory',
    title: 'in-memory stores',
    says: 'Expands a cluster of nodes, lays databases with shards and replicas over them, and checks each database before it is taken.',
    namespace: 'memory-system',
    name: 'memory-operator',
    kinds: [
      { kind: 'MemoryCluster', plural: 'memoryclusters' },
      { kind: 'MemoryDatabase', plural: 'memorydatabases' }
    ],
    makes: [
      { group: 'apps', resources: ['statefulsets'] },
      { group: '', resources: ['services', 'secrets'] }
    ],
    admits: 'MemoryDatabase'
  },
  {
    id: 'documents',
    title: 'document sets',
    says: 'Expands a document replica set: certificate with every name, credentials, names, members.',
    namespace: 'documents-system',
    name: 'document-operator',
    kinds: [{ kind: 'DocumentSet', plural: 'documentsets' }],
    makes: [
      { group: 'apps', resources: ['statefulsets'] },
      { group: '', resources: ['services', 'secrets', 'configmaps'] },
      { group: 'engines.standin.example', resources: ['issuers', 'certificates'] }
    ]
  },
  {
    id: 'manager',
    title: 'operators from the catalogue',
    says: 'Installs operators that are ordered, once somebody has agreed to the rights that they take.',
    namespace: 'operators',
    name: 'operator-manager',
    kinds: [{ kind: 'OperatorOrder', plural: 'operatororders' }],
    makes: [
      { group: 'apps', resources: ['deployments'] },
      { group: '', resources: ['namespaces', 'serviceaccounts', 'services'] },
      { group: 'rbac.authorization.k8s.io', resources: ['clusterroles', 'clusterrolebindings'] },
      { group: 'apiextensions.k8s.io', resources: ['customresourcedefinitions'] },
      { group: 'admissionregistration.k8s.io', resources: ['validatingwebhookconfigurations'] },
      { group: 'engines.standin.example', resources: ['issuers', 'certificates'] }
    ]
  }
];

const byKind = new Map<Kind, OperatorCard>(operatorCards.flatMap((card) => card.kinds.map(({ kind }) => [kind, card] as const)));

/** The operator that looks after a kind; undefined for kinds that need none. */
export const operatorOf = (kind: Kind): OperatorCard | undefined => byKind.get(kind);
/** The plural of an operated kind, as rights name it. */
export const pluralOf = (kind: OperatedKind): string => byKind.get(kind)!.kinds.find((one) => one.kind === kind)!.plural;
/** Name of a kind's definition. */
export const definitionName = (kind: OperatedKind): string => `${pluralOf(kind)}.engines.standin.example`;

/** An operator by the name that orders use. */
export const operatorNamed = (name: string): OperatorCard | undefined => operatorCards.find((one) => one.name === name);
/** Versions of an operator's image on the shelf. */
export const versionsOf = ({ id }: OperatorCard): readonly ImageVersion[] => imageCard(operatorImages[id]).versions ?? [];

/** Whether a pod or deployment is an operator. */
export const runsOperator = (one: Pod | Deployment, { id }: Pick<OperatorCard, 'id'>): boolean => {
  const spec = one.kind === 'Pod' ? one.spec : one.spec.template.spec;
  // Whoever mirrors it keeps its path.
  return spec.containers.some((two) =>
    imageParts(two.image).repository.endsWith(operatorImages[id].slice(operatorImages[id].indexOf('/')))
  );
};

/** The operator that a pod is, if it is one. */
export function operatorIn(pod: Pod): OperatorCard | undefined {
  const { containers } = pod.spec;
  if (!operatorsIn.has(containers))
    operatorsIn.set(
      containers,
      operatorCards.find((card) => runsOperator(pod, card))
    );
  return operatorsIn.get(containers);
}

const operatorsIn = new WeakMap<object, OperatorCard | undefined>();

/** Pods that run an operator. */
export const operatorPods = (facts: Facts, card: OperatorCard): Pod[] => facts.list('Pod').filter((one) => runsOperator(one, card));
/** Deployments that run an operator. */
export const operatorDeployments = (facts: Facts, card: OperatorCard): Deployment[] =>
  facts.list('Deployment').filter((one) => runsOperator(one, card));

/** Namespaces that an operator watches; undefined: all. */
export function watchesOf({ spec }: { readonly spec: Pod['spec'] }): readonly string[] | undefined {
  const text = spec.containers.flatMap((one) => one.env ?? []).find((one) => one.name === 'LOOKS_AFTER')?.value;
  return text === undefined || text.trim() === '' ? undefined : text.split(',').map((one) => one.trim());
}

/** What an operator's account may not make in a namespace, of what it has to: names of resources. Source: the cluster API's "Using RBAC Authorization". */
export function rightsLacking(facts: Facts, card: OperatorCard, pod: Pod, namespace: string): string[] {
  const rules = rulesFor(facts, { namespace: pod.metadata.namespace ?? '', name: pod.spec.serviceAccountName ?? 'default' }, namespace);
  const wanted = [
    { group: 'engines.standin.example', resources: card.kinds.map((one) => one.plural), verb: 'update' },
    ...card.makes.map((one) => ({ ...one, verb: 'create' }))
  ];
  return wanted.flatMap(({ group, resources, verb }) => resources.filter((resource) => !allows(rules, { group, resource, verb })));
}

/** Why no operator looks after custom resources of a namespace. */
export interface OperatorFault {
  readonly reason: 'NoOperator' | 'OperatorNotReady' | 'NotWatched' | 'Forbidden';
  readonly message: string;
  /** The pod in question. */
  readonly pod?: Pod;
}

/** Why nobody looks after custom resources of a kind in a namespace; undefined when somebody does. */
export function operatorFault(facts: Facts, card: OperatorCard, namespace: string): OperatorFault | undefined {
  const pods = operatorPods(facts, card);
  const deployments = operatorDeployments(facts, card);
  if (!pods.length && !deployments.length) return { reason: 'NoOperator', message: `No operator of ${card.title} is installed.` };
  const ready = pods.filter(isReady);
  if (!ready.length) {
    const one = deployments[0];
    return {
      reason: 'OperatorNotReady',
      message: `The operator ${one ? `${one.metadata.namespace}/${one.metadata.name}` : card.name} is not ready: 0 of ${one?.spec.replicas ?? 1}.`,
      ...(pods[0] ? { pod: pods[0] } : {})
    };
  }
  const watching = ready.filter((pod) => watchesOf(pod)?.includes(namespace) ?? true);
  if (!watching.length)
    return { reason: 'NotWatched', message: `The operator watches ${watchesOf(ready[0]!)!.join(', ')}, not ${namespace}.`, pod: ready[0]! };
  const lacking = watching.map((pod) => rightsLacking(facts, card, pod, namespace));
  if (lacking.some((one) => !one.length)) return undefined;
  const [pod] = watching;
  return {
    reason: 'Forbidden',
    message: `The operator's account ${pod!.metadata.namespace}/${pod!.spec.serviceAccountName ?? 'default'} may not make or alter ${lacking[0]!.join(', ')} in ${namespace}.`,
    pod: pod!
  };
}

/** Whether objects of a kind are looked over before they are taken: its operator's admission step is set up. */
export const isAdmitted = (facts: Facts, kind: OperatedKind): boolean =>
  facts.list('ValidatingWebhookConfiguration').some((one) => one.webhooks?.some((hook) => hook.name.startsWith(pluralOf(kind))));

/** What an operator may make, in a few words. */
export const rightsWords = ({ makes }: OperatorCard): string => makes.flatMap((one) => one.resources).join(', ');
