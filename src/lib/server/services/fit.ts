import type { Must } from '$core/fit';
import type { DraftText } from '../rehearsals/drafting';
import type { fitView } from '../views/fit';
import type { App } from './app';
import { done, type Answer } from './answer';

/** How a draft fits the clusters of the estate. */
export interface FitTable {
  /** The needs, in the order in which things have to be there. */
  readonly rows: readonly { readonly id: string; readonly title: string }[];
  /** Classes that the draft names, with what they must do; null where that is unseen. */
  readonly classes: readonly {
    readonly className: string;
    readonly many: boolean;
    readonly traits: { grows: boolean; keeps: boolean; encrypts: boolean; many: boolean } | null;
  }[];
  readonly problems: readonly string[];
  readonly clusters: readonly ClusterFit[];
}

/** How it fits one of them. */
export interface ClusterFit {
  readonly cluster: string;
  readonly kind: 'standin' | 'dump' | 'adopted';
  /** The rehearsal that was looked at. */
  readonly rehearsal: string;
  readonly fit: ReturnType<typeof fitView> | null;
  /** Why it can't be looked at, where it can't. */
  readonly fault: string | null;
}

/**
 * Holds a draft against every cluster of the estate.
 * @param id the rehearsal that it is written for; what its classes do there is what others must do
 * @param must what is said otherwise of a class, by its name
 * @param tried whether it is sent on a fork of each cluster, too
 */
export async function fitTable(
  app: App,
  id: string,
  files: readonly DraftText[],
  must: Readonly<Record<string, Must>>,
  tried: boolean
): Promise<Answer<FitTable>> {
  const home = await app.rehearsals.state(id);
  if (!home.ok) return home;
  const { cluster, fork } = home.value;
  const needs = await app.rehearsals.ask(id, 'fitNeeds', { files, cluster, must });
  if (!needs.ok) return needs;
  const { rows, classes, problems, traits } = needs.value;
  const known = new Set((await app.rehearsals.all()).map((one) => one.id));
  const clusters: ClusterFit[] = [];
  for (const { name, kind } of await app.clusters.all()) {
    // Another cluster is looked at in the fork that has one clock with this one, where there is one, else in its trunk.
    const forked = fork === null ? name : `${name}~${fork}`;
    const rehearsal = name === cluster ? id : app.rehearsals.kinOf(id).includes(forked) && known.has(forked) ? forked : name;
    try {
      const found = await app.rehearsals.ask(rehearsal, 'fit', { files, cluster: name, traits, tried: tried && kind !== 'dump' });
      clusters.push({ cluster: name, kind, rehearsal, fit: found.ok ? found.value : null, fault: found.ok ? null : found.refusal.detail });
    } catch (error) {
      clusters.push({
        cluster: name,
        kind,
        rehearsal,
        fit: null,
        fault: error instanceof Error ? error.message : 'it could not be looked at'
      });
    }
  }
  return done({ rows, classes, problems, clusters });
}
