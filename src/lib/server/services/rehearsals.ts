import { nameFault, type ApiObject, type Ref } from '$core/model';
import type { Finding } from '$core/checker';
import { asManifest, writeManifests, type ReadResult } from '$core/manifest';
import type { Action } from '$core/standin';
import type { Cluster } from '../repositories/clusters';
import type { Rehearsal, RehearsalRepository } from '../repositories/rehearsals';
import type { HostClient } from '../rehearsals/client';
import type { DraftLook, DraftText, LookOptions, Rework, Reworked } from '../rehearsals/drafting';
import { latestMs, type Clock, type ClockMove, type Moved, type Opening } from '../rehearsals/clock';
import type { Queries, QueryName } from '../views';
import { epochMs } from '$core/shared';
import type { Dump, dumpRepository } from '../repositories/dumps';
import { done, notFound, refusalOf, refused, unknownRehearsal, type Answer, type Refusal } from './answer';
import type { LiveBus } from './live';
import {
  readOnlyDump,
  tooFarAhead,
  staleRevision,
  nameNeeded,
  nothingToUndo,
  badForkName,
  nothingThereYet,
  forkTaken,
  trunkStays
} from './rehearsal-refusals';

interface Parts {
  readonly host: HostClient;
  readonly bus: LiveBus;
  readonly store: RehearsalRepository;
  readonly cluster: (name: string) => Promise<Cluster | undefined>;
  readonly head: (name: string) => Promise<Omit<Cluster, 'ground'> | undefined>;
  readonly dumps: Pick<ReturnType<typeof dumpRepository>, 'latest' | 'parts'>;
}

/** A rehearsal with its clock; `nowMs` and `settled` are the clock's, for those who ask nothing else. */
export type RehearsalState = Rehearsal & { readonly nowMs: number; readonly settled: boolean; readonly clock: Clock };

/** What was read, if nothing is wrong with it; an empty batch is a problem too. */
function objectsOf({ objects, problems }: ReadResult): Answer<readonly ApiObject[]> {
  if (problems.length) return refused(refusalOf(problems));
  if (objects.length) return done(objects.map((one) => one.object));
  return refused(
    refusalOf([
      {
        code: 'nothing-to-send',
        message: 'There are no manifests in what was sent.',
        remedy: 'Send YAML or JSON with apiVersion, kind and metadata.',
        at: {}
      }
    ])
  );
}

/** Questions that are answered by running a world on. */
const worldly = new Set<QueryName>(['prove', 'tryOut', 'persist']);

/** How long after the last move a world is put into the cache. */
const snapshotDelayMs = 3_000;
const leastChangesForSnapshot = 300;

/** What can be done with rehearsals. Whatever changes one goes through its queue, so that two editors never mix. */
export class RehearsalService {
  private readonly queues = new Map<string, Promise<unknown>>();
  private readonly saving = new Map<string, NodeJS.Timeout>();
  private readonly persisted = new Map<string, number>();
  /** Rehearsals that the host holds; saves asking it each time. */
  private readonly held = new Set<string>();

  constructor(private readonly parts: Parts) {}

  /** One after the other, per rehearsal. */
  private inTurn<T>(id: string, work: () => Promise<T>): Promise<T> {
    const before = this.queues.get(id) ?? Promise.resolve();
    const mine = before.then(work, work);
    this.queues.set(
      id,
      mine.catch(() => undefined)
    );
    return mine;
  }

  /** Rebuilds a rehearsal from its actions (or its snapshot) when the host doesn't hold it. */
  private async opened(id: string): Promise<Rehearsal | undefined> {
    const { host, store } = this.parts;
    const one = await store.find(id);
    if (!one) return undefined;
    if (!this.held.has(id)) {
      const cluster = await this.parts.cluster(one.cluster);
      if (!cluster) return undefined;
      if (cluster.kind === 'dump') {
        const dump = await this.parts.dumps.latest(cluster.name);
        if (!dump) return undefined;
        await this.openStill(id, dump);
      } else {
        const [actions, snapshot] = [await store.actions(id), await store.snapshot(id)];
        await host.open({
          id,
          origin: { seed: cluster.seed, ground: cluster.ground, ...(cluster.kind === 'adopted' ? { adopted: true } : {}) },
          actions,
          headMs: one.headMs,
          frontierMs: one.frontierMs,
          ...(snapshot ? { snapshot } : {})
        });
      }
    }
    this.held.add(id);
    return one;
  }

