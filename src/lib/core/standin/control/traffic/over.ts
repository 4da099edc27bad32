import { overOf } from '../../provider/over';
import type { ClusterAccess } from '../loop';

/** Where a workload that has members in several clusters is kept, and where else they stand. */
export interface Over {
  readonly lead: ClusterAccess;
  readonly others: readonly ClusterAccess[];
  /** The member that founds the group: the first of the first cluster. Without it nobody does, so that no cluster begins one of its own. */
  readonly founder: string;
}

/** Name of the memory of what is under way in workloads, by `namespace/name`. */
export const trafficMemory = 'traffic';

/**
 * The clusters of a workload, as its sets say; undefined where it stands in one. What its members know stays in the cluster where it was
 * kept first, also once no member stands there any more: who takes a cluster out starts no program of another one anew.
 */
export function reachesOver(world: ClusterAccess, key: string): Over | undefined {
  const setsIn = (one: ClusterAccess) => one.store.by<'StatefulSet'>('setsOfWorkload', key);
  const keeps = (one: ClusterAccess) => one.memory(trafficMemory).has(key);
  const mine = setsIn(world);
  let said = mine.find((set) => overOf(set));
  const { elsewhere } = world.store;
  const company = (elsewhere?.clusters ?? []).flatMap((cluster) => world.abroad(cluster) ?? []);
  // Where its own set has gone, those of the other clusters still say so.
  const means = (over: readonly string[] | undefined) => over && (over.includes(elsewhere!.here) || (!mine.length && keeps(world)));
  for (const other of company) said ??= setsIn(other).find((set) => means(overOf(set)));
  const clusters = said && overOf(said);
  if (!said || !clusters) return undefined;
  const worlds = elsewhere ? clusters.flatMap((one) => world.abroad(one) ?? []) : [];
  const without = company.filter((one) => !worlds.includes(one) && setsIn(one).every((set) => overOf(set)));
  const [first = world] = worlds;
  const lead = [...worlds, ...without].find(keeps) ?? first;
  // A first cluster that can't be seen is taken to begin at 0, as one does that was never taken out.
  const founds = elsewhere && world.abroad(clusters[0]!);
  const start = (founds && setsIn(founds).find((set) => overOf(set))?.spec.ordinals?.start) ?? 0;
  return { lead, others: worlds.filter((one) => one !== lead), founder: `${said.metadata.name}-${start}` };
}
