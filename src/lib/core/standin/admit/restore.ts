import { bytesOf, quantityOf } from '../../shared';
import { asManifest } from '../../manifest';
import { claimsOf, keyOf, makerOf, refOf, type Claim, type Deployment, type Facts, type Pod, type Restoring } from '../../model';
import type { ClusterAccess } from '../control/loop';
import type { Refusal } from './plan';

/** A claim is to be made anew from a snapshot, under its own name. */
export interface Restore {
  readonly namespace: string;
  readonly claim: string;
  readonly snapshot: string;
}

/** Who stops for it, and how each comes back. */
export interface Stopped {
  readonly pods: readonly Pod[];
  /** Pods that nobody would make anew. */
  readonly alone: readonly Pod[];
  readonly deployments: readonly Deployment[];
}

/** Who has to stop so that a claim can be swapped. */
export function stoppedFor(facts: Facts, namespace: string, claim: string): Stopped {
  const pods = [...facts.podsOfClaim(namespace, claim)].filter((pod) => !pod.metadata.deletionTimestamp);
  const names = [...new Set(pods.flatMap((pod) => (makerOf(pod)?.kind === 'Deployment' ? [makerOf(pod)!.name] : [])))];
  return {
    pods,
    alone: pods.filter((pod) => !makerOf(pod)),
    deployments: names.flatMap((name) => facts.get('Deployment', namespace, name) ?? [])
  };
}

/** Why a claim can't be put in the place of another; undefined when it can. */
export function restoreRefusal(facts: Facts, { namespace, claim: name, snapshot }: Restore): Refusal | undefined {
  const claim = facts.get('PersistentVolumeClaim', namespace, name);
  const at = { object: keyOf({ kind: 'PersistentVolumeClaim', namespace, name }) };
  if (!claim) return { code: 'not-found', message: `There is no claim ${namespace}/${name}.`, remedy: 'Check namespace and name.', at };
  if (claim.metadata.deletionTimestamp)
    return { code: 'not-sendable', message: `${name} is being taken away.`, remedy: 'Run the clock until it is gone.', at };
  const found = facts.get('VolumeSnapshot', namespace, snapshot);
  if (!found)
    return { code: 'not-found', message: `There is no snapshot ${namespace}/${snapshot}.`, remedy: 'Choose one of its snapshots.', at };
  if (!found.status?.readyToUse)
    return {
      code: 'not-sendable',
      message: `The snapshot ${snapshot} is not ready to use.`,
      remedy: 'Run the clock until it is, or see its root line.',
      at
    };
  const busy = facts
    .list('Restoring', namespace)
    .flatMap((one) => one.spec.replicas)
    .find((one) => claimsOf(facts.get('Deployment', namespace, one.name)?.spec.template.spec ?? { containers: [] }).includes(name));
  if (busy)
    return {
      code: 'still-used',
      message: `The Deployment ${busy.name}, which uses ${name}, is stopped for another restore.`,
      remedy: 'Run the clock until that is done, then restore this one.',
      at
    };
  const odd = stoppedFor(facts, namespace, name).pods.find((pod) => !['StatefulSet', 'Deployment', undefined].includes(makerOf(pod)?.kind));
  return odd
    ? {
        code: 'still-used',
        message: `${odd.metadata.name} uses it, and its ${makerOf(odd)!.kind} would start it again at once.`,
        remedy: `Take the ${makerOf(odd)!.kind} ${makerOf(odd)!.name} away first, or restore into a new claim.`,
        at
      }
    : undefined;
}

/** The claim that takes the place: as it was asked for, with the snapshot's content, and no smaller than that. */
export function restoredClaim(facts: Facts, claim: Claim, snapshot: string): Claim {
  const { namespace = '' } = claim.metadata;
  const least = facts.get('VolumeSnapshot', namespace, snapshot)?.status?.restoreSize;
  const { metadata, spec } = asManifest(claim) as Claim;
  const asked = spec.resources.requests.storage;
  const storage = least !== undefined && bytesOf(least) > bytesOf(asked) ? quantityOf(bytesOf(least)) : asked;
  const { volumeName: _, ...rest } = spec;
  return {
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata,
    spec: {
      ...rest,
      resources: { ...spec.resources, requests: { ...spec.resources.requests, storage } },
      dataSource: { apiGroup: 'snapshot.storage.k8s.io', kind: 'VolumeSnapshot', name: snapshot }
    }
  };
}

/** Stops who uses the claim, takes it away, and leaves word of what takes its place. */
export function restore(world: ClusterAccess, action: Restore): void {
  const { namespace, claim: name, snapshot } = action;
  const claim = world.store.get('PersistentVolumeClaim', namespace, name)!;
  const { pods, alone, deployments } = stoppedFor(world.store, namespace, name);
  const pending: Restoring = {
    apiVersion: 'standin.example/v1',
    kind: 'Restoring',
    metadata: { name, namespace },
    spec: {
      from: `VolumeSnapshot ${snapshot}`,
      claim: restoredClaim(world.store, claim, snapshot) as unknown as Restoring['spec']['claim'],
      starts: alone.map((pod) => {
        const { nodeName: _, ...spec } = pod.spec;
        return asManifest({ ...pod, spec }) as unknown as Restoring['spec']['claim'];
      }),
      replicas: deployments.map((one) => ({ name: one.metadata.name, count: one.spec.replicas ?? 1 }))
    }
  };
  world.put(pending);
  for (const one of deployments) world.put({ ...one, spec: { ...one.spec, replicas: 0 } });
  for (const pod of pods) world.remove(refOf(pod));
  world.remove(refOf(claim));
}
