import {
  conditionOf,
  isReady,
  nodeReady,
  pairsMatch,
  podsMadeBy,
  refOf,
  type ApiObject,
  type Condition,
  type DaemonSet,
  type Deployment,
  type Facts,
  type Job,
  type OtherObject,
  type Pod,
  type Ref,
  type ReplicaSet,
  type Service
} from '../../model';
import { eventsAbout, replicasOf, saidIn, scopeIn, tellingPart, timeOf } from '../../exports';
import { compact, field, look } from '../evidence';
import { podPosition, unmadePosition } from '../position';
import type { Position } from '../types';
import { nodeFault } from './node';
import { brokenBy, evidenceOf, placed, remedyFor, underWay, type Placed } from './place';
import { missingPort } from './reach';
import { stageOf } from './stage';

/** Whoever makes pods, but for sets. */
export type Owner = Deployment | ReplicaSet | DaemonSet | Job;

/** Where one looks from when one asks about a pod, with all its claims and its maker. */
export function podPlace(facts: Facts, pod: Pod): Position {
  const at = podPosition(facts, pod);
  const namespace = pod.metadata.namespace ?? '';
  const owner = pod.metadata.ownerReferences?.find((one) => one.controller) ?? pod.metadata.ownerReferences?.[0];
  const maker =
    owner && ['ReplicaSet', 'DaemonSet', 'Job', 'StatefulSet'].includes(owner.kind)
      ? facts.get(owner.kind as 'ReplicaSet', namespace, owner.name)
      : undefined;
  return { ...at, ...(maker ? { maker } : {}) };
}

const revision = 'deployment.kubernetes.io/revision';

/** The replica sets of a deployment, the newest first. */
function replicaSetsOf(facts: Facts, one: Deployment): ReplicaSet[] {
  const all = facts.ownedBy(one.metadata.uid ?? '-').filter((two): two is ReplicaSet => two.kind === 'ReplicaSet');
  const of = (two: ReplicaSet) => Number(two.metadata.annotations?.[revision] ?? 0);
  return all.sort((a, b) => of(b) - of(a) || (timeOf(b.metadata.creationTimestamp) ?? 0) - (timeOf(a.metadata.creationTimestamp) ?? 0));
}

/** Pods of an owner that count: those that ran to their end or were put out, and were replaced, don't. */
export function podsOf(facts: Facts, owner: Owner): Pod[] {
  const all = podsMadeBy(facts, owner);
  const living = all.filter((one) => stageOf(one) !== 'failed' && stageOf(one) !== 'ended');
  return living.length && owner.kind !== 'Job' ? living : all;
}

/** How many pods an owner wants at a time. */
const wantedOf = (owner: Owner): number => (owner.kind === 'Job' ? 1 : replicasOf(owner).wanted);

/** The positions of an owner's pods; one more where pods are missing, so that it is told why. */
export function ownerPositions(facts: Facts, owner: Owner): Position[] {
  const pods = podsOf(facts, owner);
  const newest = owner.kind === 'Deployment' ? replicaSetsOf(facts, owner)[0] : undefined;
  const positions = pods.map((pod) => podPlace(facts, pod));
  const ended = owner.kind === 'Job' && pods.length > 0;
  const living = pods.filter((one) => stageOf(one) !== 'going').length;
  if (ended || living >= wantedOf(owner)) return positions;
  const missing = unmadePosition(facts, owner, newest ?? owner);
  // What the pods that stand say of their claims is enough.
  return [...positions, pods.length ? { ...missing, claims: [] } : missing];
}

