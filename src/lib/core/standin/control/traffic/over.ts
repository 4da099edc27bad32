import { overOf } from '../../provider/over';
import type { ClusterAccess } from '../loop';

/** Where a workload that has members in several clusters is kept, and where else they stand. */
export interface Over {
  readonly lead: ClusterAccess;
  readonly others: readonly ClusterAccess[];
  /** The member that founds the group: the first of the first cluster. Without it nobody does, so that no cluster begins one of its own. */
  readonly founder: string;
}

/** The clusters of a workload, as its sets say; undefined where it stands in one. */
export function reachesOver(world: ClusterAccess, key: string): Over | undefined {
  const mine = world.store.by<'StatefulSet'>('setsOfWorkload', key);
  let said = mine.find((set) => overOf(set));
  const { elsewhere } = world.store;
  // Where its own set has gone, those of the other clusters still say so.
  for (const cluster of elsewhere?.clusters ?? [])
    said ??= world
      .abroad(cluster)!
      .store.by<'StatefulSet'>('setsOfWorkload', key)
      .find((set) => overOf(set)?.includes(elsewhere!.here));
  const clusters = said && overOf(said);
  if (!said || !clusters) return undefined;
  const founder = `${said.metadata.name}-0`;
  const worlds = elsewhere ? clusters.flatMap((one) => world.abroad(one) ?? []) : [];
  const [lead = world, ...others] = worlds;
  return { lead, others, founder };
}
