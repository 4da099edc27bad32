import {
  amountOf,
  amountText,
  containerAmounts,
  defaultClass,
  podAmounts,
  takesRoom,
  type Amounts,
  type ApiObject,
  type Claim,
  type Container,
  type Facts as AllFacts,
  type LimitRange,
  type Pod,
  type PodSpec,
  type ResourceQuota
} from '../../model';
import { levelOf, securityFaults } from '../../validation';
import { fieldOf } from '../../shared';

/** All that admission looks at. */
type Facts = Pick<AllFacts, 'get' | 'list'>;

/** Why a namespace, or the cluster, doesn't let an object in. */
export interface Shut {
  /** The field, from the object's top. */
  readonly field: string;
  readonly message: string;
  readonly remedy: string;
}

/** The plural under which a quota counts objects of a kind, with its group. Source: "Resource Quotas", object count quota. */
const counted: Readonly<Record<string, string>> = {
  Pod: 'pods',
  PersistentVolumeClaim: 'persistentvolumeclaims',
  Service: 'services',
  Secret: 'secrets',
  ConfigMap: 'configmaps',
  ResourceQuota: 'resourcequotas',
  StatefulSet: 'statefulsets.apps',
  Deployment: 'deployments.apps',
  ReplicaSet: 'replicasets.apps',
  DaemonSet: 'daemonsets.apps',
  Job: 'jobs.batch',
  CronJob: 'cronjobs.batch'
};
/** What is sent together with an object and comes before it. */
export class Coming {
  private readonly bySpace = new Map<string, ApiObject[]>();
  private readonly quotasBySpace = new Map<string, ResourceQuota[]>();
  private readonly classes = new Set<string>();

  add(object: ApiObject): void {
    if (object.kind === 'PriorityClass') this.classes.add(object.metadata.name);
    if (counted[object.kind] === undefined) return;
    const space = object.metadata.namespace ?? '';
    const put = <T>(map: Map<string, T[]>, one: T) => void (map.get(space)?.push(one) ?? map.set(space, [one]));
    put(this.bySpace, object);
    if (object.kind === 'ResourceQuota') put(this.quotasBySpace, object);
  }
  in = (space: string): readonly ApiObject[] => this.bySpace.get(space) ?? [];
  quotasIn = (space: string): readonly ResourceQuota[] => this.quotasBySpace.get(space) ?? [];
  hasClass = (name: string | undefined): boolean => name !== undefined && this.classes.has(name);
}
const nobody = new Coming();

type Item = NonNullable<LimitRange['spec']>['limits'][number];
type Quantities = Readonly<Record<string, string | number>>;

const itemsOf = (facts: Facts, namespace: string, type: string): Item[] =>
  facts.list('LimitRange', namespace).flatMap((one) => (one.spec?.limits ?? []).filter((item) => item.type === type));

/** What a container gets where it doesn't say. Source: "Limit Ranges", default and defaultRequest; LimitRangeItem v1 core. */
function defaultsOf(item: Item): { limits: Quantities; requests: Quantities } {
  const limits = { ...item.max, ...item.default };
  return { limits, requests: { ...item.min, ...limits, ...item.defaultRequest } };
}

function limited(container: Container, items: readonly Item[]): Container {
  const { limits, requests, ...rest } = container.resources ?? {};
  let [most, least] = [{ ...limits }, { ...limits, ...requests }] as [Quantities, Quantities];
  for (const item of items) {
    const usual = defaultsOf(item);
    most = { ...usual.limits, ...most };
    least = { ...usual.requests, ...least };
  }
  return { ...container, resources: { ...rest, limits: most as Record<string, string>, requests: least as Record<string, string> } };
}

/** Priorities that every cluster has. Source: the cluster API's "Guaranteed Scheduling For Critical Add-On Pods"; values from memory. */
const systemClasses: Readonly<Record<string, number>> = { 'system-cluster-critical': 2_000_000_000, 'system-node-critical': 2_000_001_000 };

interface Priority {
  readonly priority: number;
  readonly preemptionPolicy: string;
  readonly priorityClassName: string;
}

/** How much a pod matters; 'unknown' where its class isn't there. Source: "Pod Priority and Preemption". */
export function priorityOf(facts: Facts, { priorityClassName: name }: PodSpec): Priority | 'unknown' | undefined {
  if (name && systemClasses[name] !== undefined)
    return { priority: systemClasses[name], preemptionPolicy: 'PreemptLowerPriority', priorityClassName: name };
  const found = name
    ? facts.get('PriorityClass', '', name)
    : facts
        .list('PriorityClass')
        .filter((one) => one.globalDefault)
        .sort((a, b) => a.value - b.value)[0];
  if (!found) return name ? 'unknown' : undefined;
  return {
    priority: found.value,
    preemptionPolicy: found.preemptionPolicy ?? 'PreemptLowerPriority',
    priorityClassName: found.metadata.name
  };
}

