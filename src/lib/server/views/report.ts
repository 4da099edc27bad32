import { claimsOf, isReady, zoneOf, type ApiObject, type Facts, type Pod } from '$core/model';
import { podsIn, workloadNamed } from '$core/proofs';
import { bytesOf } from '$core/shared';
import { enginePartOf, fillAt, imageTag, roomIn } from '$core/standin';
import { backupsView } from './backups';
import { acceptedOf, findingsOf } from './findings';
import { blueprintOf, type Scene } from './scene';
import { workloadView } from './workload';

function claimShown(facts: Facts, pod: Pod, name: string) {
  const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
  const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  const asset = facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
  return {
    name,
    bytes: bytesOf(claim?.status?.capacity?.storage ?? 0),
    class: claim?.spec.storageClassName ?? '',
    driver: volume?.spec.csi?.driver ?? '',
    /** Share of its room that is filled; null where nobody knows. */
    fill: asset?.status?.fill ? fillAt(asset, facts.nowMs) / roomIn(asset) : null
  };
}

/**
 * What a report says of one workload from what stands: members with their places and volumes, ways to it, versions, copies, findings. Secrets
 * are named and never shown.
 * @param objects manifests of its namespace, without values of secrets
 */
export function reportParts(
  scene: Scene,
  objects: readonly ApiObject[],
  { namespace, workload: name }: { namespace: string; workload: string }
) {
  const { facts } = scene;
  const workload = workloadNamed(facts, namespace, name);
  const view = workloadView(scene, { namespace, name });
  if (!workload || !view) return undefined;
  const [chief] = [...workload.sets, ...workload.deployments, ...workload.daemonSets];
  const pods = podsIn(facts, workload);
  // What bears its name is its own: sets, claims, services and secrets of a blueprint do.
  const its = (object: string) =>
    object.split(/[ /]/).some((part) => part === name || part.startsWith(`${name}-`) || part.endsWith(`-${name}`));
  const secrets = new Set(
    pods.flatMap((pod) => [
      ...pod.spec.containers.flatMap((one) => (one.env ?? []).flatMap((two) => two.valueFrom?.secretKeyRef?.name ?? [])),
      ...(pod.spec.volumes ?? []).flatMap((one) => (one.secret as { secretName?: string } | undefined)?.secretName ?? [])
    ])
  );
  return {
    nowMs: facts.nowMs,
    name: workload.name,
    namespace,
    kind: chief ? blueprintOf(chief) : '',
    members: pods
      .map((pod) => ({
        name: pod.metadata.name,
        part: enginePartOf(pod)?.part ?? '',
        node: pod.spec.nodeName ?? '',
        zone: zoneOf(facts.get('Node', '', pod.spec.nodeName ?? '')),
        ready: isReady(pod),
        claims: claimsOf(pod.spec, pod.metadata.name).map((one) => claimShown(facts, pod, one))
      }))
      .sort((a, b) => (a.name < b.name ? -1 : 1)),
    services: view.services.map(({ name: service, outside, addresses, ports, called }) => ({
      name: service,
      outside,
      addresses,
      ports,
      called
    })),
    images: view.images.map(({ image, licence }) => ({ image, version: imageTag(image), licence })),
    secrets: [...secrets].sort(),
    backup: backupsView(scene, {}).workloads.find((one) => one.namespace === namespace && one.name === workload.name),
    open: findingsOf(scene, objects).filter((one) => !one.accepted && its(one.object)),
    accepted: acceptedOf(scene, objects).filter((one) => its(one.object))
  };
}