/** A service by itself: does it lead to anybody? */
export function serviceLooks(facts: Facts, service: Service): Placed[] {
  const { name, namespace = '' } = service.metadata;
  const objects = [refOf(service)];
  const selector = service.spec.selector;
  const said = (state: 'holds' | 'broken' | 'waiting' | 'unseen', says: string, more = {}) => [
    placed('service', look(state, name, says, { objects, ...more }))
  ];
  if (!selector || service.spec.type === 'ExternalName')
    return said('unseen', 'selects nobody by itself: its endpoints are put in by hand, or it leads out of the cluster');
  if (scopeIn(facts).of('Pod', namespace) !== 'contained') return said('unseen', `pods of ${namespace} are not in the export`);
  const pods = facts
    .list('Pod', namespace)
    .filter((pod) => pairsMatch(selector, pod.metadata.labels) && stageOf(pod) !== 'ended' && stageOf(pod) !== 'failed');
  const evidence = [field(service, 'spec.selector', selector)];
  if (!pods.length) {
    const makers = (['StatefulSet', 'Deployment', 'DaemonSet', 'ReplicaSet', 'Job'] as const).flatMap(
      (kind) => facts.list(kind, namespace) as Owner[]
    );
    const maker = makers.find((one) => pairsMatch(selector, one.spec.template?.metadata?.labels));
    if (maker) return said('waiting', `${maker.metadata.name}, which it is for, has no pods`, { evidence });
    return said('broken', 'its selector matches no pod, and no workload that makes any', { evidence, ...remedyFor('service') });
  }
  const port = missingPort(service, pods[0]!.spec);
  if (port !== undefined)
    return said('broken', `it sends to a port called ${port}, which no container has`, {
      evidence: [field(service, 'spec.ports[].targetPort', port)],
      ...remedyFor('service')
    });
  const ready = pods.filter(isReady).length;
  if (ready || service.spec.publishNotReadyAddresses) return said('holds', `${ready} of ${pods.length} that it selects are ready`);
  return said('waiting', `none of the ${pods.length} that it selects is ready`, { evidence });
}

/** Conditions that tell what a node that answers is short of. */
export const pressures = (node: ApiObject & { kind: 'Node' }): Condition[] =>
  (node.status?.conditions ?? []).filter((one) => /Pressure|Unavailable/.test(one.type) && one.status === 'True');

/** A node by itself. */
export function nodeLooks(facts: Facts, node: ApiObject & { kind: 'Node' }): Placed[] {
  const fault = nodeFault(facts, node);
  if (fault) return [brokenBy(fault, node.metadata.name, [], [refOf(node)])];
  const objects = [refOf(node)];
  const pressed = pressures(node);
  const [first] = pressed;
  if (first)
    return [
      placed(
        'node',
        look('broken', node.metadata.name, `${first.type}: ${tellingPart(first.message ?? first.reason ?? '')}`, {
          objects,
          evidence: pressed.map((one) => evidenceOf(saidIn(node, one))),
          ...remedyFor('node')
        })
      )
    ];
  if (!conditionOf(node.status?.conditions, 'Ready'))
    return [placed('node', look('unseen', node.metadata.name, 'its conditions are not in the export', { objects }))];
  return [
    placed(
      'node',
      look('holds', node.metadata.name, nodeReady(node) && node.spec?.unschedulable ? 'ready, and cordoned' : 'ready', {
        objects
      })
    )
  ];
}

