import { bytesOf } from '../../shared';
import type { Backend, Facts } from '../../model';

/** Bytes and number of volumes handed out of a zone. */
export interface Used {
  readonly sizeBytes: number;
  readonly volumes: number;
}

/** The backend that a driver draws from. */
export const backendOf = (facts: Facts, driver: string): Backend | undefined =>
  facts.list('Backend').find((one) => one.spec.driver === driver);

/** What has been handed out, by zone, counted from the assets. */
export function usedOf(facts: Facts, backend: Backend): Map<string, Used> {
  const used = new Map<string, Used>();
  for (const asset of facts.list('Asset')) {
    if (asset.spec.backend !== backend.metadata.name) continue;
    const old = used.get(asset.spec.zone) ?? { sizeBytes: 0, volumes: 0 };
    used.set(asset.spec.zone, { sizeBytes: old.sizeBytes + bytesOf(asset.spec.size), volumes: old.volumes + 1 });
  }
  return used;
}

/** Why a backend can't make a volume, in the words of the storage interface's codes. Source: the Container Storage Interface, CreateVolume errors. */
export interface Shortage {
  readonly code: 'RESOURCE_EXHAUSTED' | 'OUT_OF_RANGE';
  readonly message: string;
  readonly field: string;
}

/** What keeps a volume of a size from being made in a zone; undefined when nothing does. */
export function shortageIn(backend: Backend, zone: string, sizeBytes: number, used: ReadonlyMap<string, Used>): Shortage | undefined {
  const { zones, quotaVolumes, leastSize, mostSize } = backend.spec;
  const name = backend.metadata.name;
  if (leastSize !== undefined && sizeBytes < bytesOf(leastSize))
    return { code: 'OUT_OF_RANGE', message: `${name} hands out ${leastSize} at the least.`, field: 'spec.leastSize' };
  if (mostSize !== undefined && sizeBytes > bytesOf(mostSize))
    return { code: 'OUT_OF_RANGE', message: `${name} hands out ${mostSize} at the most.`, field: 'spec.mostSize' };
  let count = 0;
  for (const one of used.values()) count += one.volumes;
  if (count >= quotaVolumes)
    return {
      code: 'RESOURCE_EXHAUSTED',
      message: `The quota of ${quotaVolumes} volumes of ${name} is used up.`,
      field: 'spec.quotaVolumes'
    };
  const place = zones.find((one) => one.name === zone);
  if (!place) return { code: 'RESOURCE_EXHAUSTED', message: `${name} has nothing in zone ${zone || '(none)'}.`, field: 'spec.zones' };
  const free = bytesOf(place.capacity) - (used.get(zone)?.sizeBytes ?? 0);
  if (sizeBytes > free)
    return {
      code: 'RESOURCE_EXHAUSTED',
      message: `${name} has ${Math.floor(free / 2 ** 30)} GiB free in zone ${zone}.`,
      field: 'spec.zones'
    };
  return undefined;
}