  /** A rehearsal as it stands at its clock's head, for standing it up a second time. */
  async opening(id: string): Promise<Answer<Opening>> {
    const open = await this.changeable(id);
    if (!open.ok) return open;
    const { host, store } = this.parts;
    const { nowMs } = await host.status(id);
    const cluster = (await this.parts.cluster(open.value.cluster))!;
    const actions = (await store.actions(id)).filter((one) => one.atMs <= nowMs);
    return done({
      id,
      origin: { seed: cluster.seed, ground: cluster.ground, ...(cluster.kind === 'adopted' ? { adopted: true } : {}) },
      actions,
      headMs: nowMs,
      frontierMs: nowMs
    });
  }

  /** Stands a dump up under an id. */
  async openStill(id: string, dump: Dump): Promise<void> {
    const { host, dumps } = this.parts;
    await host.openStill(id, dump.takenMs - epochMs);
    for await (const part of dumps.parts(dump.id)) await host.addStill(id, part);
    const { lists = [], logs = [], others } = dump.summary;
    await host.boundStill(id, { lists, logs, others, corrections: dump.corrections });
  }

  /** A rehearsal, opened, if there is one and something may be done in it. */
  private async changeable(id: string): Promise<Answer<Rehearsal>> {
    const one = await this.open(id);
    if (!one) return refused(unknownRehearsal(id));
    const still = await this.readOnly(id);
    return still ? refused(still) : done(one);
  }

  /** Whether a rehearsal is no rehearsal but a cluster that was read: it can be looked at and not changed. */
  private async readOnly(id: string): Promise<Refusal | undefined> {
    const one = await this.parts.store.find(id);
    const cluster = one && (await this.parts.head(one.cluster));
    if (cluster?.kind !== 'dump') return undefined;
    return readOnlyDump(id);
  }

  /** The host has lost its worlds; each is rebuilt when it is asked for. */
  forget(): void {
    this.held.clear();
  }

  /** Lets the world of a rehearsal go that isn't kept any more. */
  release = (id: string): Promise<void> => this.inTurn(id, () => this.letGo(id));

  private async letGo(id: string): Promise<void> {
    this.held.delete(id);
    await this.parts.host.close(id);
  }

  private async open(id: string): Promise<Rehearsal | undefined> {
    if (this.held.has(id)) return this.parts.store.find(id);
    return this.inTurn(id, () => this.opened(id));
  }

  async all(): Promise<Rehearsal[]> {
    return this.parts.store.all();
  }

  async state(id: string): Promise<Answer<RehearsalState>> {
    const one = await this.open(id);
    if (!one) return refused(unknownRehearsal(id));
    const clock = await this.parts.host.status(id);
    return done({ ...one, nowMs: clock.nowMs, settled: clock.settled, clock });
  }

  /** Asks a read-only question at the clock's head. */
  async ask<N extends QueryName>(id: string, name: N, params: Parameters<Queries[N]>[1]): Promise<Answer<ReturnType<Queries[N]>>> {
    if (!(await this.open(id))) return refused(unknownRehearsal(id));
    const still = worldly.has(name) ? await this.readOnly(id) : undefined;
    if (still) return refused(still);
    return done((await this.parts.host.ask(id, name, params)) as ReturnType<Queries[N]>);
  }

  async journal(id: string, fromMs: number, toMs: number | undefined, limit: number) {
    if (!(await this.open(id))) return refused(unknownRehearsal(id));
    return done(await this.parts.host.journal(id, fromMs, toMs, limit));
  }

  private async keepClock(id: string, clock: Clock): Promise<void> {
    await this.parts.store.setClock(id, clock.nowMs, clock.frontierMs);
    clearTimeout(this.saving.get(id));
    if (clock.changes < leastChangesForSnapshot || clock.running) return;
    const timer = setTimeout(() => void this.keepSnapshot(id), snapshotDelayMs);
    timer.unref();
    this.saving.set(id, timer);
  }

  private async keepSnapshot(id: string): Promise<void> {
    await this.inTurn(id, async () => {
      if (!this.held.has(id) || !(await this.parts.store.find(id))) return;
      const saved = await this.parts.host.save(id);
      if (saved) await this.parts.store.keepSnapshot(id, { ...saved, bytes: Buffer.from(saved.bytes) });
    });
  }

  /** Told by the host when a clock moves by itself. */
  async told(id: string, clock: Clock): Promise<void> {
    const last = this.persisted.get(id) ?? 0;
    if (Date.now() - last > 1_000 || !clock.running) {
      this.persisted.set(id, Date.now());
      if (clock.running) await this.parts.store.setClock(id, clock.nowMs, clock.frontierMs);
    }
    const one = await this.parts.store.find(id);
    if (one) this.parts.bus.publish({ rehearsal: id, kind: 'clock', clock, revision: one.revision });
  }

