import { isReady, zoneOf, type Facts, type Pod } from '$core/model';
import { supposedIn } from '$core/drills';
import { podsIn, workloadNamed } from '$core/proofs';
import { bytesOf } from '$core/shared';
import { enginePartOf, fillAt, imageTag, mountsOf, roomIn } from '$core/standin';
import type { BackedUp } from './backups';
import type { acceptedOf, findingsOf } from './findings';
import { fillView } from './claims';
import { blueprintOf, type Scene } from './scene';
import { workloadView } from './workload';

const claimsShown = (facts: Facts, pod: Pod) =>
  mountsOf(facts, pod).map(({ claim: name, volume, asset }) => {
    const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
    return {
      name,
      bytes: bytesOf(claim?.status?.capacity?.storage ?? 0),
      class: claim?.spec.storageClassName ?? '',
      driver: volume?.spec.csi?.driver ?? '',
      /** Share of its room that is filled; null where nobody knows. */
      fill: asset?.status?.fill ? fillAt(asset, facts.nowMs) / roomIn(asset) : null
    };
  });

/** The volume of a workload that is filled most, with when it is full as it has filled so far; undefined where nobody knows how they fill. */
function fullest(scene: Scene, pods: readonly Pod[]) {
  const all = pods.flatMap((pod) =>
    mountsOf(scene.facts, pod).flatMap(({ claim, asset }) =>
      asset?.status?.fill ? [{ claim, asset, share: fillAt(asset, scene.facts.nowMs) / roomIn(asset) }] : []
    )
  );
  const [first] = all.sort((a, b) => b.share - a.share || (a.claim < b.claim ? -1 : 1));
  const days = first && fillView(scene, first.asset)?.days.find((one) => one.share === 1);
  return first && { claim: first.claim, share: first.share, days: days ?? null };
}

/** What is said of a whole cluster or namespace, and looked up once for all of its workloads. */
export interface Told {
  readonly backups: readonly BackedUp[];
  readonly open: ReturnType<typeof findingsOf>;
  readonly accepted: ReturnType<typeof acceptedOf>;
}

/**
 * What a report says of one workload from what stands: members with their places and volumes, ways to it, versions, copies, findings. Secrets
 * are named and never shown.
 */
export function reportParts(scene: Scene, { namespace, name }: { readonly namespace: string; readonly name: string }, told: Told) {
  const { facts } = scene;
  const workload = workloadNamed(facts, namespace, name);
  const view = workloadView(scene, { namespace, name });
  if (!workload || !view) return undefined;
  const makers = [...workload.sets, ...workload.deployments, ...workload.daemonSets];
  const [chief] = makers;
  const pods = podsIn(facts, workload);
  const secrets = new Set(
    pods.flatMap((pod) => [
      ...pod.spec.containers.flatMap((one) => (one.env ?? []).flatMap((two) => two.valueFrom?.secretKeyRef?.name ?? [])),
      ...(pod.spec.volumes ?? []).flatMap((one) => (one.secret as { secretName?: string } | undefined)?.secretName ?? [])
    ])
  );
  // Its own are what it is made of, and what bears the name of that: claims, accounts and budgets of a blueprint do.
  const own = [name, ...makers.map((one) => one.metadata.name), ...view.services.map((one) => one.name), ...secrets];
  const its = ({ object }: { readonly object: string }) => {
    const [, space, named] = /^\S+ (?:([^/]+)\/)?(.+)$/.exec(object) ?? [];
    return (
      (space === undefined || space === namespace) &&
      own.some((one) => named === one || named?.startsWith(`${one}-`) || named?.endsWith(`-${one}`))
    );
  };
  return {
    nowMs: facts.nowMs,
    name: workload.name,
    namespace,
    /** An export: nothing was rehearsed. */
    read: !facts.knowsProvider,
    supposed: supposedIn(facts, workload),
    kind: chief ? blueprintOf(chief) : '',
    members: pods
      .map((pod) => ({
        name: pod.metadata.name,
        part: enginePartOf(pod)?.part ?? '',
        node: pod.spec.nodeName ?? '',
        zone: zoneOf(facts.get('Node', '', pod.spec.nodeName ?? '')),
        ready: isReady(pod),
        claims: claimsShown(facts, pod)
      }))
      .sort((a, b) => (a.name < b.name ? -1 : 1)),
    fullest: fullest(scene, pods) ?? null,
    services: view.services.map(({ name: service, outside, addresses, ports, called }) => ({
      name: service,
      outside,
      addresses,
      ports,
      called
    })),
    images: view.images.map(({ image, licence }) => ({ image, version: imageTag(image), licence })),
    secrets: [...secrets].sort(),
    backup: told.backups.find((one) => one.namespace === namespace && one.name === workload.name),
    open: told.open.filter((one) => !one.accepted && its(one)),
    accepted: told.accepted.filter(its)
  };
}

/** What a report says of a workload. */
export type ReportParts = NonNullable<ReturnType<typeof reportParts>>;
