import { randomBytes } from 'node:crypto';
import { blueprintNamed, type Answers } from '$core/blueprints';
import { lengthFor, secretValue } from '$core/drafts';
import { writeManifests } from '$core/manifest';
import type { AskObject } from '$core/model';
import { scenario } from '../../scenario';
import { openDatabase, softConnection, type Database } from '../db/connection';
import { clusterRepository } from '../repositories/clusters';
import { dumpRepository } from '../repositories/dumps';
import { draftRepository } from '../repositories/drafts';
import { proofRepository, type KeptProof } from '../repositories/proofs';
import { rehearsalRepository } from '../repositories/rehearsals';
import { trialRepository } from '../repositories/trials';
import { startHost, type HostClient } from '../rehearsals/client';
import type { Queries } from '../views';
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
  /** Begins without the demo's clusters. */
  readonly empty?: boolean | undefined;
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
export async function createApp({ data, worker, reader, empty = false }: AppOptions) {
  const db = await openDatabase(data);
  if (!empty) await layDemo(db);
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
  const prover: HostClient = startHost(worker, () => {});
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

  let asks = 0;
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
    /** Lays the demo's clusters down; an estate that isn't empty stays as it is. */
    async openDemo() {
      await layDemo(db);
      return done({ items: (await clusters.all()).map(({ name }) => ({ name })) });
    },
    /** Runs the pack on a workload, in a worker of its own so that nobody waits for it, and keeps the evidence. */
    async prove(id: string, namespace: string, set: string, messages?: number) {
      const opening = await rehearsals.opening(id);
      if (!opening.ok) return opening;
      await prover.open(opening.value);
      const run = await prover.ask(id, 'prove', { namespace, set, ...(messages === undefined ? {} : { messages }) });
      await prover.close(id);
      if (!run) return refused(notFound(`The workload ${namespace}/${set}`));
      await proofs.add(id, namespace, set, run);
      const state = await rehearsals.state(id);
      if (state.ok) bus.publish({ rehearsal: id, kind: 'proved', clock: state.value.clock, revision: state.value.revision });
      return keptProofs(id);
    },
    /** Asks a workload and runs the clock until it has answered. */
    async askWorkload(id: string, { namespace, ...ask }: { namespace: string } & AskObject['spec'], revision?: number) {
      const asked = `c${Date.now().toString(36)}-${(asks += 1)}`;
      const sent = await rehearsals.act(id, { type: 'ask', namespace, id: asked, ask }, revision);
      if (!sent.ok) return sent;
      const moved = await rehearsals.move(id, { answered: { namespace, id: asked } });
      if (!moved.ok) return moved;
      const found = await rehearsals.ask(id, 'objects', { kind: 'Ask', namespace, name: asked });
      if (!found.ok) return found;
      const one = found.value[0] as AskObject | undefined;
      return done({ id: asked, nowMs: moved.value.nowMs, revision: sent.value.revision, ...one?.status });
    },
    /** The questions that a draft answers; secrets that come along with other answers are drawn now. */
    brief: (id: string, ask: Parameters<Queries['brief']>[1]) => {
      const random = (count: number) => new Uint8Array(randomBytes(count));
      const secrets = ask.to ? Array.from({ length: 8 }, () => secretValue('letters', lengthFor('letters'), random)) : [];
      return rehearsals.ask(id, 'brief', { ...ask, secrets });
    },
    /** Puts a blueprint's manifests into a draft, with secret values drawn now. */
    async draftBlueprint(id: string, blueprint: string, answers: Answers): Promise<Answer<{ id: number }>> {
      const found = await rehearsals.ask(id, 'blueprint', { id: blueprint, answers });
      if (!found.ok) return found;
      if (!found.value) return refused(notFound(`The blueprint ${blueprint}`));
      const { faults, title, answers: whole } = found.value;
      if (faults.length)
        return refused({
          code: 'bad-value',
          status: 422,
          title: 'An answer is wrong',
          detail: faults.map((one) => one.message).join(' '),
          remedy: 'Mend the answers, then put it in a draft.'
        });
      const random = (count: number) => new Uint8Array(randomBytes(count));
      const objects = blueprintNamed(blueprint)!.objects(whole, () => secretValue('letters', lengthFor('letters'), random));
      const state = await rehearsals.state(id);
      if (!state.ok) return state;
      const files = [{ name: `${whole.name ?? 'draft'}.yaml`, text: writeManifests(objects) }];
      return done({ id: await drafts.add(state.value.cluster, `${title} ${whole.name ?? ''}`.trim(), files) });
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