/** A pod as admission fills it in: what its namespace gives containers that don't say, and what its priority class is worth. */
export function withLimits(pod: Pod, facts: Facts): Pod {
  const items = itemsOf(facts, pod.metadata.namespace ?? '', 'Container');
  const found = priorityOf(facts, pod.spec);
  const priority = found === 'unknown' ? undefined : found;
  if (!items.length && !priority) return pod;
  const fill = (list: readonly Container[]) => list.map((one) => limited(one, items));
  const { containers, initContainers } = pod.spec;
  return {
    ...pod,
    spec: {
      ...pod.spec,
      ...priority,
      ...(items.length ? { containers: fill(containers), ...(initContainers ? { initContainers: fill(initContainers) } : {}) } : {})
    }
  };
}

/** What one item refuses of amounts. Source: "Limit Ranges". */
function itemFault(item: Item, requests: Amounts, limits: Amounts): { resource: string; says: string } | undefined {
  const of = (map: Quantities | undefined) =>
    Object.entries(map ?? {}).flatMap(([name, value]) => {
      const amount = amountOf(name, value);
      return amount === undefined ? [] : [{ name, amount, text: String(value) }];
    });
  const text = (name: string, amount: number) => amountText(name, amount);
  for (const { name, amount, text: least } of of(item.min)) {
    const [asked, most] = [requests.get(name), limits.get(name)];
    if (asked === undefined) return { resource: name, says: `asks for no ${name}, and at least ${least} is wanted` };
    if (asked < amount) return { resource: name, says: `asks for ${text(name, asked)} of ${name}, and at least ${least} is wanted` };
    if (most !== undefined && most < amount)
      return { resource: name, says: `may have ${text(name, most)} of ${name}, and at least ${least} is wanted` };
  }
  for (const { name, amount, text: most } of of(item.max)) {
    const [asked, limit] = [requests.get(name), limits.get(name)];
    if (limit === undefined && item.type !== 'PersistentVolumeClaim')
      return { resource: name, says: `has no limit of ${name}, and at most ${most} is allowed` };
    if (limit !== undefined && limit > amount)
      return { resource: name, says: `may have ${text(name, limit)} of ${name}, and at most ${most} is allowed` };
    if (asked !== undefined && asked > amount)
      return { resource: name, says: `asks for ${text(name, asked)} of ${name}, and at most ${most} is allowed` };
  }
  for (const { name, amount } of of(item.maxLimitRequestRatio)) {
    const ratio = isCpuRatio(name, amount);
    const [asked, limit] = [requests.get(name), limits.get(name)];
    if (!asked || !limit) return { resource: name, says: `needs both a request and a limit of ${name}: their ratio is bounded` };
    if (limit / asked > ratio)
      return {
        resource: name,
        says: `may have ${(limit / asked).toFixed(1)} times the ${name} that it asks for, and at most ${ratio} times is allowed`
      };
  }
  return undefined;
}

/** A ratio is a plain number, also where the resource is counted in thousandths. */
const isCpuRatio = (name: string, amount: number): number => (name === 'cpu' ? amount / 1_000 : amount);

/** What the limit ranges of its namespace refuse of a pod. */
export function limitShut(facts: Facts, pod: Pod): Shut | undefined {
  const namespace = pod.metadata.namespace ?? '';
  const remedy = 'Keep within the LimitRange of the namespace, or alter that.';
  for (const list of ['initContainers', 'containers'] as const)
    for (const [i, one] of (pod.spec[list] ?? []).entries())
      for (const item of itemsOf(facts, namespace, 'Container')) {
        const fault = itemFault(item, containerAmounts(one, 'requests'), containerAmounts(one, 'limits'));
        if (fault) return { field: `spec.${list}[${i}].resources`, message: `the container ${one.name} ${fault.says}`, remedy };
      }
  for (const item of itemsOf(facts, namespace, 'Pod')) {
    const fault = itemFault(item, podAmounts(pod.spec, 'requests'), podAmounts(pod.spec, 'limits'));
    if (fault) return { field: 'spec.containers', message: `the pod in all ${fault.says}`, remedy };
  }
  return undefined;
}

/** Kinds that a quota can count. */
export const countedKinds = Object.keys(counted);

/** Of pods a quota counts these by their bare names, too. */
const bareNames = new Set(['cpu', 'memory', 'ephemeral-storage']);

const taken = new WeakMap<ApiObject, Amounts>();

