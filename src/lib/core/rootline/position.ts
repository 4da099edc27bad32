import {
  claimsOf,
  classOf,
  memberClaim,
  memberName,
  ordinalIn,
  ordinalsOf,
  podsMadeBy,
  setOf,
  type DaemonSet,
  type Deployment,
  type Facts,
  type Job,
  type Pod,
  type ReplicaSet,
  type Snapshot,
  type StatefulSet,
  type Volume
} from '../model';
import { jobState } from '../standin';
import type { ClaimPlace, Position } from './types';

/** A claim as a member sees it: the object where it exists, else what a template will ask for. */
export function claimPlace(facts: Facts, namespace: string, name: string, template?: ClaimPlace['spec']): ClaimPlace {
  const claim = facts.get('PersistentVolumeClaim', namespace, name);
  const spec = claim?.spec ?? template;
  const one = spec && classOf(facts, spec);
  return { name, namespace, ...(claim ? { claim } : {}), ...(spec ? { spec } : {}), ...(one ? { class: one } : {}) };
}

/** The position of one claim by itself. */
export const claimPosition = (facts: Facts, namespace: string, name: string): Position => ({
  facts,
  namespace,
  claims: [claimPlace(facts, namespace, name)]
});

/** The position of a volume by itself: its claim may be gone. */
export function volumePosition(facts: Facts, volume: Volume): Position {
  const { claimRef } = volume.spec;
  const [namespace, name] = [claimRef?.namespace ?? '', claimRef?.name ?? volume.metadata.name];
  const found = facts.get('PersistentVolumeClaim', namespace, name);
  const claim = found && found.metadata.uid === claimRef?.uid ? found : undefined;
  return { facts, namespace, claims: [{ name, namespace, volume, ...(claim ? { claim, spec: claim.spec } : {}) }] };
}

/** The position of a snapshot: that of the claim it is taken of. */
export function snapshotPosition(facts: Facts, snapshot: Snapshot): Position {
  const namespace = snapshot.metadata.namespace ?? '';
  const place = claimPlace(facts, namespace, snapshot.spec.source.persistentVolumeClaimName ?? '');
  return { facts, namespace, claims: [{ ...place, snapshot }] };
}

/** The position of a set's member, whether its pod exists yet or not. */
export function memberPosition(facts: Facts, set: StatefulSet, ordinal: number): Position {
  const namespace = set.metadata.namespace ?? '';
  const podName = memberName(set, ordinal);
  const pod = facts.get('Pod', namespace, podName);
  const templates = set.spec.volumeClaimTemplates ?? [];
  const own = new Map(templates.map((one) => [memberClaim(one.metadata.name, set, ordinal), one.spec]));
  const names = [...new Set([...own.keys(), ...claimsOf(pod?.spec ?? set.spec.template.spec, podName)])];
  return {
    facts,
    namespace,
    podName,
    ...(pod ? { pod } : {}),
    spec: pod?.spec ?? set.spec.template.spec,
    labels: pod?.metadata.labels ?? set.spec.template.metadata?.labels ?? {},
    set,
    ordinal,
    claims: names.map((name) => claimPlace(facts, namespace, name, own.get(name)))
  };
}

/** The position of a pod; that of its set's member where it belongs to one. */
export function podPosition(facts: Facts, pod: Pod): Position {
  const set = setOf(facts, pod);
  const ordinal = set && ordinalIn(set, pod.metadata.name);
  if (set && ordinal !== undefined) return memberPosition(facts, set, ordinal);
  const namespace = pod.metadata.namespace ?? '';
  return {
    facts,
    namespace,
    podName: pod.metadata.name,
    pod,
    spec: pod.spec,
    labels: pod.metadata.labels ?? {},
    claims: claimsOf(pod.spec, pod.metadata.name).map((name) => claimPlace(facts, namespace, name))
  };
}

/** The positions of all members that a set asks for, lowest ordinal first. */
export const setPositions = (facts: Facts, set: StatefulSet): Position[] =>
  ordinalsOf(set).map((ordinal) => memberPosition(facts, set, ordinal));

type Maker = Deployment | DaemonSet | Job;

/**
 * The position of a pod that somebody should make and hasn't.
 * @param maker who makes it, where that is not whoever was asked about: a deployment's replica set
 */
export function unmadePosition(facts: Facts, owner: Maker | ReplicaSet, maker: Maker | ReplicaSet = owner): Position {
  const namespace = owner.metadata.namespace ?? '';
  const { template } = maker.spec;
  return {
    facts,
    namespace,
    podName: `${owner.metadata.name}-…`,
    ...(template ? { spec: template.spec } : {}),
    labels: template?.metadata?.labels ?? {},
    maker,
    claims: template ? claimsOf(template.spec).map((name) => claimPlace(facts, namespace, name)) : []
  };
}

/** How many pods a maker wants at a time; none of a job that has ended, or is suspended. */
function wantedOf(maker: Maker): number {
  if (maker.kind === 'Deployment') return maker.spec.replicas ?? 1;
  if (maker.kind === 'DaemonSet') return maker.status?.desiredNumberScheduled ?? 0;
  return jobState(maker) === 'running' && !maker.spec.suspend ? 1 : 0;
}

/** The positions of a maker's pods; one more where some aren't made, so that it is told why. */
export function makerPositions(facts: Facts, maker: Maker): Position[] {
  const pods = podsMadeBy(facts, maker);
  const positions = pods.map((pod) => podPosition(facts, pod));
  const living = pods.filter((one) => !one.metadata.deletionTimestamp).length;
  return living >= wantedOf(maker) ? positions : [...positions, unmadePosition(facts, maker)];
}