  async move(id: string, move: ClockMove): Promise<Answer<Moved>> {
    const { host, bus } = this.parts;
    const open = await this.changeable(id);
    if (!open.ok) return open;
    const one = open.value;
    if ('untilMs' in move && move.untilMs > latestMs) {
      return refused(tooFarAhead(move.untilMs));
    }
    // A pause has to get through while a run is in the queue.
    if ('pause' in move || 'run' in move) await host.halt(id);
    return this.inTurn(id, async () => {
      const clock = await host.move(id, move);
      await this.keepClock(id, clock);
      bus.publish({ rehearsal: id, kind: 'clock', clock, revision: one.revision });
      return done(clock);
    });
  }

  /** Reads what was handed in; an empty batch is a problem too. */
  async read(text: string): Promise<Answer<readonly ApiObject[]>> {
    return objectsOf(await this.parts.host.read(text));
  }

  /** Reads the files of a draft as they go to a cluster. */
  async readFiles(files: readonly DraftText[], cluster: string): Promise<Answer<readonly ApiObject[]>> {
    return objectsOf(await this.parts.host.readFiles(files, cluster));
  }

  /** Checks manifests, against a rehearsal where one is named. */
  async check(text: string, against?: string): Promise<Answer<{ findings: Finding[] }>> {
    if (against !== undefined && !(await this.open(against))) return refused(unknownRehearsal(against));
    return done(await this.parts.host.check(text, against));
  }

  /** Looks a draft over against a rehearsal. */
  async look(
    id: string,
    files: readonly DraftText[],
    options: Omit<LookOptions, 'cluster'> = {}
  ): Promise<Answer<DraftLook & { revision: number }>> {
    const one = await this.open(id);
    if (!one) return refused(unknownRehearsal(id));
    return done({ ...(await this.parts.host.look(id, files, { ...options, cluster: one.cluster })), revision: one.revision });
  }

  /** Edits that rework a draft. */
  async rework(id: string, files: readonly DraftText[], what: Rework): Promise<Answer<Reworked>> {
    const one = await this.open(id);
    if (!one) return refused(unknownRehearsal(id));
    return done(await this.parts.host.rework(id, files, one.cluster, what));
  }

  /** The edits that make a bundle for a cluster of a draft, and which of its files are tables. */
  bundle = (files: readonly DraftText[], cluster: string, secrets: boolean) => this.parts.host.bundle(files, cluster, secrets);

  /** Names that exist on a rehearsal. */
  async names(id: string): Promise<Answer<{ kind: string; namespace: string; name: string }[]>> {
    if (!(await this.open(id))) return refused(unknownRehearsal(id));
    return done(await this.parts.host.names(id));
  }

  /** Takes an action: looked at, written down, carried out, then answered. Refused as a whole or not at all. */
  async act(id: string, action: Action, revision?: number) {
    const { host, store, bus } = this.parts;
    const open = await this.changeable(id);
    if (!open.ok) return open;
    return this.inTurn(id, async () => {
      const one = (await store.find(id))!;
      if (revision !== undefined && revision !== one.revision) {
        return refused(staleRevision(revision, { revision: one.revision, clock: await host.status(id) }));
      }
      const { atMs, refusals, outcomes } = await host.prepare(id, action);
      if (refusals.length) return refused(refusalOf(refusals));
      try {
        const newRevision = await store.append(id, { atMs, action });
        const clock = await host.commit(id, action);
        bus.publish({ rehearsal: id, kind: 'acted', clock, revision: newRevision });
        return done({ nowMs: clock.nowMs, revision: newRevision, outcomes });
      } catch (error) {
        await this.letGo(id);
        throw error;
      }
    });
  }

  /** Why something isn't sent yet: data would be lost, and the cluster's name doesn't stand beside it. */
  async lossGuard(
    id: string,
    objects: readonly ApiObject[],
    replace: readonly Ref[],
    confirm: string | undefined
  ): Promise<Refusal | undefined> {
    const one = await this.open(id);
    const sheet = one && (await this.ask(id, 'changeSheet', { objects, replace }));
    if (!one || !sheet?.ok || !sheet.value.lost.length || confirm === one.cluster) return undefined;
    return nameNeeded(one.cluster, confirm, sheet.value.lost);
  }

