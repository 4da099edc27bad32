import { createHash } from 'node:crypto';
import { setImmediate as nextTurn } from 'node:timers/promises';
import { getHeapStatistics } from 'node:v8';
import { readSteps, type ReadResult } from '$core/manifest';
import {
  engineVersion,
  Estate,
  planSteps,
  refusalsOf,
  replay,
  Views,
  World,
  type Action,
  type Refusal,
  type Store,
  type TimedAction
} from '$core/standin';
import { actionsUpTo, clockOf, outcomesOf, type Clock, type ClockMove, type Moved, type Opened, type Opening } from './clock';
import { Mover, type Tell } from './moving';
import { inTurns, Slices } from './slices';
import { packWorld } from './snapshot';
import { stoodUp, stoodUpTogether } from './opening';
import { factsAt, headAt, kinOf, rebuilt, rebuiltEstate, stageOf, withKin, type Stage } from './standing';
import { ReadClusters } from './read-clusters';
import { bundle, checkText, look, names, readFiles, rework, type DraftText, type LookOptions, type Rework } from './drafting';
import type { PackAsk } from '$core/sizing';
import { covered } from '../views/covered';
import { packedView, type PackedNodes } from '../views/sizing-nodes';
import { queries, type QueryName, type Queries } from '../views';

export type { Tell } from './moving';

/** A copy of a rehearsal's world as it stands at the clock's head; where it has company, with a copy of that. */
function forkOf({ kin, cluster, origin, actions, world, headMs }: Stage): World {
  const past = (all: readonly TimedAction[]) => all.filter((action) => action.atMs <= headMs);
  if (kin.length === 1) return headMs >= world.nowMs ? World.restore(origin.seed, world.save()) : replay(origin, past(actions), headMs);
  const estate =
    headMs >= world.nowMs
      ? (world.company!.worlds as Estate).fork()
      : Estate.replay(new Map(kin.map((one) => [one.cluster, { origin: one.origin, actions: past(one.actions) }])), headMs);
  return estate.world(cluster)!;
}

/** Runs worlds in slices, so that whoever asks in between is answered soon. Lives in a worker thread, or in the process for tests. */
export class Host extends ReadClusters {
  private readonly stages = new Map<string, Stage>();
  private readonly slices = new Slices();
  private readonly mover: Mover;

  constructor(tell: Tell = () => {}) {
    super();
    this.mover = new Mover(this.slices, tell, (one) => this.stages.get(one.id) === one);
  }

  private stage(id: string): Stage {
    const one = this.stages.get(id);
    if (!one) throw new Error(`rehearsal ${id} is not open`);
    one.usedAt = Date.now();
    return one;
  }

  /** What is known of a rehearsal, or of a cluster that was read, at its moment. */
  private factsOf(id: string): Store {
    return this.readCluster(id)?.store ?? factsAt(this.stage(id));
  }

  private async readyFacts(id: string): Promise<Store> {
    await this.stages.get(id)?.busy;
    return this.factsOf(id);
  }

  /**
   * Stands a rehearsal up, from its snapshot where that fits, else from its actions. Where an action can't be carried out it stands as
   * it was before that, and says why; it never fails as a whole.
   */
  async open(opening: Opening): Promise<Opened> {
    const stages = opening.kin?.length
      ? await stoodUpTogether(this.slices, [opening, ...opening.kin])
      : [await stoodUp(this.slices, opening)];
    for (const one of stages) this.stages.set(one.id, one);
    const [first] = stages as [Stage];
    return { ...clockOf(first), ...(first.broken ? { broken: first.broken } : {}) };
  }

  /** Worlds that begin as others stand at their frontier; what they share is shared. All that have one clock are copied together. */
  async copy(pairs: readonly (readonly [from: string, to: string])[]): Promise<void> {
    const from = pairs.map(([id]) => this.stage(id));
    await from[0]!.busy;
    const worlds: World[] = [];
    // All are taken as they stand at this moment, before anybody else has a turn.
    const saved = from.map((one) => {
      const { changes, ...rest } = one.world.save();
      // What the other world goes on changing is copied; its journal is only added to.
      const memories = new Map([...rest.memories].map(([name, map]) => [name, new Map(map)]));
      return {
        rest: { ...rest, memories, births: new Map(rest.births), steps: [...rest.steps], lines: [...rest.lines] },
        changes: changes.slice()
      };
    });
    for (const [i, { rest, changes }] of saved.entries())
      worlds.push(await inTurns(World.restoreSteps(from[i]!.origin.seed, rest, [changes])));
    if (worlds.length > 1) new Estate(worlds.map((world, i) => [from[i]!.cluster, world]));
    const made = kinOf(from.map((one, i) => stageOf(pairs[i]![1], one.origin, one.actions, worlds[i]!, one.headMs)));
    for (const one of made) this.stages.set(one.id, one);
  }