/** A namespace that goes, and what keeps it. */
export function namespaceLooks(facts: Facts, namespace: ApiObject & { kind: 'Namespace' }): Placed[] {
  const { name, deletionTimestamp } = namespace.metadata;
  const objects = [refOf(namespace)];
  const going = timeOf(deletionTimestamp);
  if (going === undefined && namespace.status?.phase !== 'Terminating')
    return [placed('resource', look('holds', name, namespace.status?.phase ?? 'Active', { objects }))];
  const conditions = ((namespace.status as { conditions?: Condition[] } | undefined)?.conditions ?? []).filter(
    (one) => one.status === 'True'
  );
  const order = [
    'NamespaceDeletionDiscoveryFailure',
    'NamespaceDeletionGroupVersionParsingFailure',
    'NamespaceDeletionContentFailure',
    'NamespaceFinalizersRemaining',
    'NamespaceContentRemaining'
  ];
  const telling = [...conditions]
    .filter((one) => order.includes(one.type))
    .sort((a, b) => order.indexOf(a.type) - order.indexOf(b.type))[0];
  const evidence = conditions.map((one) => evidenceOf(saidIn(namespace, one)));
  if (telling)
    return [
      placed(
        'resource',
        look('broken', name, tellingPart(telling.message ?? telling.type), {
          objects,
          evidence,
          remedy: {
            text: 'See what is left in it, and who holds that: whoever set the finalizer has to finish, or the API that is named has to answer.'
          }
        })
      )
    ];
  return [
    underWay(
      facts,
      'resource',
      name,
      'is being taken away',
      going,
      [1_000, 60_000],
      'its conditions say nothing of what keeps it; list what is left in it',
      { objects }
    )
  ];
}

const good = new Set(['Ready', 'Available', 'Healthy', 'Reconciled', 'Synced', 'Succeeded', 'Complete', 'Established', 'Installed']);
const bad = new Set(['Degraded', 'Failed', 'Failing', 'Stalled', 'Error', 'ReconcileError', 'ReconcileFailed']);

/** The condition of a custom resource that tells what is wrong with it. */
function wrongCondition(conditions: readonly Condition[] | undefined): Condition | undefined {
  const all = conditions ?? [];
  return all.find((one) => bad.has(one.type) && one.status === 'True') ?? all.find((one) => good.has(one.type) && one.status === 'False');
}

/** An object of a kind that isn't known here, by its conditions and events. */
export function otherLooks(facts: Facts, other: OtherObject): Placed[] {
  const ref = { kind: other.kind, namespace: other.namespace, name: other.name } as unknown as Ref;
  const label = `${other.kind} ${other.name}`;
  const wrong = wrongCondition(other.conditions);
  const warnings = eventsAbout(facts, ref).filter((one) => one.warning);
  const objects = [ref];
  if (wrong) {
    const evidence = compact([
      {
        object: ref,
        field: `status.conditions[${wrong.type}]`,
        value: `${wrong.status} ${wrong.reason ?? ''} ${wrong.message ?? ''}`.trim()
      },
      warnings.at(-1) && evidenceOf(warnings.at(-1)!)
    ]);
    return [
      placed(
        'resource',
        look(
          'broken',
          label,
          tellingPart(wrong.message ?? '') || `${wrong.type} ${wrong.status}${wrong.reason ? `, ${wrong.reason}` : ''}`,
          { objects, evidence, ...remedyFor('resource') }
        )
      )
    ];
  }
  const fine = other.conditions?.find((one) => good.has(one.type) && one.status === 'True');
  if (fine) return [placed('resource', look('holds', label, `${fine.type}${fine.reason ? `, ${fine.reason}` : ''}`, { objects }))];
  const { phase = '', message = '' } = other.tells ?? {};
  const evidence = phase ? [{ object: ref, field: 'status.phase', value: [phase, message].filter(Boolean).join(': ') }] : [];
  if (badPhase(other))
    return [
      placed(
        'resource',
        look('broken', label, [phase, tellingPart(message)].filter(Boolean).join(': '), { objects, evidence, ...remedyFor('resource') })
      )
    ];
  const says = other.conditions?.length ? 'none of its conditions says that it is ready' : 'it says nothing of its state';
  return [placed('resource', look('unseen', label, phase ? `${says}; its phase is ${phase}` : says, { objects, evidence }))];
}

/** Whether a custom resource calls its own state a failure. */
const badPhase = ({ tells }: OtherObject): boolean => /^(failed|failure|error|errored|degraded)$/i.test(tells?.phase ?? '');

/** Whether an object of a kind that isn't known here says that something is wrong with it. */
export const saysWrong = (other: OtherObject): boolean => wrongCondition(other.conditions) !== undefined || badPhase(other);
