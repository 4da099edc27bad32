import { scenario } from '../../scenario';
import { openDatabase, softConnection, type Database } from '../db/connection';
import { clusterRepository } from '../repositories/clusters';
import { dumpRepository } from '../repositories/dumps';
import { draftRepository } from '../repositories/drafts';
import { proofRepository, type KeptProof } from '../repositories/proofs';
import { rehearsalRepository } from '../repositories/rehearsals';
import { trialRepository } from '../repositories/trials';
import { startHost, type HostClient } from '../rehearsals/client';
import { done, notFound, refused, type Answer } from './answer';
import { DraftService } from './drafts';
import { DumpService } from './dumps';
import { LayoutService } from './layouts';
import { LiveBus } from './live';
import { RehearsalService } from './rehearsals';
import { TrialService } from './trials';

export interface AppOptions {
  /** Folder of the database, or ':memory:'. */
  readonly data: string;
  /** The bundled worker, where there is one. */
  readonly worker?: string | undefined;
  /** The bundled reader of dumps, where there is one. */
  readonly reader?: string | undefined;
}

/** Lays the demo's clusters down in an empty database. */
async function layDemo(db: Database): Promise<void> {
  const clusters = clusterRepository(db);
  const rehearsals = rehearsalRepository(db);
  if ((await clusters.all()).length) return;
  for (const [place, one] of scenario().entries()) {
    await clusters.add(one, place);
    const { name, headMs, actions } = one;
    await rehearsals.add(
      { id: name, cluster: name, fork: null, parent: null, forkedAtMs: null, headMs, frontierMs: headMs, revision: actions.length },
      actions
    );
  }
}

/** Everything that routes may call. */
export async function createApp({ data, worker, reader }: AppOptions) {
  const db = await openDatabase(data);
  await layDemo(db);
  const clusters = clusterRepository(db);
  const proofs = proofRepository(db);
  const drafts = draftRepository(db);
  const soft = softConnection(data, db);
  const dumps = dumpRepository(db, soft);
  await dumps.dropUnfinished();
  const bus = new LiveBus();
  const told: { to?: RehearsalService } = {};
  const host: HostClient = startHost(
    worker,
    (id, clock) => void told.to?.told(id, clock),
    () => told.to?.forget()
  );
  const rehearsals = new RehearsalService({
    host,
    bus,
    store: rehearsalRepository(db),
    cluster: clusters.find,
    head: clusters.head,
    dumps
  });
  told.to = rehearsals;
  const writing = new DraftService(drafts, rehearsals);
  const trials = new TrialService(rehearsals, trialRepository(db));
  const layouts = new LayoutService(clusters, rehearsalRepository(db));
  const reading = new DumpService({ dumps, clusters, store: rehearsalRepository(db), rehearsals, host, bus, reader });

  /** The latest proofs at the clock's head, each with whether what it proves has changed since. */
  async function keptProofs(id: string): Promise<Answer<(KeptProof & { stale: boolean })[]>> {
    const state = await rehearsals.state(id);
    if (!state.ok) return state;
    const kept = await proofs.latest(id, state.value.clock.nowMs);
    if (!kept.length) return done([]);
    const touched = await rehearsals.ask(id, 'touched', { sets: kept.map((one) => ({ namespace: one.namespace, name: one.set })) });
    if (!touched.ok) return touched;
    const at = new Map(touched.value.map((one) => [`${one.namespace}/${one.name}`, one.atMs]));
    return done(kept.map((one) => ({ ...one, stale: (at.get(`${one.namespace}/${one.set}`) ?? Infinity) > one.atMs })));
  }

  return {
    bus,
    rehearsals,
    drafts,
    writing,
    clusters,
    trials,
    layouts,
    reading,
    keptProofs,
    /** Runs the pack on a set and keeps the evidence. */
    async prove(id: string, namespace: string, set: string) {
      const run = await rehearsals.ask(id, 'prove', { namespace, set });
      if (!run.ok) return run;
      if (!run.value) return refused(notFound(`StatefulSet ${namespace}/${set}`));
      await proofs.add(id, namespace, set, run.value);
      const state = await rehearsals.state(id);
      if (state.ok) bus.publish({ rehearsal: id, kind: 'proved', clock: state.value.clock, revision: state.value.revision });
      return keptProofs(id);
    },
    /** Takes a laid-out cluster away, with its worlds. */
    async removeCluster(name: string) {
      const removed = await layouts.remove(name);
      if (removed.ok) await dumps.dropAll(name);
      if (removed.ok) for (const id of removed.value.rehearsals) await rehearsals.release(id);
      return removed;
    },
    /** All clusters with their stacks, for the estate. */
    async estate() {
      return Promise.all(
        (await clusters.all()).map(async (cluster) => {
          const kept = await keptProofs(cluster.name);
          const row = await rehearsals.ask(cluster.name, 'estate', { proofs: kept.ok ? kept.value : [] });
          if (!row.ok) throw new Error(row.refusal.detail);
          return { id: cluster.name, ...cluster, ...row.value };
        })
      );
    },
    async close() {
      await db.destroy();
      if (soft !== db) await soft.destroy();
    }
  };
}

export type App = Awaited<ReturnType<typeof createApp>>;
