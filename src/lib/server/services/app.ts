import { availableParallelism } from 'node:os';
import { blueprintNamed, type Answers } from '$core/blueprints';
import { writeManifests } from '$core/manifest';
import type { AskObject } from '$core/model';
import { isStale } from '$core/proofs';
import { scenario } from '../../scenario';
import { openData, type Database } from '../db/connection';
import { dataFaultOf, type DataFault } from '../db/faults';
import { inTransaction } from '../db/transaction';
import { log, loggable } from '../log';
import { makeMetrics } from '../metrics';
import { accessRepository } from '../repositories/access';
import { Provider } from '../access/provider';
import type { Caller } from '../access/roles';
import { settingsOf, type Settings } from '../settings';
import { AccessService } from './access';
import { BackupService } from './backups';
import { Presence } from './presence';
import { clusterRepository } from '../repositories/clusters';
import { dumpRepository } from '../repositories/dumps';
import { draftRepository } from '../repositories/drafts';
import { proofRepository, type KeptProof } from '../repositories/proofs';
import { rehearsalRepository } from '../repositories/rehearsals';
import { trialRepository } from '../repositories/trials';
import { drillRepository } from '../repositories/drills';
import { startHost } from '../rehearsals/client';
import { startHosts } from '../rehearsals/spread';
import type { Queries } from '../views';
import { done, notFound, refused, type Answer } from './answer';
import { DraftService } from './drafts';
import { DumpService } from './dumps';
import { LayoutService } from './layouts';
import { LiveBus } from './live';
import { addClusterTo, trunkOf } from '../repositories/new-cluster';
import { RehearsalService } from './rehearsals';
import { stillLinked } from './rehearsal-refusals';
import { TransferService } from './transfer';
import { tryDemo } from './demo';
import { drawn } from './drawn';
import { handover } from './handover';
import { cards } from './cards';
import { sizingRepository } from '../repositories/sizings';
import { moves } from './moves';
import { sizings } from './sizings';
import { DrillService } from './drills';
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
  readonly settings?: Settings | undefined;
}

type EstateRow = ReturnType<Queries['estate']>;
/** The row of a cluster of which nothing can be seen. */
const unseenRow = (sentence: string): EstateRow => ({
  levels: [],
  trace: null,
  broken: false,
  proof: null,
  sentence,
  claims: { bound: 0, wanted: 0 },
  members: { ready: 0, wanted: 0 },
  clock: { nowMs: 0, frontierMs: 0, settled: true, running: 0, actions: 0, changes: 0 },
  nodes: 0,
  zones: 0,
  totalBytes: 0,
  takenBytes: 0,
  volumeBytes: 0,
  overdue: false
});

/** So many drills are run beside each other, each in a worker of its own. */
const atOnce = Math.max(1, Math.min(2, availableParallelism()));

/** Lays the demo's clusters down in an empty database. Gives whether it was one. */
async function layDemo(db: Database): Promise<boolean> {
  if ((await clusterRepository(db).all()).length) return false;
  await inTransaction(db, async (tx) => {
    const add = addClusterTo(tx);
    for (const one of scenario()) {
      const trunk = { rehearsal: trunkOf(one.name, one.headMs, one.actions.length), actions: one.actions };
      const forks = (one.forks ?? []).map(({ name, forkedAtMs, headMs, actions }) => ({
        rehearsal: {
          ...trunkOf(one.name, headMs, actions.length),
          id: `${one.name}~${name}`,
          fork: name,
          parent: one.name,
          forkedAtMs
        },
        actions
      }));
      await add(one, [trunk, ...forks]);
    }
  });
  return true;
}

