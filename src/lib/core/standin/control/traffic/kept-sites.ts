import type { ClusterAccess } from '../loop';
import type { WorldSite } from './site';

interface Kept {
  readonly site: WorldSite;
  /** What the world had counted at the end of its last call. */
  readonly moved: number;
}

/** Workloads of one world whose sites are kept; what was kept first goes first. */
const mostKept = 64;
const worlds = new WeakMap<ClusterAccess, Map<string, Kept>>();

/** A workload's site of its last call, made ready for the next one; undefined where something has moved since, so that it has to be made anew. */
export function keptSite(world: ClusterAccess, key: string, nth: number): WorldSite | undefined {
  const kept = worlds.get(world)?.get(key);
  return kept?.moved === world.moved && kept.site.again(nth) ? kept.site : undefined;
}

/** Keeps a workload's site after a call. Derived from what stands, so it is no part of snapshots. */
export function keepSite(world: ClusterAccess, key: string, site: WorldSite): void {
  let mine = worlds.get(world);
  if (!mine) worlds.set(world, (mine = new Map()));
  mine.delete(key);
  mine.set(key, { site, moved: world.moved });
  if (mine.size > mostKept) mine.delete(mine.keys().next().value!);
}