/** What of a quota one object takes. Objects are replaced, never changed, so each is counted once; but for claims that name no class. */
export function takenBy(object: ApiObject, facts: Facts): Amounts {
  const known = taken.get(object);
  if (known) return known;
  const amounts = amountsOf(object, facts);
  if (object.kind !== 'PersistentVolumeClaim' || object.spec.storageClassName !== undefined) taken.set(object, amounts);
  return amounts;
}

function amountsOf(object: ApiObject, facts: Facts): Amounts {
  const found = new Map<string, number>();
  const put = (name: string, amount: number) => found.set(name, amount);
  const plural = counted[object.kind];
  if (plural === undefined || (object.kind === 'Pod' && !takesRoom(object))) return found;
  put(`count/${plural}`, 1);
  if (!plural.includes('.')) put(plural, 1);
  if (object.kind === 'Pod') {
    podAmounts(object.spec, 'requests').forEach((amount, name) => {
      put(`requests.${name}`, amount);
      if (bareNames.has(name)) put(name, amount);
    });
    podAmounts(object.spec, 'limits').forEach((amount, name) => put(`limits.${name}`, amount));
  }
  if (object.kind === 'PersistentVolumeClaim') {
    const size = amountOf('storage', object.spec.resources.requests.storage) ?? 0;
    const named = object.spec.storageClassName ?? defaultClass(facts)?.metadata.name;
    put('requests.storage', size);
    if (named) {
      put(`${named}.storageclass.storage.k8s.io/requests.storage`, size);
      put(`${named}.storageclass.storage.k8s.io/persistentvolumeclaims`, 1);
    }
  }
  if (object.kind === 'Service') {
    if (object.spec.type === 'LoadBalancer') put('services.loadbalancers', 1);
    if (object.spec.type === 'LoadBalancer' || object.spec.type === 'NodePort') put('services.nodeports', object.spec.ports?.length ?? 0);
  }
  return found;
}

type Scope = { scopeName: string; operator: string; values?: readonly string[] | undefined };

function inScope(pod: Pod, { scopeName, operator, values = [] }: Scope): boolean {
  const bestEffort = [...(pod.spec.initContainers ?? []), ...pod.spec.containers].every(
    (one) => !Object.keys(one.resources?.limits ?? {}).length && !Object.keys(one.resources?.requests ?? {}).length
  );
  const ends = (pod.spec as { activeDeadlineSeconds?: number }).activeDeadlineSeconds !== undefined;
  switch (scopeName) {
    case 'BestEffort':
      return bestEffort;
    case 'NotBestEffort':
      return !bestEffort;
    case 'Terminating':
      return ends;
    case 'NotTerminating':
      return !ends;
    case 'PriorityClass': {
      const name = pod.spec.priorityClassName;
      if (operator === 'Exists') return name !== undefined;
      if (operator === 'DoesNotExist') return name === undefined;
      return name !== undefined && values.includes(name) === (operator === 'In');
    }
    default:
      return false;
  }
}

/** Whether a quota counts an object. Source: "Resource Quotas", quota scopes. */
export function counts({ spec }: ResourceQuota, object: ApiObject): boolean {
  const scopes: Scope[] = [
    ...(spec?.scopes ?? []).map((scopeName) => ({ scopeName, operator: 'Exists' })),
    ...(spec?.scopeSelector?.matchExpressions ?? [])
  ];
  return !scopes.length || (object.kind === 'Pod' && scopes.every((one) => inScope(object, one)));
}

/** What stands in a quota's namespace that it counts. */
export function usedOf(facts: Facts, quota: ResourceQuota): Amounts {
  const hard = Object.keys(quota.spec?.hard ?? {});
  const used = new Map(hard.map((name) => [name, 0]));
  const namespace = quota.metadata.namespace ?? '';
  for (const kind of Object.keys(counted) as (keyof typeof counted)[])
    for (const object of facts.list(kind as 'Pod', namespace)) {
      if (!counts(quota, object)) continue;
      takenBy(object, facts).forEach((amount, name) => {
        if (used.has(name)) used.set(name, used.get(name)! + amount);
      });
    }
  return used;
}

/** What a quota wants every container to say, where it counts it. Source: "Resource Quotas", compute resource quota. */
export function unsaid(quota: ResourceQuota, pod: Pod): string | undefined {
  for (const name of Object.keys(quota.spec?.hard ?? {})) {
    const [part, resource] = bareNames.has(name) ? ['requests', name] : name.split(/\.(.*)/s);
    if ((part !== 'requests' && part !== 'limits') || !bareNames.has(resource ?? '')) continue;
    const silent = [...pod.spec.containers, ...(pod.spec.initContainers ?? [])].find((one) => !containerAmounts(one, part).has(resource!));
    if (silent) return `${part}.${resource} of the container ${silent.name}`;
  }
  return undefined;
}

