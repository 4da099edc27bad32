import { claimBehind, claimsOf, type Asset, type Backend, type Facts, type Node, type Pod, type Volume } from '../../../../model';
import { fillAt, roomIn } from '../../../engines/fill';
import { backendOf } from '../../../provider/backend';
import { isFilled } from '../../../provider/outages';
import { keepersOf } from '../../../provider/pool';
import { fileSystemOf, reachFault } from '../../../provider/shared-files';

/** One claim of a pod with what lies under it, as far as it is there. */
export interface Mounted {
  readonly claim: string;
  readonly volume?: Volume;
  readonly asset?: Asset;
}

/** The volumes that a pod mounts, with their assets. */
export function mountsOf(facts: Facts, pod: Pod): Mounted[] {
  return claimsOf(pod.spec, pod.metadata.name).map((name) => {
    const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
    const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
    const asset = facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
    return { claim: name, ...(volume ? { volume } : {}), ...(asset ? { asset } : {}) };
  });
}

/** Why a volume can't be mounted on a node. */
export interface MountFault {
  readonly claim: string;
  readonly cause: 'gone' | 'file-system' | 'mode' | 'target' | 'port' | 'keepers';
  /** Code of the storage interface with a sentence (without a full stop). */
  readonly message: string;
  readonly volume: Volume;
}

/** Names of the claims that a pod's containers mount, or take as devices. */
function usedAs(pod: Pod, how: 'volumeMounts' | 'volumeDevices'): Set<string> {
  const names = new Set(
    [...pod.spec.containers, ...(pod.spec.initContainers ?? [])].flatMap((one) =>
      ((one[how] ?? []) as { name: string }[]).map((two) => two.name)
    )
  );
  return new Set((pod.spec.volumes ?? []).flatMap((one) => (names.has(one.name) ? (claimBehind(one, pod.metadata.name) ?? []) : [])));
}

/** A device can't be mounted, nor a directory taken as a device. Source: the cluster API's "Raw Block Volume Support". */
function modeFault(pod: Pod, { claim, volume }: Mounted): MountFault | undefined {
  if (!volume) return undefined;
  const block = volume.spec.volumeMode === 'Block';
  if (!usedAs(pod, block ? 'volumeMounts' : 'volumeDevices').has(claim)) return undefined;
  return {
    claim,
    cause: 'mode',
    message: block
      ? `the volume has volumeMode Block, and the pod names it under volumeMounts`
      : `the volume has volumeMode Filesystem, and the pod names it under volumeDevices`,
    volume
  };
}

const backendUnder = (facts: Facts, { volumeHandle, driver }: { volumeHandle: string; driver: string }): Backend | undefined =>
  fileSystemOf(facts, volumeHandle) ?? backendOf(facts, driver);

/** Shared file systems that a pod mounts. */
export const fileSystemsUnder = (facts: Facts, pod: Pod): Backend[] =>
  mountsOf(facts, pod).flatMap(({ volume }) => {
    const backend = volume?.spec.csi && backendUnder(facts, volume.spec.csi);
    return backend?.spec.fileSystem === undefined ? [] : [backend];
  });

/** Whether a shared file system that a pod has mounted answers no more: its node came to it once, and doesn't any longer. */
export function isStranded(facts: Facts, pod: Pod): boolean {
  const node = facts.get('Node', '', pod.spec.nodeName ?? '');
  return node !== undefined && fileSystemsUnder(facts, pod).some((backend) => reachFault(backend, node) !== undefined);
}

function faultOf(facts: Facts, node: Node, { claim, volume, asset }: Mounted): MountFault | undefined {
  const csi = volume?.spec.csi;
  if (!volume || !csi) return undefined;
  const fault = (cause: MountFault['cause'], message: string): MountFault => ({ claim, cause, message, volume });
  if (!asset) return fault('gone', `NOT_FOUND: ${csi.driver} has no volume ${csi.volumeHandle}`);
  if (csi.fsType !== undefined && csi.fsType !== asset.spec.fsType && volume.spec.volumeMode !== 'Block')
    return fault('file-system', `INVALID_ARGUMENT: ${csi.volumeHandle} carries ${asset.spec.fsType}, and ${csi.fsType} was asked for`);
  const backend = backendUnder(facts, csi);
  if (backend?.spec.fileSystem !== undefined) {
    const reach = reachFault(backend, node);
    if (reach) return fault(reach.cause, `DEADLINE_EXCEEDED: the mount timed out; ${reach.message}`);
  }
  const pool = backend?.spec.pool === undefined ? undefined : facts.get('Pool', '', backend.spec.pool);
  if (pool && !keepersOf(facts, pool).majority)
    return fault('keepers', `FAILED_PRECONDITION: the keepers of the pool ${pool.metadata.name} have no majority`);
  return undefined;
}

/** The first of a pod's volumes that can't be mounted where the pod stands; undefined when all can. */
export function mountFault(facts: Facts, pod: Pod): MountFault | undefined {
  const node = facts.get('Node', '', pod.spec.nodeName ?? '');
  if (!node) return undefined;
  for (const one of mountsOf(facts, pod)) {
    const fault = modeFault(pod, one) ?? faultOf(facts, node, one);
    if (fault) return fault;
  }
  return undefined;
}

/** The user that a pod's programs run as; 0 where it doesn't say. */
export const userOf = (pod: Pod): number => pod.spec.securityContext?.runAsUser ?? 0;

/**
 * A volume whose files belong to another user than the pod's, with no file-system group to bridge it. Source: the cluster API's
 * "Configure a Security Context": with `fsGroup` the volume is given to the group, without it the owner stays.
 */
export function ownerFault(facts: Facts, pod: Pod): { readonly claim: string; readonly owner: number; readonly user: number } | undefined {
  const user = userOf(pod);
  if (user === 0 || pod.spec.securityContext?.fsGroup !== undefined) return undefined;
  const strange = mountsOf(facts, pod).find(({ asset }) => asset && (asset.spec.owner ?? 0) !== user);
  return strange?.asset && { claim: strange.claim, owner: strange.asset.spec.owner ?? 0, user };
}

/** A pod's volume in which nothing more can be written. */
export const fullMount = (facts: Facts, pod: Pod): Mounted | undefined =>
  mountsOf(facts, pod).find(
    ({ claim, asset }) =>
      (asset?.status?.fill && fillAt(asset, facts.nowMs) >= roomIn(asset)) || isFilled(facts, pod.metadata.namespace ?? '', claim)
  );
