import { setImmediate as nextTurn } from 'node:timers/promises';
import { gunzipSync } from 'node:zlib';
import { assumptionsOf, compareDumps, groundOfDump, type Assumption, type DumpComparison } from '$core/dumps';
import { forgetParts, scopeOf, type ScopeNotes } from '$core/exports';
import { refOf, type ApiObject } from '$core/model';
import { whatBecame, type WhatBecame } from '$core/rootline';
import { Store } from '$core/standin';
import type { Clock } from './clock';

interface ReadCluster {
  readonly store: Store;
  readonly clock: Clock;
  /** Wall-clock ms of the last call. */
  usedAt: number;
}

/** Real clusters as their dumps show them: objects, and no time that runs. */
export class ReadClusters {
  protected readonly readClusters = new Map<string, ReadCluster>();

  /** A cluster that was read, if there is one under an id. */
  protected readCluster(id: string): ReadCluster | undefined {
    const one = this.readClusters.get(id);
    if (one) one.usedAt = Date.now();
    return one;
  }

  /** Stands up a cluster that was read, without its objects yet. */
  async openRead(id: string, nowMs: number): Promise<Clock> {
    const clock = { nowMs, frontierMs: nowMs, settled: true, running: 0, actions: 0, changes: 0 };
    const store = new Store(false);
    store.nowMs = nowMs;
    this.readClusters.set(id, { store, clock, usedAt: Date.now() });
    return clock;
  }

  /** Adds a part of a dump's objects to a cluster that was read. */
  async addRead(id: string, part: Uint8Array): Promise<void> {
    const { store } = this.readClusters.get(id)!;
    for (const object of JSON.parse(gunzipSync(part).toString('utf8')) as ApiObject[]) store.place(store.find(refOf(object)), object);
    await nextTurn();
  }

  /** How far a cluster that was read reaches, once its objects stand. */
  async boundRead(id: string, notes: ScopeNotes): Promise<void> {
    const { store } = this.readClusters.get(id)!;
    forgetParts(store);
    store.scope = scopeOf(store, notes);
  }

  /** Two clusters that were read, beside each other. */
  async compare(before: string, after: string): Promise<DumpComparison & { became: WhatBecame }> {
    const [earlier, later] = [this.readClusters.get(before)!.store, this.readClusters.get(after)!.store];
    return { ...compareDumps(earlier, later), became: whatBecame(earlier, later) };
  }

  /** What has to be supposed to rehearse on a cluster that was read. */
  async assumptions(id: string): Promise<Assumption[]> {
    return assumptionsOf(this.readClusters.get(id)!.store);
  }

  /** The ground of a rehearsal that goes on from a cluster that was read. */
  async groundOf(id: string, takenMs: number, answers: Readonly<Record<string, string>>): Promise<ApiObject[]> {
    return groundOfDump(this.readClusters.get(id)!.store, takenMs, answers);
  }
}