  /** The same for a restore in place. */
  async restoreGuard(
    id: string,
    ask: { namespace: string; claim: string; snapshot: string },
    confirm: string | undefined
  ): Promise<Refusal | undefined> {
    const one = await this.open(id);
    const sheet = one && (await this.ask(id, 'restore', ask));
    if (!one || !sheet?.ok || !sheet.value.lost.length || confirm === one.cluster) return undefined;
    return nameNeeded(one.cluster, confirm, sheet.value.lost);
  }

  send = (id: string, objects: readonly ApiObject[], revision?: number, replace: readonly Ref[] = []) =>
    this.act(id, { type: 'send', objects, ...(replace.length ? { replace } : {}) }, revision);

  remove = (id: string, ref: Ref, keepMembers: boolean, revision?: number, more: readonly Ref[] = []) =>
    this.act(id, { type: 'remove', ref, keepMembers, ...(more.length ? { more } : {}) }, revision);

  /** Finds one object and sends it altered, as if its manifest had been edited by hand. */
  private async alter(
    id: string,
    kind: 'StatefulSet' | 'PersistentVolumeClaim',
    ref: { namespace: string; name: string },
    change: (one: ApiObject) => ApiObject,
    revision?: number
  ) {
    const found = await this.ask(id, 'objects', { kind, ...ref });
    if (!found.ok) return found;
    const [object] = found.value;
    if (!object) return refused(notFound(`${kind} ${ref.namespace}/${ref.name}`));
    const read = await this.read(writeManifests([asManifest(change(object))]));
    return read.ok ? this.send(id, read.value, revision) : read;
  }

  scale = (id: string, { replicas, ...ref }: { namespace: string; name: string; replicas: number }, revision?: number) =>
    this.alter(id, 'StatefulSet', ref, (one) => (one.kind === 'StatefulSet' ? { ...one, spec: { ...one.spec, replicas } } : one), revision);

  grow = (id: string, { size, ...ref }: { namespace: string; name: string; size: string }, revision?: number) =>
    this.alter(
      id,
      'PersistentVolumeClaim',
      ref,
      (one) =>
        one.kind === 'PersistentVolumeClaim'
          ? {
              ...one,
              spec: { ...one.spec, resources: { ...one.spec.resources, requests: { ...one.spec.resources.requests, storage: size } } }
            }
          : one,
      revision
    );

  /** Takes the latest action back, with everything that followed from it. */
  async undo(id: string): Promise<Answer<Clock>> {
    const { host, store, bus } = this.parts;
    const open = await this.changeable(id);
    if (!open.ok) return open;
    return this.inTurn(id, async () => {
      const at = await store.withdraw(id);
      if (at === undefined) return refused(nothingToUndo());
      await store.dropSnapshot(id);
      await this.letGo(id);
      const one = (await this.opened(id))!;
      const clock = await host.status(id);
      bus.publish({ rehearsal: id, kind: 'acted', clock, revision: one.revision });
      return done(clock);
    });
  }

  /** Makes a copy of a rehearsal from a moment on; the rehearsal itself isn't touched. */
  async fork(id: string, name: string, atMs: number | undefined): Promise<Answer<RehearsalState>> {
    const { store, host, bus } = this.parts;
    const open = await this.changeable(id);
    if (!open.ok) return open;
    const one = open.value;
    const fault = nameFault(name, 'label');
    if (fault) return refused(badForkName(name, fault));
    const clock = await host.status(id);
    const moment = atMs ?? clock.nowMs;
    if (moment > clock.frontierMs) return refused(nothingThereYet(moment, clock.frontierMs));
    const forkId = `${one.cluster}~${name}`;
    if (await store.find(forkId)) return refused(forkTaken(forkId));
    const actions = (await store.actions(id)).filter((action) => action.atMs <= moment);
    await store.add(
      {
        id: forkId,
        cluster: one.cluster,
        fork: name,
        parent: id,
        forkedAtMs: moment,
        headMs: moment,
        frontierMs: moment,
        revision: actions.length
      },
      actions
    );
    bus.publish({ rehearsal: forkId, kind: 'forked', clock: null, revision: actions.length });
    return this.state(forkId);
  }

  /** Takes a fork away. The trunk of a cluster stays. */
  async drop(id: string): Promise<Answer<{ id: string }>> {
    const one = await this.parts.store.find(id);
    if (!one) return refused(unknownRehearsal(id));
    if (one.fork === null) return refused(trunkStays(id));
    return this.inTurn(id, async () => {
      await this.parts.store.remove(id);
      await this.letGo(id);
      return done({ id });
    });
  }
}
