import { type ApiObject } from '$core/model';
import type { Finding } from '$core/checker';
import { type ReadResult } from '$core/manifest';
import type { Cluster } from '../repositories/clusters';
import type { Rehearsal, RehearsalRepository } from '../repositories/rehearsals';
import type { StartedHost } from '../rehearsals/client';
import type { DraftLook, DraftText, LookOptions, Rework, Reworked } from '../rehearsals/drafting';
import { actionsUpTo, type Broken, type Clock, type Opening } from '../rehearsals/clock';
import { packActions } from '../rehearsals/kept-action';
import type { Queries, QueryName } from '../views';
import { epochMs } from '$core/shared';
import type { Dump, dumpRepository } from '../repositories/dumps';
import { done, refusalOf, refused, unknownRehearsal, type Answer, type Refusal } from './answer';
import type { PackAsk } from '$core/sizing';
import type { PackedNodes } from '../views/sizing-nodes';
import { Apart } from './apart';
import type { LiveBus } from './live';
import { WorldKeeper } from './world-keeper';
import { brokenRehearsal, readOnlyDump, staleRevision, packTooLong } from './rehearsal-refusals';

interface Parts {
  readonly host: StartedHost;
  /** Another worker, which reads and checks long texts, so that worlds don't wait for it. */
  readonly reader: Pick<StartedHost, 'read' | 'check' | 'packed' | 'end'>;
  readonly bus: LiveBus;
  readonly store: RehearsalRepository;
  readonly cluster: (name: string) => Promise<Cluster | undefined>;
  readonly head: (name: string) => Promise<Omit<Cluster, 'ground'> | undefined>;
  readonly dumps: Pick<ReturnType<typeof dumpRepository>, 'latest' | 'parts'>;
  /** Told when something behind an answer couldn't be written (a clock that ran, a snapshot). */
  readonly unkept?: (error: unknown, id: string) => void;
  /** Told when something was kept. */
  readonly kept?: () => void;
}

/** A rehearsal with its clock; `nowMs` and `settled` are the clock's, for those who ask nothing else. */
export type RehearsalState = Rehearsal & {
  readonly nowMs: number;
  readonly settled: boolean;
  readonly clock: Clock;
  /** Why it can't be stood up whole, where it can't. */
  readonly broken?: Broken;
};

