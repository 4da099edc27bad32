import type { TimedAction } from '$core/standin';
import type { clusterRepository } from '../repositories/clusters';
import type { Rehearsal, RehearsalRepository } from '../repositories/rehearsals';

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
 * Makes a cluster with its rehearsals, the trunk first, behind all that are there. Where that fails, nothing of it stays; what a process
 * that ended in the middle has left is taken away at the next start.
 */
export async function addCluster(
  { clusters, store }: { readonly clusters: ReturnType<typeof clusterRepository>; readonly store: RehearsalRepository },
  cluster: Parameters<(typeof clusters)['add']>[0],
  rehearsals: readonly { readonly rehearsal: Rehearsal; readonly actions: readonly TimedAction[] }[]
): Promise<void> {
  await clusters.add(cluster, (await clusters.all()).length);
  try {
    for (const { rehearsal, actions } of rehearsals) await store.add(rehearsal, actions);
  } catch (error) {
    await clusters.remove(cluster.name).catch(() => undefined);
    throw error;
  }
}
