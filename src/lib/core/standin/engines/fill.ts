import { bytesOf, hash32, momentOf } from '../../shared';
import type { Asset, Pod } from '../../model';
import { fileSystemRoom } from '../provider/file-systems';

/** Pod annotations (invented): what a member finds in its volume at first, and how much it writes in a day, e.g. `2Gi`. */
export const holdsMark = 'standin.example/holds';
/** The annotation that says how much a workload writes a day; of the stand-in. */
export const writesMark = 'standin.example/writes-a-day';

/** A day in ms. */
export const dayMs = 86_400_000;
/** Days are busy and nights are quiet: this share of the rate comes and goes with the day. */
const dailySwing = 0.6;

/** How far a day's swing has carried a volume beyond its even rate, in ms of even rate. */
const swing = (asset: Asset, atMs: number): number =>
  (dailySwing * dayMs * Math.sin((2 * Math.PI * atMs) / dayMs + (hash32(asset.metadata.name) % 628) / 100)) / (2 * Math.PI);

/** Bytes that can be written to an asset: what its file system leaves of its size. */
export const roomIn = (asset: Asset): number => fileSystemRoom(asset.spec.fsType, bytesOf(asset.spec.size)).availableBytes;

/** Bytes in an asset at a moment (virtual ms), never more than it can hold. Shared file systems have no fill. */
export function fillAt(asset: Asset, atMs: number): number {
  const fill = asset.status?.fill;
  if (!fill) return 0;
  const even = Math.max(0, atMs - fill.atMs) + swing(asset, Math.max(atMs, fill.atMs)) - swing(asset, fill.atMs);
  return Math.min(roomIn(asset), Math.round(fill.bytes + (fill.bytesPerDay * even) / dayMs));
}

/** When an asset will be full (virtual ms), or undefined when it won't within ten years. */
export function fullAtMs(asset: Asset): number | undefined {
  const fill = asset.status?.fill;
  if (!fill || fill.bytesPerDay <= 0) return undefined;
  const room = roomIn(asset);
  const even = ((room - fill.bytes) / fill.bytesPerDay) * dayMs;
  let low = fill.atMs;
  let high = fill.atMs + Math.max(0, even) + dayMs;
  if (high > 3_650 * dayMs) return undefined;
  if (fillAt(asset, low) >= room) return low;
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2);
    if (fillAt(asset, middle) >= room) high = middle;
    else low = middle;
  }
  return high;
}

const daily = (pod: Pod, mark: string): number => {
  const text = pod.metadata.annotations?.[mark];
  if (text === undefined) return 0;
  try {
    return bytesOf(text);
  } catch {
    return 0;
  }
};

/** Bytes that a pod writes in a day, by its annotation; 0 without one. */
export const writesOf = (pod: Pod): number => daily(pod, writesMark);
/** Bytes that a pod brings along when it finds its volume empty. */
export const bringsOf = (pod: Pod): number => daily(pod, holdsMark);

/** Bytes in a pod's ephemeral directories at a moment: what its annotations say it brings and writes, where it keeps nothing on a claim. */
export function ephemeralFillAt(pod: Pod, atMs: number): number {
  const volumes = pod.spec.volumes ?? [];
  if (!volumes.some((one) => one.emptyDir) || volumes.some((one) => one.persistentVolumeClaim ?? one.ephemeral) || !pod.status?.startTime)
    return 0;
  const forMs = Math.max(0, atMs - momentOf(pod.status.startTime));
  return Math.round(bringsOf(pod) + (writesOf(pod) * forMs) / dayMs);
}