  /** How much is held here, for whoever watches the program. Bytes; ms since the last look. */
  async stats(): Promise<{ worlds: number; changes: number; heapBytes: number; heapLimitBytes: number; longestSliceMs: number }> {
    const heap = getHeapStatistics();
    const longestSliceMs = this.slices.takeLongestMs();
    let changes = 0;
    for (const one of this.stages.values()) changes += one.world.journal.changes.length;
    return {
      worlds: this.stages.size + this.readClusters.size,
      changes,
      heapBytes: heap.used_heap_size,
      heapLimitBytes: heap.heap_size_limit,
      longestSliceMs
    };
  }

  /** Worlds that nobody has asked for since then (wall-clock ms), the longest unused first; those that run aren't among them. */
  async unused(beforeMs: number): Promise<{ id: string; saves: boolean }[]> {
    const worlds = [...this.stages]
      .filter(([, { kin }]) => kin.every((one) => one.usedAt < beforeMs && !one.running && !one.busy && !one.frozen))
      .sort(([, a], [, b]) => a.usedAt - b.usedAt)
      .map(([id]) => ({ id, saves: true }));
    // What was read of a real cluster is in the database as it is; there is nothing to save. Those with a mark are compared just now.
    const read = [...this.readClusters]
      .filter(([id, one]) => one.usedAt < beforeMs && !id.includes('#'))
      .map(([id]) => ({ id, saves: false }));
    return [...worlds, ...read];
  }

  /** Reads manifests a piece at a time; worlds go on in between. */
  async read(text: string): Promise<ReadResult> {
    const steps = readSteps(text);
    for (;;) {
      const step = steps.next();
      if (step.done) return step.value;
      await nextTurn();
    }
  }

  /** Packs members on nodes; takes a second or two where they are many. */
  packed = async (ask: PackAsk): Promise<PackedNodes> => packedView(ask);

  /** Reads the files of a draft, with the values of the cluster they go to. */
  readFiles = (files: readonly DraftText[], cluster: string) => readFiles(files, cluster);

  /** The edits that make a bundle for a cluster of a draft. */
  bundle = bundle;

  /** Checks manifests, against a rehearsal where one is named. */
  check = async (text: string, id: string | undefined) => checkText(text, id === undefined ? undefined : await this.readyFacts(id));

  /** Looks a draft over against a rehearsal. */
  look = async (id: string, files: readonly DraftText[], options: LookOptions) => look(await this.readyFacts(id), files, options);

  /** Names that exist on a rehearsal, for the editor. */
  names = async (id: string) => names(await this.readyFacts(id));

  /** Edits that rework a draft. Nothing is kept: whoever asked carries them out. */
  rework = async (id: string, files: readonly DraftText[], cluster: string, what: Rework) =>
    rework(await this.readyFacts(id), files, cluster, what);

  async has(id: string): Promise<boolean> {
    return this.stages.has(id);
  }

  async close(id: string): Promise<void> {
    this.readClusters.delete(id);
    this.stages.delete(id);
  }

  async status(id: string): Promise<Clock> {
    const still = this.readCluster(id);
    if (still) return still.clock;
    const one = this.stage(id);
    await one.busy;
    return clockOf(one);
  }

  /** Moves the clock: back and forth over what has been, ahead into what hasn't. */
  async move(id: string, move: ClockMove): Promise<Moved> {
    return this.mover.move(this.stage(id), move);
  }

  /** Stops whatever runs, between two slices. */
  async halt(id: string): Promise<void> {
    withKin(this.stage(id), { halted: true, running: 0 });
  }

  /** Stops every clock that runs: nothing of it could be kept. */
  async haltAll(): Promise<void> {
    for (const [id, one] of this.stages) if (one.running) await this.halt(id);
  }

  /** Looks whether an action would be taken at the clock's head; if so, the clock stands still until it is committed or dropped. */
  async prepare(
    id: string,
    action: Action
  ): Promise<{
    atMs: number;
    refusals: readonly Refusal[];
    outcomes: { kind: string; namespace: string; name: string; outcome: string }[];
  }> {
    const one = this.stage(id);
    await one.busy;
    const facts = factsAt(one);
    if (one.kin.some(({ actions }) => actions.length > actionsUpTo(actions, one.headMs))) {
      const refusal: Refusal = {
        code: 'later-actions',
        message: 'Something was sent after this moment, so nothing can be sent here without rewriting what followed.',
        remedy: 'Fork the rehearsal at this moment, or move the clock to the end.',
        at: {}
      };
      return { atMs: one.headMs, refusals: [refusal], outcomes: [] };
    }
    // The clock stands still from here on, so that what was looked at is what the action meets.
    withKin(one, { frozen: true });
    try {
      const planned = action.type === 'send' ? await inTurns(planSteps(facts, action.objects, action.replace)) : undefined;
      const refusals = planned ? planned.flatMap((verdict) => verdict.refusals) : refusalsOf(facts, action);
      withKin(one, { frozen: refusals.length === 0 });
      if (one.frozen) one.prepared = { action, planned: facts === one.world.store ? planned : undefined };
      const outcomes = planned ? planned.map(({ ref, outcome }) => ({ ...ref, outcome })) : outcomesOf(facts, action);
      return { atMs: one.headMs, refusals, outcomes };
    } catch (error) {
      withKin(one, { frozen: false });
      throw error;
    }
  }

