import type { ClusterAccess } from '../loop';
import type { WorldSite } from './site';

interface Kept {
  readonly site: WorldSite;
  /** What the world had counted at the end of its last call. */
  readonly moved: number;
}

/** Workloads of one world whose sites are kept; what was kept first goes first. A bound of memory, chosen here. */
const mostKept = 64;
const worlds = new WeakMap<ClusterAccess, Map<string, Kept>>();

/**
 * Takes out a workload's site of its last call, made ready for the next one; undefined where something has moved since, so that it has to be
 * made anew. A call that doesn't come to its end, or is made by another site, leaves none behind.
 */
export function takeSite(world: ClusterAccess, key: string, nth: number): WorldSite | undefined {
  const mine = worlds.get(world);
  const kept = mine?.get(key);
  mine?.delete(key);
  return kept?.moved === world.moved && kept.site.again(nth) ? kept.site : undefined;
}

/** Keeps a workload's site after a call. Derived from what stands, so it is no part of snapshots. */
export function keepSite(world: ClusterAccess, key: string, site: WorldSite): void {
  let mine = worlds.get(world);
  if (!mine) worlds.set(world, (mine = new Map()));
  mine.set(key, { site, moved: world.moved });
  if (mine.size > mostKept) mine.delete(mine.keys().next().value!);
}
