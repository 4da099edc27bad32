import {
  ordinalIn,
  ordinalsOf,
  ownClaims,
  setOf,
  type ApiObject,
  type Claim,
  type Facts,
  type Job,
  type Node,
  type Pod
} from '../../../model';
import { podShut, withLimits } from '../../admit/limits';
import { ownClaimToBe } from '../storage/own-claims';
import { daemonMaking, takesDaemon } from './daemon-sets';
import { besides } from './jobs';
import { asItStands, podClaimsOf, type PlaceFault, type PodClaims } from './place-fault';
import { chosenNode, type Sibling } from './placing';
import { accountOf, podToBe } from './pods';
import { roomFor } from './preempting';
import { memberClaimsToBe, memberMaking } from './sets';

/** A pod as somebody would make it, with the claims that are made along with it. */
export interface MemberToBe {
  readonly pod: Pod;
  /** Claims that don't stand yet; a claim that pods have for themselves is its pod's own. */
  readonly claims: readonly Claim[];
}

const podsOf = (facts: Facts, maker: ApiObject): { pod: Pod; claims: Claim[] }[] => {
  const alike = (count: number, make: (name: string) => Pod) =>
    Array.from({ length: count }, (_, i) => ({ pod: make(`${maker.metadata.name}-${i}`), claims: [] }));
  switch (maker.kind) {
    case 'StatefulSet':
      return ordinalsOf(maker).map((ordinal) => ({
        pod: podToBe(facts, memberMaking(facts, maker, ordinal)),
        claims: memberClaimsToBe(facts, maker, ordinal)
      }));
    case 'Deployment':
    case 'ReplicaSet': {
      const { template, replicas = 1 } = maker.spec;
      return template ? alike(replicas, (name) => podToBe(facts, { owner: maker, name, template, labels: {} })) : [];
    }
    case 'DaemonSet':
      return facts
        .nodes()
        .filter((node) => takesDaemon(maker, node))
        .map((node) => ({ pod: podToBe(facts, daemonMaking(maker, node, `${maker.metadata.name}-${node.metadata.name}`)), claims: [] }));
    case 'Job':
      return maker.spec.suspend === true
        ? []
        : alike(besides(maker, 0), (name) =>
            podToBe(facts, { owner: maker, name, template: maker.spec.template, labels: { 'job-name': maker.metadata.name } })
          );
    case 'CronJob': {
      const { metadata, spec } = maker.spec.jobTemplate as Pick<Job, 'spec'> & { metadata?: { labels?: Record<string, string> } };
      const { name, namespace } = maker.metadata;
      const labels = metadata?.labels ? { labels: metadata.labels } : {};
      const job = { apiVersion: 'batch/v1', kind: 'Job', metadata: { ...maker.metadata, ...labels, name, namespace }, spec } as Job;
      return podsOf(facts, job);
    }
    case 'Pod':
      return [{ pod: maker, claims: [] }];
    default:
      return [];
  }
};

/**
 * The pods that a maker would have in a cluster if it stood there now, each with what is made along with it. Nothing is written. Of a job
 * those that run side by side at first, of a CronJob those of one run.
 * @returns none for what makes no pods
 */
export const membersToBe = (facts: Facts, maker: ApiObject): MemberToBe[] =>
  podsOf(facts, maker).map(({ pod: bare, claims }) => {
    const { namespace = '', name } = bare.metadata;
    // Told apart by it, as those that stand are.
    const pod = bare.metadata.uid ? bare : { ...bare, metadata: { ...bare.metadata, uid: `to-be ${namespace}/${name}` } };
    const own = ownClaims(pod).filter((one) => !facts.get('PersistentVolumeClaim', namespace, one.name));
    return { pod, claims: [...claims, ...own.map((one) => ownClaimToBe(facts, pod, one.name, one.volume))] };
  });

/**
 * The pod that comes after one that goes: a set's by the template that it has for it, any other as it was. Nothing is written.
 * @param facts the cluster without the one that goes
 */
export function madeAnew(facts: Facts, pod: Pod): Pod {
  const uid = `after ${pod.metadata.uid ?? pod.metadata.name}`;
  const set = setOf(facts, pod);
  const ordinal = set && ordinalIn(set, pod.metadata.name);
  if (set && ordinal !== undefined) {
    const next = podToBe(facts, memberMaking(facts, set, ordinal));
    return { ...next, metadata: { ...next.metadata, uid } };
  }
  const { nodeName: _, ...spec } = pod.spec;
  const { deletionTimestamp: __, ...metadata } = pod.metadata;
  return withLimits({ ...pod, metadata: { ...metadata, uid }, spec, status: { phase: 'Pending' } }, facts);
}

/** Why a pod can't be made, as a sentence without its full stop: its account is missing, or its namespace doesn't let it in. */
export function makingFault(facts: Facts, pod: Pod): string | undefined {
  const namespace = pod.metadata.namespace ?? '';
  const account = accountOf(pod.spec);
  const told = !facts.scope || facts.scope.of('ServiceAccount', namespace) === 'contained';
  if (told && !facts.get('ServiceAccount', namespace, account)) return `the service account ${namespace}/${account} doesn't exist`;
  return podShut(facts, pod)?.message;
}

/**
 * The node that a pod would go to as the others stand now, also where some that matter less would have to make room. Nothing is written.
 * Claims that aren't bound and don't wait for a place are no hindrance.
 */
export function seekPlace(
  facts: Facts,
  pod: Pod,
  siblings: readonly Sibling[]
): { readonly node?: Node; readonly faults: ReadonlyMap<PlaceFault, number>; readonly victims: readonly Pod[] } {
  const places = asItStands(facts);
  const { bound, choosing } = podClaimsOf(facts, pod);
  const claims: PodClaims = { bound, choosing, missing: [] };
  const { node, faults } = chosenNode(places, pod, claims, siblings, 0);
  if (node) return { node, faults, victims: [] };
  const made = roomFor(places, pod, claims);
  return made ? { node: made.node, faults, victims: made.victims } : { faults, victims: [] };
}
