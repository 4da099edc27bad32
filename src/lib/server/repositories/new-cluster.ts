import type { TimedAction } from '$core/standin';
import type { Database } from '../db/connection';
import { inTransaction } from '../db/transaction';
import { clusterRepository } from './clusters';
import { rehearsalRepository, type Rehearsal } from './rehearsals';

/** The trunk of a new cluster; times are virtual ms. */
export const trunkOf = (name: string, headMs: number, revision = 0): Rehearsal => ({
  id: name,
  cluster: name,
  fork: null,
  parent: null,
  forkedAtMs: null,
  headMs,
  frontierMs: headMs,
  revision
});

/**
 * Makes a cluster with its rehearsals, the trunk first, behind all that are there, and whatever else belongs to it: all of it, or nothing.
 * @param also writes what else belongs to it, through the database that it is given
 */
export type AddCluster = (
  cluster: Parameters<ReturnType<typeof clusterRepository>['add']>[0],
  rehearsals: readonly { readonly rehearsal: Rehearsal; readonly actions: readonly TimedAction[] }[],
  also?: (tx: Database) => Promise<void>
) => Promise<void>;

export const addClusterTo =
  (db: Database): AddCluster =>
  (cluster, rehearsals, also) =>
    inTransaction(db, async (tx) => {
      const clusters = clusterRepository(tx);
      const store = rehearsalRepository(tx);
      await clusters.add(cluster, (await clusters.all()).length);
      for (const { rehearsal, actions } of rehearsals) await store.add(rehearsal, actions);
      await also?.(tx);
    });
