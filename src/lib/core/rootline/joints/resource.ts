import { momentOf } from '../../shared';
import { asManifest } from '../../manifest';
import { conditionOf, refOf, type ApiObject, type Condition, type DocumentSet, type Facts } from '../../model';
import {
  accessObject,
  grantObjects,
  overFault,
  reachOf,
  operatorDeployments,
  operatorFault,
  operatorObjects,
  operatorOf,
  watchesOf,
  type OperatedKind,
  type OverFault,
  type OperatorCard
} from '../../standin';
import { compact, field, lastEvent, look } from '../evidence';
import { linkRemedy } from '../over';
import type { JointRule, Look, Remedy } from '../types';

type Resource = ApiObject & { kind: OperatedKind };

/** The operator with one more namespace to look after. */
function widened(facts: Facts, card: OperatorCard, namespace: string): Remedy {
  const [deployment] = operatorDeployments(facts, card);
  const watches = deployment && watchesOf(deployment.spec.template);
  const text = `Let ${card.name} look after ${namespace} too.`;
  if (!deployment || !watches) return { text };
  const { template } = deployment.spec;
  const value = [...watches, namespace].join(',');
  const containers = template.spec.containers.map((one) => ({
    ...one,
    env: one.env?.map((two) => (two.name === 'LOOKS_AFTER' ? { ...two, value } : two))
  }));
  return {
    text,
    manifests: [
      asManifest({
        ...deployment,
        spec: { ...deployment.spec, template: { ...template, spec: { ...template.spec, containers } } }
      } as ApiObject)
    ]
  };
}

/** What mends that nobody looks after a resource. */
function remedyOf(facts: Facts, card: OperatorCard, namespace: string, reason: string): Remedy {
  if (reason === 'NotWatched') return widened(facts, card, namespace);
  const all = operatorObjects(card, [namespace]);
  if (reason === 'NoOperator') return { text: `Install the operator of ${card.title}, once for the cluster.`, manifests: all };
  return {
    text: `Give the account of ${card.name} the rights that it needs again: to look after its own kinds, and to make what they are expanded into.`,
    manifests: all.filter((one) => one.kind === 'ClusterRole' || one.kind === 'ClusterRoleBinding')
  };
}

function whatIsSaid(resource: Resource): { stage: string; condition: Condition | undefined } {
  const { stage = 'not seen yet', conditions } = (resource as { status?: { stage: string; conditions: Condition[] } }).status ?? {};
  return { stage, condition: conditionOf(conditions, 'Ready') };
}

function resourceLook(facts: Facts, resource: Resource): Look {
  const { name, namespace = '' } = resource.metadata;
  const card = operatorOf(resource.kind)!;
  const label = `${resource.kind} ${name}`;
  const { stage, condition } = whatIsSaid(resource);
  const evidence = compact([
    field(resource, 'status.conditions[Ready]', condition ? `${condition.status} ${condition.reason ?? ''}`.trim() : undefined),
    lastEvent(facts, resource, [condition?.reason ?? ''])
  ]);
  const objects = [refOf(resource)];
  const fault = operatorFault(facts, card, namespace);
  if (fault?.reason === 'OperatorNotReady' && fault.pod)
    return look('waiting', label, `waits for its operator: ${fault.message.replace(/\.$/, '')}`, { objects, evidence });
  if (fault)
    return look('broken', label, fault.message.replace(/\.$/, ''), {
      objects: fault.pod ? [...objects, refOf(fault.pod)] : objects,
      evidence,
      remedy: remedyOf(facts, card, namespace, fault.reason)
    });
  const says = (condition?.message ?? 'its operator has not looked at it yet').replace(/\.$/, '');
  if (condition?.status === 'True') return look('holds', label, says, { objects, evidence });
  if (stage === 'agreement')
    return look('broken', label, says, {
      objects,
      evidence,
      remedy: {
        text: 'Agree to it: spec.agreed: true.',
        manifests: [asManifest({ ...resource, spec: { ...resource.spec, agreed: true } } as ApiObject)]
      }
    });
  if (stage === 'refused' || condition?.reason === 'Refused' || condition?.reason === 'ClusterMissing')
    return look('broken', label, says, { objects, evidence, remedy: { text: 'Write what can be had, and send it again.' } });
  return look('settling', label, says, {
    objects,
    evidence,
    settling: { sinceMs: condition?.lastTransitionTime ? momentOf(condition.lastTransitionTime) : facts.nowMs, normalMs: [20_000, 600_000] }
  });
}

/** What lets an operator look after a namespace of another cluster; undefined where it may already. */
export function overRemedy(home: Facts, cluster: string, namespace: string): Remedy | undefined {
  const card = operatorOf('DocumentSet')!;
  const here = home.elsewhere?.here ?? '';
  const fault = cluster === here ? undefined : overFault(home, card, cluster, namespace);
  return fault && remedyOver(home, card, fault, namespace);
}

function remedyOver(home: Facts, card: OperatorCard, fault: OverFault, namespace: string): Remedy {
  const here = home.elsewhere?.here ?? '';
  const { cluster } = fault;
  const namespaces = [namespace];
  const account = reachOf(home, card, cluster)?.account;
  const where = fault.mendIn === here ? {} : { in: fault.mendIn };
  switch (fault.reason) {
    case 'NoAccess':
    case 'AccessEnded':
      return {
        text: `Draw an access document for ${cluster} and keep it beside the operator; the account that it names has to stand there.`,
        manifests: [accessObject(card, here, cluster)]
      };
    case 'NotLinked':
      return linkRemedy(home, fault.link!);
    default:
      return {
        text: `Give the operator's account in ${cluster} what it needs in ${namespace}: the namespace, a role and a binding.`,
        ...where,
        manifests: grantObjects(card, here, namespaces, account)
      };
  }
}

/** Why its operator can't look after one of the clusters of a document set; undefined where it can. */
function overResourceLook(home: Facts, one: DocumentSet, cluster: string): Look | undefined {
  const namespace = one.metadata.namespace ?? '';
  const card = operatorOf('DocumentSet')!;
  const here = home.elsewhere?.here ?? '';
  const fault = cluster === here ? undefined : overFault(home, card, cluster, namespace);
  if (!fault) return undefined;
  return look('broken', `${cluster}`, fault.message.replace(/\.$/, ''), {
    objects: [refOf(one), { kind: 'Namespace', namespace: '', name: cluster }],
    evidence: compact([field(one, 'spec.clusters', cluster), lastEvent(home, one, [fault.reason])]),
    remedy: remedyOver(home, card, fault, namespace)
  });
}

/** Does an operator look after the custom resource, and how far has it come? */
export const resource = {
  id: 'resource' as const,
  shared: true,
  title: 'Looked after',
  why: 'A custom resource is only a wish. Its operator has to be installed and ready, watch the namespace, and have the rights to make what the wish comes to.',
  perClaim: false,
  look: ({ facts, resource: one, over }) =>
    one === undefined
      ? undefined
      : over && one.kind === 'DocumentSet'
        ? (overResourceLook(over.home, one, over.cluster) ?? resourceLook(over.home, one))
        : resourceLook(facts, one as Resource)
} satisfies JointRule;
