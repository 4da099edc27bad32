import { sha256 } from '@noble/hashes/sha2.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { hash32 } from '../../shared';
import { claimsOf, type Asset, type Pod } from '../../model';
import type { Hands } from '../control/loop';
import { driverPartOf } from '../provider/images';

export type Row = [key: string, value: string];

/** Rows that a member writes when it finds its volume empty. */
const foundingRows = 6;

/** SHA-256 over the rows as written, in hex. Source: FIPS 180-4. */
export const checksumOf = (rows: readonly Row[]): string =>
  bytesToHex(sha256(utf8ToBytes(rows.map(([key, value]) => `${key}\t${value}\n`).join(''))));

/** Whether what is stored is what was written. */
export const storeHolds = (store: NonNullable<NonNullable<Asset['status']>['store']>): boolean => checksumOf(store.rows) === store.checksum;

/** The asset behind a pod's first claim, if it has one. */
export function assetOf(facts: Pick<Hands['store'], 'get'>, pod: Pod): Asset | undefined {
  const [name] = claimsOf(pod.spec);
  const claim = name === undefined ? undefined : facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
  const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  return facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
}

/**
 * A member opens the store in its volume: founds it with a few rows when the volume is empty, else reads it and checks it against its
 * checksum. The rows lie in the volume, so they outlive the member.
 */
export function openStore(world: Hands, pod: Pod): void {
  if (driverPartOf(pod.spec)) return;
  const asset = assetOf(world.store, pod);
  if (!asset) return;
  const { store } = asset.status ?? {};
  if (!store) {
    const rows: Row[] = Array.from({ length: foundingRows }, (_, i) => {
      const key = `${pod.metadata.name}/${i}`;
      return [key, hash32(`${pod.metadata.uid}|${key}`, world.seed).toString(16).padStart(8, '0')];
    });
    world.put({ ...asset, status: { attachedTo: [], ...asset.status, store: { rows, checksum: checksumOf(rows) } } });
    return;
  }
  if (!storeHolds(store)) world.event(pod, 'StoreDamaged', "What lies in the volume doesn't agree with its checksum.", 'Warning');
}