/**
 * What the quotas of its namespace refuse of an object.
 * @param before the object as it stands; only what it takes more counts
 * @param coming what is sent together with it and comes before it
 */
export function quotaShut(facts: Facts, object: ApiObject, before?: ApiObject, coming = nobody): Shut | undefined {
  const namespace = object.metadata.namespace ?? '';
  if (counted[object.kind] === undefined) return undefined;
  const quotas = [...facts.list('ResourceQuota', namespace), ...coming.quotasIn(namespace)];
  for (const quota of quotas) {
    if (!counts(quota, object)) continue;
    const name = quota.metadata.name;
    const missing = object.kind === 'Pod' ? unsaid(quota, object) : undefined;
    if (missing)
      return {
        field: 'spec.containers',
        message: `the quota ${name} counts ${missing}, which it doesn't say`,
        remedy: 'Say it, or let a LimitRange fill it in.'
      };
    const wants = takenBy(object, facts);
    const had = before ? takenBy(before, facts) : new Map<string, number>();
    const used = usedOf(facts, quota);
    for (const [resource, limit] of Object.entries(quota.spec?.hard ?? {})) {
      const more = (wants.get(resource) ?? 0) - (had.get(resource) ?? 0);
      const hard = amountOf(resource, limit);
      if (more <= 0 || hard === undefined) continue;
      const beside = coming
        .in(namespace)
        .reduce((sum, one) => (counts(quota, one) ? sum + (takenBy(one, facts).get(resource) ?? 0) : sum), 0);
      const taken = (used.get(resource) ?? 0) + beside;
      if (taken + more <= hard) continue;
      return {
        field:
          object.kind === 'PersistentVolumeClaim'
            ? 'spec.resources.requests.storage'
            : object.kind === 'Pod'
              ? 'spec.containers'
              : 'metadata.name',
        message: `the quota ${name} is exceeded: ${amountText(resource, more)} of ${resource} asked for, ${amountText(resource, taken)} used, ${String(limit)} allowed`,
        remedy: `Ask for less, free some of it, or raise ${resource} in the quota ${name}.`
      };
    }
  }
  return undefined;
}

/** What the level of its namespace refuses of a pod. */
export function securityShut(facts: Facts, pod: Pod): Shut | undefined {
  const { namespace = '' } = pod.metadata;
  const level = levelOf(facts.get('Namespace', '', namespace)?.metadata.labels);
  const [fault] = securityFaults(pod.spec, level);
  return (
    fault && {
      field: fieldOf(fault.field),
      message: `${namespace} lets in pods of the level ${level} only, and ${fault.message.replace(/\.$/, '')}`,
      remedy: `${fault.remedy.replace(/\.$/, '')}, or let the namespace allow more (label pod-security.kubernetes.io/enforce).`
    }
  );
}

/** Why a pod isn't let in, as it is after {@link withLimits}. In the order of the cluster API's admission. */
export function podShut(facts: Facts, pod: Pod, coming = nobody): Shut | undefined {
  const limit = limitShut(facts, pod);
  if (limit) return limit;
  if (priorityOf(facts, pod.spec) === 'unknown' && !coming.hasClass(pod.spec.priorityClassName))
    return {
      field: 'spec.priorityClassName',
      message: `there is no PriorityClass ${pod.spec.priorityClassName}`,
      remedy: 'Send the class, or leave the field out.'
    };
  return securityShut(facts, pod) ?? quotaShut(facts, pod, undefined, coming);
}

/** What the limit ranges of its namespace refuse of a claim. */
export function claimLimitShut(facts: Facts, claim: Claim): Shut | undefined {
  const size = amountOf('storage', claim.spec.resources.requests.storage);
  const amounts: Amounts = size === undefined ? new Map() : new Map([['storage', size]]);
  for (const item of itemsOf(facts, claim.metadata.namespace ?? '', 'PersistentVolumeClaim')) {
    const fault = itemFault(item, amounts, new Map());
    if (fault)
      return {
        field: 'spec.resources.requests.storage',
        message: `the claim ${claim.metadata.name} ${fault.says}`,
        remedy: 'Keep within the LimitRange of the namespace, or alter that.'
      };
  }
  return undefined;
}

/** Why a claim isn't let in. */
export const claimShut = (facts: Facts, claim: Claim, before?: ApiObject, coming = nobody): Shut | undefined =>
  claimLimitShut(facts, claim) ?? quotaShut(facts, claim, before, coming);
