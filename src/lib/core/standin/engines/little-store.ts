import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { digestOf, hash32, hex8 } from '../../shared';
import { claimBehind, claimsOf, isReady, type Asset, type Facts, type Pod } from '../../model';
import type { ClusterAccess } from '../control/loop';
import { driverPartOf, enginePartOf, poolPartOf } from '../provider/images';
import { hasEngine } from './registry';
import { bringsOf, fillAt, roomIn, writesOf } from './fill';

/** A row of the little store. */
export type Row = [key: string, value: string];

/** Rows that a member writes when it finds its volume empty. */
const foundingRows = 6;

/** SHA-256 over the rows as written, in hex. Source: FIPS 180-4. */
export const checksumOf = (rows: readonly Row[]): string =>
  bytesToHex(digestOf(utf8ToBytes(rows.map(([key, value]) => `${key}\t${value}\n`).join(''))));

type Stored = NonNullable<NonNullable<Asset['status']>['store']>;

/** Stores as they were sealed here: nothing of them changes any more, so they hold without being read again. */
const sealed = new WeakSet<Stored>();

/** Whether what is stored is what was written. */
export const storeHolds = (store: Stored): boolean => sealed.has(store) || checksumOf(store.rows) === store.checksum;

/** The asset behind a pod's first claim, if it has one. */
export function assetOf(facts: Pick<ClusterAccess['store'], 'get'>, pod: Pod): Asset | undefined {
  const [name] = claimsOf(pod.spec, pod.metadata.name);
  const claim = name === undefined ? undefined : facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
  const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  return facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
}

/** Rows with their checksum, each made when somebody first looks: most stores are written over before that. */
function seal(make: () => Row[]): Stored {
  let rows: Row[] | undefined;
  let sum: string | undefined;
  const store: Stored = {
    get rows() {
      return (rows ??= make());
    },
    get checksum() {
      return (sum ??= checksumOf(this.rows));
    }
  };
  sealed.add(store);
  return store;
}

/** Shared file systems have no fill of their own. */
const fills = (asset: Asset): boolean => asset.spec.fsType === 'ext4' || asset.spec.fsType === 'xfs';

/**
 * A member opens the store in its volume: founds it with a few rows when the volume is empty, else reads it and checks it against its
 * checksum. The rows lie in the volume, so they outlive the member. From here on it fills the volume at the rate that its pod names.
 */
export function openStore(world: ClusterAccess, pod: Pod): void {
  if (driverPartOf(pod.spec) || poolPartOf(pod.spec)) return;
  const asset = assetOf(world.store, pod);
  if (!asset) return;
  const { store } = asset.status ?? {};
  if (store && !storeHolds(store)) world.event(pod, 'StoreDamaged', "What lies in the volume doesn't agree with its checksum.", 'Warning');
  const bytesPerDay = fills(asset) ? writesOf(pod) : 0;
  const old = asset.status?.fill;
  const bytes = old ? fillAt(asset, world.nowMs) : store || !fills(asset) ? 0 : Math.min(roomIn(asset), bringsOf(pod));
  const fill = bytes || bytesPerDay || old ? { fill: { bytes, atMs: world.nowMs, bytesPerDay } } : {};
  const engine = enginePartOf(pod);
  if ((store || (engine && hasEngine(engine.engine))) && !('fill' in fill)) return;
  const rows: Row[] = Array.from({ length: foundingRows }, (_, i) => {
    const key = `${pod.metadata.name}/${i}`;
    return [key, hex8(hash32(`${pod.metadata.uid}|${key}`, world.seed))];
  });
  const kept = store ?? (engine && hasEngine(engine.engine) ? undefined : seal(() => rows));
  world.put({ ...asset, status: { attachedTo: [], ...asset.status, ...(kept ? { store: kept } : {}), ...fill } });
}

/** A member that ends writes no more; what it has written stays. */
export function stopWriting(world: ClusterAccess, pod: Pod): void {
  const asset = assetOf(world.store, pod);
  if (!asset?.status?.fill?.bytesPerDay) return;
  world.put({ ...asset, status: { ...asset.status, fill: { bytes: fillAt(asset, world.nowMs), atMs: world.nowMs, bytesPerDay: 0 } } });
}

/** Why a pod can't write into its volume now; undefined when it can. */
export function writeFault(facts: Facts, pod: Pod | undefined): string | undefined {
  if (!pod) return "the pod doesn't exist";
  if (!isReady(pod)) return `${pod.metadata.name} is not ready`;
  const mount = pod.spec.volumes?.find((one) => claimBehind(one, pod.metadata.name) !== undefined);
  if (!mount) return `${pod.metadata.name} mounts no claim`;
  const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', claimBehind(mount, pod.metadata.name)!);
  const mounted = pod.spec.containers.flatMap((one) => one.volumeMounts ?? []).filter((one) => one.name === mount.name);
  const readOnly =
    mount.persistentVolumeClaim?.readOnly === true ||
    (mounted.length > 0 && mounted.every((one) => one.readOnly === true)) ||
    claim?.spec.accessModes.every((mode) => mode === 'ReadOnlyMany');
  if (readOnly) return `${claim?.metadata.name ?? mount.name} is mounted to be read only`;
  const asset = assetOf(facts, pod);
  if (!asset) return 'its volume is gone from the backend';
  return asset.status?.fill && fillAt(asset, facts.nowMs) >= roomIn(asset) ? 'no space is left in its volume' : undefined;
}

/** A pod writes one row through its mount; written anew where the key is there. Call only without a {@link writeFault}. */
export function writeRow(world: ClusterAccess, pod: Pod, key: string, value: string): void {
  const asset = assetOf(world.store, pod)!;
  const rows: Row[] = [...(asset.status?.store?.rows ?? []).filter(([known]) => known !== key), [key, value]];
  world.put({ ...asset, status: { attachedTo: [], ...asset.status, store: sealedOver(asset.status?.store, () => rows) } });
}

/** A store whose last row isn't what was written. */
const spoilt = (store: Stored): Stored => ({
  ...store,
  rows: store.rows.map(([key, value], i): Row => [key, i === store.rows.length - 1 ? `${value}?` : value])
});

/** Damages what lies in an asset, on purpose: the last row changes and its checksum doesn't. */
export function damage(world: ClusterAccess, asset: Asset): void {
  const { store } = asset.status ?? {};
  if (store) world.put({ ...asset, status: { attachedTo: [], ...asset.status, store: spoilt(store) } });
}

/** Rows as they are written over what lies there: writing more doesn't mend what is damaged. */
export function sealedOver(before: Stored | undefined, rows: () => Row[]): Stored {
  return before && !storeHolds(before) ? spoilt(seal(rows)) : seal(rows);
}