/** Everything that routes may call. */
export async function createApp({ data, worker, reader, empty = false, settings = settingsOf({}) }: AppOptions) {
  const file = await openData(data, { mostBytes: settings['most-disk'], fresh: settings.fresh });
  const { db, soft } = file;
  const clusters = clusterRepository(db);
  await clusters.dropUnfinished();
  const laid = !empty && (await layDemo(db));
  const proofs = proofRepository(db);
  const drafts = draftRepository(db);
  const dumps = dumpRepository(db, soft);
  await dumps.dropUnfinished();
  const bus = new LiveBus();
  const told: { to?: RehearsalService } = {};
  const most = { mostBytes: settings['most-memory'] };
  const host = startHosts(
    worker,
    (id, clock) => void told.to?.told(id, clock),
    (stood) => told.to?.forget(stood),
    most
  );
  const prover = startHost(worker, () => {});
  const textReader = startHost(worker, () => {});
  /** Why something behind an answer couldn't be kept; over with the next thing that is. */
  let unkept: DataFault | undefined;
  const rehearsals = new RehearsalService({
    host,
    reader: textReader,
    bus,
    store: rehearsalRepository(db),
    cluster: clusters.find,
    head: clusters.head,
    dumps,
    kept: () => (unkept = undefined),
    unkept(error, id) {
      unkept = dataFaultOf(error);
      log.error({ rehearsal: id, ...loggable(error) }, 'something behind an answer was not kept');
      bus.publish({ rehearsal: id, kind: 'unkept', clock: null, revision: 0 });
    }
  });
  told.to = rehearsals;
  // Where even that can't be read, rehearsals that are linked say so when they are stood up.
  await rehearsals.learnKin().catch((error: unknown) => log.error(loggable(error), 'which rehearsals are linked could not be read'));
  const who = accessRepository(db);
  const access = new AccessService(who, settings.signIn, settings.tls);
  await access.begin();
  const presence = new Presence(bus);
  const provider = new Provider(settings);
  const metrics = makeMetrics();
  const backups = new BackupService(file, settings);
  const writing = new DraftService(drafts, rehearsals);
  const trials = new TrialService(rehearsals, trialRepository(db));
  const drills = new DrillService(rehearsals, drillRepository(db), bus, () => startHost(worker, () => {}), atOnce);
  const layouts = new LayoutService(clusters, rehearsalRepository(db), addClusterTo(db));
  const reading = new DumpService({
    dumps,
    clusters,
    addCluster: addClusterTo(db),
    store: rehearsalRepository(db),
    rehearsals,
    host,
    bus,
    reader
  });

  /** Nobody waits for what is tried of the demo. */
  const tryIt = () => void (settings['demo-drills'] && tryDemo(rehearsals, drills));
  if (laid) tryIt();

  /** The latest proofs at the clock's head, each with whether what it proves has changed since. */
  async function keptProofs(id: string): Promise<Answer<(KeptProof & { stale: boolean })[]>> {
    const state = await rehearsals.state(id);
    if (!state.ok) return state;
    const kept = await proofs.latest(id, state.value.clock.nowMs);
    if (!kept.length) return done([]);
    const touched = await rehearsals.ask(id, 'touched', { sets: kept.map((one) => ({ namespace: one.namespace, name: one.set })) });
    if (!touched.ok) return touched;
    const at = new Map(touched.value.map((one) => [`${one.namespace}/${one.name}`, one]));
    return done(kept.map((one) => ({ ...one, stale: isStale(at.get(`${one.namespace}/${one.set}`), one) })));
  }

  let asks = 0;
  return {
    bus,
    rehearsals,
    drafts,
    writing,
    clusters,
    trials,
    drills,
    layouts,
    reading,
    keptProofs,
    /** Lays the demo's clusters down; an estate that isn't empty stays as it is. */
    async openDemo() {
      if (await layDemo(db)) {
        await rehearsals.learnKin();
        tryIt();
      }
      return done({ items: (await clusters.all()).map(({ name }) => ({ name })) });
    },
    /** Runs the pack on a workload, in a worker of its own so that nobody waits for it, and keeps the evidence. */
    async prove(id: string, namespace: string, set: string, messages?: number, revision?: number) {
      const old = await rehearsals.staleFor(id, revision);
      if (old) return refused(old);
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
      return rehearsals.ask(id, 'brief', { ...ask, secrets: ask.to ? drawn(8) : [] });
    },
    ...moves({ rehearsals, drafts }),
    ...cards({ rehearsals, drafts }),
    ...handover({ rehearsals, drills, keptProofs, sizingsOf: sizingRepository(db).of }),
    ...sizings({ rehearsals, drafts, drills, kept: sizingRepository(db) }),
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
      const objects = blueprintNamed(blueprint)!.objects(whole, () => drawn(1)[0]!);
      const state = await rehearsals.state(id);
      if (!state.ok) return state;
      const files = [{ name: `${whole.name ?? 'draft'}.yaml`, text: writeManifests(objects) }];
      return done({ id: await drafts.add(state.value.cluster, `${title} ${whole.name ?? ''}`.trim(), files) });
    },
    /** Takes a laid-out cluster away, with its worlds. */
    async removeCluster(name: string) {
      await rehearsals.state(name).catch(() => undefined);
      const linked = rehearsals.linkedWith(name);
      if (linked.length) return refused(stillLinked(name, linked));
      // Forks of it that are linked go with all that have one clock with them.
      const kin = (await rehearsals.all()).flatMap((one) => (one.cluster === name ? rehearsals.kinOf(one.id) : []));
      const removed = await layouts.remove(name, rehearsals.brokenWhy(name) !== undefined);
      if (!removed.ok) return removed;
      await dumps.dropAll(name);
      await rehearsals.forgetAll([...removed.value.rehearsals, ...kin]);
      return removed;
    },
    /** All clusters with their stacks, for the estate. One that can't be stood up takes no other along: its row says why. */
    async estate() {
      return Promise.all(
        (await clusters.all()).map(async (cluster) => {
          const head = { id: cluster.name, ...cluster };
          const lost = (fault: string) => ({ ...head, ...unseenRow(fault), fault });
          try {
            const kept = await keptProofs(cluster.name);
            const row = await rehearsals.ask(cluster.name, 'estate', { proofs: kept.ok ? kept.value : [] });
            if (!row.ok) return lost(row.refusal.detail);
            return { ...head, ...row.value, fault: rehearsals.brokenWhy(cluster.name) ?? null };
          } catch (error) {
            const fault = dataFaultOf(error);
            if (!fault) log.error({ cluster: cluster.name, ...loggable(error) }, "a cluster can't be shown");
            return lost(fault?.message ?? 'Something went wrong on our side; the log says more.');
          }
        })
      );
    },
    /** Clusters that are linked with each other, with what stands over several of them. What can't be stood up says so in its own row. */
    async linkedGroups() {
      return Promise.all(
        rehearsals.groups().map(async (ids) => {
          const [id] = ids as [string];
          const head = { id, fork: id.split('~')[1] ?? null, clusters: ids.map((one) => one.split('~')[0]!) };
          const found = await rehearsals.ask(id, 'linked', {}).catch(() => undefined);
          if (!found?.ok) return { ...head, workloads: [], fault: 'They could not be stood up; the log says more.' };
          const workloads = found.value.workloads.map(({ name, namespace, parts, state, sentence }) => ({
            name,
            namespace,
            state,
            sentence,
            clusters: parts.map((one) => one.cluster)
          }));
          return { ...head, workloads, fault: rehearsals.brokenWhy(id) ?? null };
        })
      );
    },
    /** The connection itself, for tests. */
    db,
    access,
    provider,
    presence,
    metrics,
    backups,
    settings,
    deeds: who.deeds,
    /** Writes down who did what. */
    async did(
      caller: Pick<Caller, 'name'>,
      deed: {
        what: string;
        cluster?: string | undefined;
        rehearsal?: string | undefined;
        draft?: number | undefined;
        detail?: string | undefined;
      }
    ) {
      const { what, cluster = null, rehearsal = null, draft = null, detail = '' } = deed;
      await who.addDeed({ who: caller.name, what, cluster, rehearsal, draft, detail });
    },
    /** Why nothing can be kept just now; undefined while all is well. */
    dataFault: (): DataFault | undefined => file.fault() ?? unkept,
    /** Something couldn't be kept: clocks stop, and everybody is told. */
    async inTrouble(fault: DataFault): Promise<void> {
      unkept = fault;
      await host.haltAll().catch(() => undefined);
      bus.publish({ rehearsal: 'all', kind: 'unkept', clock: null, revision: 0 });
    },
    /** Why the data file itself is of no use: it was taken away, or emptied. */
    dataGone: () => file.fault(),
    /** Tells whoever has a draft open that somebody has kept something else. */
    tellDraft({ id, cluster, revision }: { id: number; cluster: string; revision: number }, caller: Pick<Caller, 'name'>) {
      bus.publish({ rehearsal: cluster, kind: 'draft', clock: null, revision, place: `draft ${id}`, who: caller.name });
    },
    transfer: new TransferService({
      linkedWith: rehearsals.linkedWith,
      clusters,
      addCluster: addClusterTo(db),
      store: rehearsalRepository(db),
      drafts,
      proofs
    }),
    /** What is measured, as text. */
    async measured(streams: number): Promise<{ text: string; type: string }> {
      const stats = await host.stats();
      metrics.worlds.set(stats.worlds);
      metrics.changes.set(stats.changes);
      metrics.heap.set(stats.heapBytes);
      metrics.heapMost.set(stats.heapLimitBytes);
      metrics.slice.set(stats.longestSliceMs / 1_000);
      metrics.queued.set(host.waiting());
      metrics.streams.set(streams);
      metrics.database.set(file.bytes());
      metrics.memory.set(process.memoryUsage.rss());
      return { text: await metrics.registry.metrics(), type: metrics.registry.contentType };
    },
    /** Whether worlds answer and the database can be read. */
    async ready(): Promise<boolean> {
      await db.selectFrom('cluster').select('name').limit(1).execute();
      await host.stats();
      return file.fault() === undefined;
    },
    /** What has to be done every now and then: worlds put to rest, what is over taken away, backups made. */
    async tend(now = Date.now()): Promise<void> {
      await rehearsals.rest(settings['most-memory'], now);
      await access.tidy(now);
      await who.dropDeeds(new Date(now - settings['keep-deeds'] * 86_400_000).toISOString());
      await backups.tend(now);
    },
    async close() {
      // A clock that runs on for very long doesn't keep the end waiting.
      await host.haltAll().catch(() => undefined);
      await Promise.race([rehearsals.end(), new Promise((done) => setTimeout(done, 5_000).unref())]);
      drills.end();
      for (const one of [host, prover, textReader]) await one.end();
      await file.close();
    }
  };
}

export type App = Awaited<ReturnType<typeof createApp>>;
