import { bytesOf } from '../../shared';
import type { Backend, Facts, Node, Used } from '../../model';
import { driverCard } from './drivers';

/** The backend that a driver draws from. */
export const backendOf = (facts: Facts, driver: string): Backend | undefined =>
  facts.list('Backend').find((one) => one.spec.driver === driver);

/** The node label that a backend's volumes are bound to; '' when they are reached from anywhere. */
export const topologyOf = (backend: Backend): string => backend.spec.topologyKey ?? driverCard(backend.spec.driver)?.topologyKey ?? '';

/** Where a backend makes a volume for a node: its zone, the node itself, or the backend's only place. */
export function placeFor(backend: Backend, node: Node | undefined): string {
  const key = topologyOf(backend);
  return key === '' ? (backend.spec.zones[0]?.name ?? '') : (node?.metadata.labels?.[key] ?? '');
}

/** Why a backend can't make a volume, in the words of the storage interface's codes. Source: the Container Storage Interface, CreateVolume errors. */
export interface Shortage {
  readonly code: 'RESOURCE_EXHAUSTED' | 'OUT_OF_RANGE';
  readonly message: string;
  readonly field: string;
}

const inGib = (bytes: number): string => `${Math.floor(bytes / 2 ** 30).toLocaleString('en')} GiB`;

/** What is wrong with a size by itself. */
export function sizeShortage({ metadata, spec }: Backend, sizeBytes: number): Shortage | undefined {
  const { leastSize, mostSize } = spec;
  const { name } = metadata;
  if (leastSize !== undefined && sizeBytes < bytesOf(leastSize))
    return { code: 'OUT_OF_RANGE', message: `${name} hands out ${leastSize} at the least.`, field: 'spec.leastSize' };
  if (mostSize !== undefined && sizeBytes > bytesOf(mostSize))
    return { code: 'OUT_OF_RANGE', message: `${name} hands out ${mostSize} at the most.`, field: 'spec.mostSize' };
  return undefined;
}

/** What is free in a place of a backend, in bytes; undefined where it has no such place. */
export function freeIn(backend: Backend, zone: string, used: ReadonlyMap<string, Used>): number | undefined {
  const place = backend.spec.zones.find((one) => one.name === zone);
  return place && bytesOf(place.capacity) - (used.get(zone)?.sizeBytes ?? 0);
}

/** How many volumes a backend has handed out. */
export function volumesIn(used: ReadonlyMap<string, Used>): number {
  let count = 0;
  for (const one of used.values()) count += one.volumes;
  return count;
}

/** Whether a place has room for so many more bytes. Shared file systems are elastic and always have. */
export function roomShortage(backend: Backend, zone: string, moreBytes: number, used: ReadonlyMap<string, Used>): Shortage | undefined {
  const { name } = backend.metadata;
  if (backend.spec.fileSystem !== undefined) return undefined;
  const free = freeIn(backend, zone, used);
  if (free === undefined)
    return { code: 'RESOURCE_EXHAUSTED', message: `${name} has nothing in zone ${zone || '(none)'}.`, field: 'spec.zones' };
  if (moreBytes <= free) return undefined;
  return {
    code: 'RESOURCE_EXHAUSTED',
    message: `${name} has ${inGib(Math.max(0, free))} free in ${backend.spec.pool ? 'the pool' : `zone ${zone}`}.`,
    field: 'spec.zones'
  };
}

/** All that keeps a volume of a size from being made in a place, in the order in which it must be mended. */
export function shortagesIn(backend: Backend, zone: string, sizeBytes: number, used: ReadonlyMap<string, Used>): Shortage[] {
  const found: Shortage[] = [];
  const size = sizeShortage(backend, sizeBytes);
  if (size) found.push(size);
  const { quotaVolumes } = backend.spec;
  if (volumesIn(used) >= quotaVolumes)
    found.push({
      code: 'RESOURCE_EXHAUSTED',
      message: `The quota of ${quotaVolumes} volumes of ${backend.metadata.name} is used up.`,
      field: 'spec.quotaVolumes'
    });
  const room = roomShortage(backend, zone, sizeBytes, used);
  if (room) found.push(room);
  return found;
}