  async drop(id: string): Promise<void> {
    const one = this.stage(id);
    withKin(one, { frozen: false });
    one.prepared = undefined;
  }

  /** Carries out the action that was prepared, once it is written down. Time after the head, if there was any, is forgotten: it was derived. */
  async commit(id: string): Promise<Clock> {
    const one = this.stage(id);
    if (!one.prepared) throw new Error(`nothing was prepared for ${id}`);
    const { action, planned } = one.prepared;
    if (one.headMs < one.world.nowMs) await this.standBack(one);
    let ready = () => {};
    withKin(one, { busy: new Promise((resolve) => (ready = resolve)) });
    let refusals: readonly Refusal[];
    try {
      refusals = await inTurns(one.world.actSteps(action, planned));
    } finally {
      withKin(one, { frozen: false, busy: undefined });
      one.prepared = undefined;
      ready();
    }
    if (refusals.length) throw new Error(`a prepared action was refused: ${refusals[0]!.message}`);
    one.actions.push({ atMs: one.world.nowMs, action });
    headAt(one, one.world.nowMs);
    return clockOf(one);
  }

  /** Stands the worlds up as they were at the clock's head; what followed was derived, and is forgotten. */
  private async standBack(one: Stage): Promise<void> {
    const { kin, headMs } = one;
    const again = (stage: Stage, world: World) => {
      stage.world = world;
      stage.views = new Views(world.journal);
      [stage.hash, stage.hashed] = [createHash('sha256'), 0];
    };
    if (kin.length === 1) {
      const { world, broken } = await rebuilt(this.slices, { origin: one.origin, actions: one.actions, untilMs: headMs });
      if (broken) throw new Error(`the moment can't be stood up: ${broken.why}`);
      return again(one, world);
    }
    const { estate, broken } = await rebuiltEstate(this.slices, kin, headMs);
    if (broken) throw new Error(`the moment can't be stood up: ${broken.why}`);
    for (const stage of kin) again(stage, estate.world(stage.cluster)!);
  }

  /** SHA-256 over all changes up to the head, each as JSON of [time, key, object]. */
  private hashAt(one: Stage): string {
    const { journal } = one.world;
    const target = journal.countAt(one.headMs);
    const line = (i: number) => {
      const { atMs, key, after } = journal.changes[i]!;
      return `${JSON.stringify([atMs, key, after ?? null])}\n`;
    };
    if (target < one.hashed) [one.hash, one.hashed] = [createHash('sha256'), 0];
    while (one.hashed < target) one.hash.update(line(one.hashed++));
    return one.hash.copy().digest('hex');
  }

  async journal(id: string, fromMs: number, toMs: number | undefined, limit: number, secrets = false) {
    const one = this.stage(id);
    await one.busy;
    const { journal } = one.world;
    const from = journal.countAt(fromMs - 1);
    const to = journal.countAt(Math.min(toMs ?? one.headMs, one.headMs));
    const entries = journal.changes.slice(from, Math.min(to, from + limit)).map(({ atMs, key, before, after }) => ({
      atMs,
      key,
      change: !before ? ('made' as const) : after ? ('altered' as const) : ('gone' as const),
      object: after ? (secrets ? after : covered(after)) : null
    }));
    return { hash: this.hashAt(one), count: Math.max(0, to - from), entries };
  }

  /** Answers one of the read-only questions at the clock's head. */
  async ask<N extends QueryName>(id: string, name: N, params: Parameters<Queries[N]>[1]): Promise<ReturnType<Queries[N]>> {
    const query = queries[name] as (scene: unknown, params: unknown) => ReturnType<Queries[N]>;
    const still = this.readCluster(id);
    if (still) {
      const fork = () => {
        throw new Error('a cluster that was read has no worlds');
      };
      return query(
        { facts: still.store, clock: still.clock, steps: [], lines: [], history: { changes: [], countAt: () => 0 }, actions: [], fork },
        params
      );
    }
    const one = this.stage(id);
    await one.busy;
    const { journal } = one.world;
    const scene = {
      facts: factsAt(one),
      clock: clockOf(one),
      steps: one.world.log.steps,
      lines: one.world.lines,
      history: journal,
      actions: one.actions,
      fork: () => forkOf(one)
    };
    return query(scene, params);
  }

  /** The world as bytes for the cache; with it all that have one clock with it, as of one moment. */
  async save(id: string): Promise<{ id: string; actions: number; atMs: number; engine: string; bytes: Uint8Array }[]> {
    const one = this.stage(id);
    await one.busy;
    const begun = one.kin.map((two) => ({ id: two.id, actions: two.actions.length, packing: packWorld(two.world) }));
    return Promise.all(begun.map(async ({ packing, ...rest }) => ({ ...rest, engine: engineVersion, ...(await packing) })));
  }
}