/** What was read, if nothing is wrong with it; an empty batch is a problem too. */
function objectsOf({ objects, problems }: ReadResult): Answer<readonly ApiObject[]> {
  if (problems.length) return refused(refusalOf(problems));
  if (objects.length > mostObjects)
    return refused({
      code: 'too-large',
      status: 413,
      title: 'Too many objects at once',
      detail: `There are ${objects.length.toLocaleString('en')} objects in it; ${mostObjects.toLocaleString('en')} may be sent at once.`,
      remedy: 'Send them in several batches.'
    });
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

const originOf = (cluster: Cluster): Opening['origin'] => ({
  seed: cluster.seed,
  ground: cluster.ground,
  ...(cluster.kind === 'adopted' ? { adopted: true } : {})
});

const clusterOf = (id: string): string => id.split('~')[0]!;

/** Questions that are answered by running a world on. */
const worldly = new Set<QueryName>(['prove', 'drill', 'tryOut', 'persist', 'reach', 'cleanUp']);

/** Longer texts are read in a worker of their own. */
const longText = 65_536;

/** So many objects may be sent at once. */
const mostObjects = 8_000;

/** Rehearsals that are stood up when they are asked for, and all that can be asked of them. */
export class StandingRehearsals {
  private readonly queues = new Map<string, Promise<unknown>>();
  /** Rehearsals that have one clock with others, with all of those, themselves among them. */
  protected kin: ReadonlyMap<string, readonly string[]> = new Map();
  /** Rehearsals that can't be stood up whole. */
  protected readonly broken = new Map<string, Broken>();
  /** Rehearsals that the host holds; saves asking it each time. */
  protected readonly held = new Set<string>();

  private readonly apart: Apart;
  protected readonly keeper: WorldKeeper;

  constructor(protected readonly parts: Parts) {
    this.apart = new Apart(parts.reader);
    this.keeper = new WorldKeeper(parts, {
      holds: (id) => this.held.has(id) && !this.broken.has(id),
      inTurn: (id, work) => this.inTurn(id, work),
      letGo: (id) => this.letGo(id)
    });
  }

  /** Puts worlds to rest that nobody looks at, and more of them where memory gets short. Gives whether there is still too little room. */
  rest = (mostBytes: number | undefined, now = Date.now()): Promise<boolean> => this.keeper.rest(mostBytes, now);

  /** Nothing new is begun; what is under way is waited for, so that it is answered and kept. */
  async end(): Promise<void> {
    this.keeper.stop();
    await Promise.all(this.queues.values());
    this.keeper.stop();
  }

  /** All rehearsals that have one clock with one, itself among them; the order is the same for all of them. */
  kinOf = (id: string): readonly string[] => this.kin.get(id) ?? [id];

  /** All groups of rehearsals that have one clock. */
  groups = (): (readonly string[])[] => [...new Set(this.kin.values())];

  /** Clusters that a rehearsal has one clock with; by a cluster's name: its trunk. */
  linkedWith = (id: string): string[] =>
    this.kinOf(id)
      .filter((one) => one !== id)
      .map(clusterOf);

  /** Learns which rehearsals have one clock, and has them stand in one worker. Called when joins were added or taken back. */
  async learnKin(): Promise<void> {
    await this.standTogether(await this.kinBy(Infinity));
  }

  /** Which rehearsals have one clock with which, by a moment (virtual ms). */
  protected async kinBy(untilMs: number): Promise<ReadonlyMap<string, readonly string[]>> {
    const known = new Map((await this.parts.store.all()).map((one) => [one.id, one]));
    const groups = new Map<string, Set<string>>();
    for (const { rehearsal, with: cluster, atMs } of await this.parts.store.joins()) {
      const fork = known.get(rehearsal)?.fork;
      if (fork === undefined || atMs > untilMs) continue;
      const other = fork === null ? cluster : `${cluster}~${fork}`;
      if (!known.has(other)) continue;
      const both = new Set([rehearsal, other, ...(groups.get(rehearsal) ?? []), ...(groups.get(other) ?? [])]);
      for (const one of both) groups.set(one, both);
    }
    const sorted = new Map([...new Set(groups.values())].map((all) => [all, [...all].sort()]));
    return new Map([...groups].map(([id, all]) => [id, sorted.get(all)!]));
  }

  /** From now on these have one clock each. */
  protected async standTogether(kin: ReadonlyMap<string, readonly string[]>): Promise<void> {
    const { host } = this.parts;
    for (const all of new Set(kin.values())) {
      const clusters = [...new Set(all.map(clusterOf))];
      const moved = new Set(host.apart(clusters));
      for (const id of [...this.held]) if (moved.has(clusterOf(id))) await this.letGoOne(id);
      host.together(clusters);
    }
    this.kin = kin;
  }

  /** One after the other, per rehearsal; for those that have one clock, one after the other over all of them. */
  protected inTurn<T>(id: string, work: () => Promise<T>): Promise<T> {
    const [key] = this.kinOf(id) as [string];
    const before = this.queues.get(key) ?? Promise.resolve();
    // While it waited it may have been joined to others.
    const go = (): Promise<T> => (this.kinOf(id)[0] === key ? work() : this.inTurn(id, work));
    const mine = before.then(go, go);
    this.queues.set(
      key,
      mine.catch(() => undefined)
    );
    return mine;
  }

  /** Rebuilds a rehearsal from its actions (or its snapshot) when the host doesn't hold it. */
  protected async opened(id: string): Promise<Rehearsal | undefined> {
    const { host, store } = this.parts;
    const one = await store.find(id);
    if (!one) return undefined;
    if (!this.held.has(id)) {
      const cluster = await this.parts.cluster(one.cluster);
      if (!cluster) return undefined;
      if (cluster.kind === 'dump') {
        const dump = await this.parts.dumps.latest(cluster.name);
        if (!dump) return undefined;
        await this.openRead(id, dump);
      } else {
        const others: Opening[] = [];
        for (const other of this.kinOf(id)) {
          const found = other === id ? undefined : await store.find(other);
          const its = found && (await this.parts.cluster(found.cluster));
          if (its) others.push(await this.openingOf(found, its));
        }
        const opened = await host.open({ ...(await this.openingOf(one, cluster)), ...(others.length ? { kin: others } : {}) });
        for (const each of this.kinOf(id)) {
          if (opened.broken) this.broken.set(each, opened.broken);
          else this.broken.delete(each);
          this.held.add(each);
        }
      }
    }
    this.held.add(id);
    return one;
  }

  /** What a rehearsal is stood up from. */
  private async openingOf({ id, headMs, frontierMs, damaged: clockDamaged }: Rehearsal, cluster: Cluster): Promise<Opening> {
    const { store } = this.parts;
    const [{ actions, damaged }, snapshot] = [await store.actions(id), await store.snapshot(id)];
    const damage = damaged
      ? {
          after: damaged.after,
          untilMs: damaged.atMs,
          why: "what was done then is damaged in the database: it isn't as it was written"
        }
      : clockDamaged
        ? { after: actions.length, why: "where its clock stands is damaged in the database: it isn't as it was written" }
        : undefined;
    return {
      id,
      origin: originOf(cluster),
      actions: packActions(actions),
      headMs,
      frontierMs,
      ...(snapshot ? { snapshot } : {}),
      ...(damage ? { broken: damage } : {})
    };
  }

  /** A rehearsal as it stands at its clock's head, for standing it up a second time. */
  async opening(id: string): Promise<Answer<Opening>> {
    const open = await this.changeable(id);
    if (!open.ok) return open;
    const { nowMs } = await this.parts.host.status(id);
    const kin: Opening[] = [];
    for (const other of this.kinOf(id)) if (other !== id) kin.push(await this.openingAt(other, nowMs));
    return done({ ...(await this.openingAt(id, nowMs)), ...(kin.length ? { kin } : {}) });
  }

  private async openingAt(id: string, nowMs: number): Promise<Opening> {
    const { store } = this.parts;
    const cluster = (await this.parts.cluster((await store.find(id))!.cluster))!;
    const { actions } = await store.actions(id);
    const upTo = packActions(actions.slice(0, actionsUpTo(actions, nowMs)));
    return { id, origin: originOf(cluster), actions: upTo, headMs: nowMs, frontierMs: nowMs };
  }

  /** Stands a dump up under an id. */
  async openRead(id: string, dump: Dump): Promise<void> {
    const { host, dumps } = this.parts;
    await host.openRead(id, dump.takenMs - epochMs);
    for await (const part of dumps.parts(dump.id)) await host.addRead(id, part);
    const { lists = [], logs = [], others } = dump.summary;
    await host.boundRead(id, { lists, logs, others, corrections: dump.corrections });
  }

  /** A rehearsal, opened, if there is one and something may be done in it. */
  protected async changeable(id: string): Promise<Answer<Rehearsal>> {
    const one = await this.open(id);
    if (!one) return refused(unknownRehearsal(id));
    const still = (await this.readOnly(id)) ?? this.brokenness(id);
    return still ? refused(still) : done(one);
  }

  /** A rehearsal whose turn it is, stood up: it may have been taken away, put to rest or changed while somebody waited for it. */
  protected async ready(id: string, revision: number | undefined): Promise<Answer<Rehearsal>> {
    const one = await this.opened(id);
    if (!one) return refused(unknownRehearsal(id));
    const fault = (await this.stale(id, revision)) ?? this.brokenness(id);
    return fault ? refused(fault) : done(one);
  }

  protected brokenness(id: string): Refusal | undefined {
    const broken = this.broken.get(id);
    return broken && brokenRehearsal(id, broken);
  }

  /** Why a rehearsal can't be stood up whole, in one sentence; undefined where it can, or isn't stood up. */
  brokenWhy = (id: string): string | undefined => this.brokenness(id)?.detail;

  /** Why an editor's revision isn't the one that stands, if it isn't. */
  staleFor = async (id: string, revision: number | undefined): Promise<Refusal | undefined> =>
    revision === undefined ? undefined : (await this.open(id)) ? this.stale(id, revision) : unknownRehearsal(id);

  protected async stale(id: string, revision: number | undefined): Promise<Refusal | undefined> {
    if (revision === undefined) return undefined;
    const one = await this.parts.store.find(id);
    if (!one) return unknownRehearsal(id);
    if (one.revision === revision) return undefined;
    return staleRevision(revision, { revision: one.revision, clock: await this.parts.host.status(id) });
  }

  /** Whether a rehearsal is no rehearsal but a cluster that was read: it can be looked at and not changed. */
  protected async readOnly(id: string): Promise<Refusal | undefined> {
    const one = await this.parts.store.find(id);
    const cluster = one && (await this.parts.head(one.cluster));
    if (cluster?.kind !== 'dump') return undefined;
    return readOnlyDump(id);
  }

  /** A worker has ended with its worlds; each is rebuilt when it is asked for. */
  forget(stood: (id: string) => boolean): void {
    for (const id of [...this.held]) if (stood(id)) this.held.delete(id);
  }

  /** Lets the world of a rehearsal go that isn't kept any more. */
  release = (id: string): Promise<void> => this.inTurn(id, () => this.letGo(id));

  /** Takes rehearsals away for good, with their worlds; those that are gone already are let go. */
  async forgetAll(ids: readonly string[]): Promise<void> {
    for (const id of new Set(ids)) {
      await this.parts.store.remove(id);
      await this.inTurn(id, () => this.letGo(id));
    }
    await this.learnKin();
  }

  /** Lets a world go, and all that have one clock with it. */
  protected async letGo(id: string): Promise<void> {
    for (const one of this.kinOf(id)) await this.letGoOne(one);
  }

  private async letGoOne(id: string): Promise<void> {
    this.held.delete(id);
    this.keeper.forget(id);
    await this.parts.host.close(id);
  }

  protected async open(id: string): Promise<Rehearsal | undefined> {
    if (this.held.has(id) && !this.keeper.resting.has(id)) return this.parts.store.find(id);
    return this.inTurn(id, () => this.opened(id));
  }

  async all(): Promise<Rehearsal[]> {
    return this.parts.store.all();
  }

  /** Works with a rehearsal that is stood up; one that was put to rest or taken away just then is looked for once more. */
  protected async onWorld<T>(id: string, work: (one: Rehearsal) => Promise<T>): Promise<Answer<T>> {
    for (let tries = 0; ; tries += 1) {
      const one = await this.open(id);
      if (!one) return refused(unknownRehearsal(id));
      try {
        return done(await work(one));
      } catch (error) {
        if (tries > 0 || !(error instanceof Error && error.message.includes('is not open'))) throw error;
        this.held.delete(id);
      }
    }
  }

  state = (id: string): Promise<Answer<RehearsalState>> =>
    this.onWorld(id, async (one) => {
      const clock = await this.parts.host.status(id);
      const broken = this.broken.get(id);
      return { ...one, nowMs: clock.nowMs, settled: clock.settled, clock, ...(broken ? { broken } : {}) };
    });

  /** Asks a read-only question at the clock's head. */
  async ask<N extends QueryName>(id: string, name: N, params: Parameters<Queries[N]>[1]): Promise<Answer<ReturnType<Queries[N]>>> {
    const open = worldly.has(name) ? await this.changeable(id) : undefined;
    if (open && !open.ok) return open;
    return this.onWorld(id, async () => (await this.parts.host.ask(id, name, params)) as ReturnType<Queries[N]>);
  }

  async journal(id: string, fromMs: number, toMs: number | undefined, limit: number, secrets = false) {
    return this.onWorld(id, () => this.parts.host.journal(id, fromMs, toMs, limit, secrets));
  }

  /** Reads what was handed in; an empty batch is a problem too. Long texts are read apart, and given up when whoever sent them leaves. */
  async read(text: string, signal?: AbortSignal): Promise<Answer<readonly ApiObject[]>> {
    if (text.length <= longText) return objectsOf(await this.parts.host.read(text));
    const read = await this.apart.wait(() => this.parts.reader.read(text), signal);
    return read.ok ? objectsOf(read.value) : read;
  }

  /** Reads the files of a draft as they go to a cluster. */
  async readFiles(files: readonly DraftText[], cluster: string): Promise<Answer<readonly ApiObject[]>> {
    return objectsOf(await this.parts.host.readFiles(files, cluster));
  }

  /** Packs members on nodes, apart from the worlds; given up when whoever asks leaves. */
  packed(ask: PackAsk, signal?: AbortSignal): Promise<Answer<PackedNodes>> {
    return this.apart.wait(() => this.parts.reader.packed(ask), signal, packTooLong);
  }

  /** Checks manifests, against a rehearsal where one is named. */
  async check(text: string, against?: string, signal?: AbortSignal): Promise<Answer<{ findings: Finding[] }>> {
    if (against === undefined)
      return text.length > longText
        ? this.apart.wait(() => this.parts.reader.check(text, undefined), signal)
        : done(await this.parts.host.check(text, undefined));
    return this.onWorld(against, () => this.parts.host.check(text, against));
  }

  /** Looks a draft over against a rehearsal. */
  async look(
    id: string,
    files: readonly DraftText[],
    options: Omit<LookOptions, 'cluster'> = {}
  ): Promise<Answer<DraftLook & { revision: number }>> {
    return this.onWorld(id, async (one) => ({
      ...(await this.parts.host.look(id, files, { ...options, cluster: one.cluster })),
      revision: one.revision
    }));
  }

  /** Edits that rework a draft. */
  async rework(id: string, files: readonly DraftText[], what: Rework): Promise<Answer<Reworked>> {
    return this.onWorld(id, (one) => this.parts.host.rework(id, files, one.cluster, what));
  }

  /** The edits that make a bundle for a cluster of a draft, and which of its files are tables. */
  bundle = (files: readonly DraftText[], cluster: string, secrets: boolean) => this.parts.host.bundle(files, cluster, secrets);

  /** Names that exist on a rehearsal. */
  async names(id: string): Promise<Answer<{ kind: string; namespace: string; name: string }[]>> {
    return this.onWorld(id, () => this.parts.host.names(id));
  }
}
