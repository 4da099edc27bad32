import { CoreError, drawInt, hash32, hex8, same, stampOf, uidOf } from '../shared';
import { entryOf, keyOf, refOf, type ApiObject, type Kind, type KindMap, type Ref } from '../model';
import { runningState } from './adopt';
import type { Action } from './action';
import { admitSteps, type Refusal } from './admit/admit';
import type { Verdict } from './admit/plan';
import { Schedule, type Due } from './clock/schedule';
import { backoffMs, backoffs, reactionMs, stepSpans, StepLog, type SpanMs, type StepId } from './clock/steps';
import { loops } from './control';
import { farListeners } from './control/far';
import { splitKey, type ClusterAccess, type Loop, type Watch } from './control/loop';
import { openProcess } from './engines/processes';
import type { Company, LogLine, Origin, Snapshot, TimedAction } from './world-types';
import { Journal, Store, type Change, type Slot } from './store';

export type { Company, LogLine, Origin, Snapshot, TimedAction } from './world-types';

/** Why a control loop is called again only after a wait. */
class Restless extends Error {}

/**
 * From so many calls on since a person last did something, or since all came to rest, calls are counted loop by loop and key by key;
 * a loop that was called so often for one key, with less than a second in between each time, is made to wait. Bounds of this program.
 */
const watchedAfter = 200_000;
const mostInARow = 20_000;
const inARowMs = 1_000;
/** Two loops that answer each other within one virtual moment. */
const mostCallsAMoment = 2_000_000;
/** So many changes are restored, and so many objects sent, between two turns of others. */
const changesAStep = 400;

interface Listener {
  readonly loop: number;
  readonly pace: number;
  readonly watch: Watch<Kind>;
}

/**
 * The simulated cluster. Same origin and same actions give the same journal on every machine: time is virtual, draws depend on the
 * seed alone, and calls are ordered by (time, priority, sequence).
 */
export class World implements ClusterAccess {
  readonly store = new Store();
  readonly journal = new Journal();
  readonly log = new StepLog();
  /** What members wrote into their logs, oldest first. Only ever added to. */
  readonly lines: LogLine[] = [];
  readonly seed: number;
  nowMs = 0;
  /** How many calls of loops have been made so far. */
  calls = 0;
  moved = 0;
  private readonly schedule = new Schedule(loops.length);
  private readonly listeners = new Map<Kind, Listener[]>();
  /** Kept beside the objects by the world itself. */
  private failing = new Map<string, number>();
  private busy = new Map<string, number>();
  private inARow: Map<string, readonly [number, number]>[] = [];
  private memories = new Map<string, Map<string, unknown>>();
  private births = new Map<string, number>();
  private current = 0;
  private callsNow = 0;
  /** An event about a failure is being written. */
  private telling = false;
  /** The worlds that it shares its clock with, and its name among them. */
  company: { readonly name: string; readonly worlds: Company } | undefined;

  private constructor(seed: number) {
    this.seed = seed;
    this.ownMemories();
    loops.forEach((loop, i) => {
      for (const [kind, watch] of Object.entries(loop.watches)) {
        const list = this.listeners.get(kind as Kind) ?? [];
        list.push({ loop: i, pace: loop.paceMs ?? reactionMs, watch: watch as Watch<Kind> });
        this.listeners.set(kind as Kind, list);
      }
    });
  }

  private ownMemories(): void {
    this.failing = this.memory('failing');
    this.busy = this.memory('busy');
    this.inARow = loops.map((_, i) => this.memory(`inARow ${i}`));
  }

  /** A new world at T+0 with its ground. */
  static create({ seed, ground, adopted }: Origin): World {
    const world = new World(seed);
    for (const object of ground) {
      if (adopted) world.adopt(object);
      else world.put(object);
    }
    if (adopted) for (const pod of world.store.list('Pod')) if (runningState(pod)) openProcess(world, pod, true);
    return world;
  }

  /** Takes an object over as it is. */
  private adopt(object: ApiObject): void {
    const ref = refOf(object);
    const key = keyOf(ref);
    if (this.store.find(ref)) return;
    const { uid = this.born(key), creationTimestamp = stampOf(0) } = object.metadata;
    const after = { ...object, metadata: { ...withoutVersion(object.metadata), uid, creationTimestamp } } as ApiObject;
    const running = after.kind === 'Pod' ? runningState(after) : undefined;
    if (running) this.memory<unknown>('agent').set(`${ref.namespace}/${ref.name}`, running);
    this.write(undefined, key, after);
  }

  /** The world that a snapshot was taken of; goes on as if it had never stopped. */
  static restore(seed: number, saved: Snapshot): World {
    const steps = World.restoreSteps(seed, saved, [saved.changes]);
    for (;;) {
      const step = steps.next();
      if (step.done) return step.value;
    }
  }

  /** The same, some changes at each step, so that others get their turn between. */
  static *restoreSteps(seed: number, saved: Omit<Snapshot, 'changes'>, changes: Iterable<readonly Change[]>): Generator<void, World> {
    const world = new World(seed);
    let count = 0;
    for (const some of changes)
      for (const change of some) {
        world.store.place(change.before, change.after);
        world.journal.add(change);
        if ((count += 1) % changesAStep === 0) yield;
      }
    world.schedule.load(saved.due);
    world.log.load(saved.steps);
    world.lines.push(...saved.lines);
    world.memories = new Map([...saved.memories].map(([name, map]) => [name, new Map(map)]));
    world.ownMemories();
    world.births = new Map(saved.births);
    world.nowMs = world.store.nowMs = saved.nowMs;
    return world;
  }

  /** This world as plain data. The journal is shared, not copied: keep or serialise it before running on. */
  save(): Snapshot {
    return {
      nowMs: this.nowMs,
      changes: this.journal.changes,
      due: this.schedule.save(),
      steps: this.log.steps,
      lines: this.lines,
      memories: this.memories,
      births: this.births
    };
  }

  /** Nothing is under way: only repeats of what failed are due, or nothing at all. */
  get settled(): boolean {
    return this.company?.worlds.settled ?? this.idle;
  }

  /** When the next call is due, or undefined. */
  get nextMs(): number | undefined {
    return this.company ? this.company.worlds.nextMs : this.dueMs;
  }

  /** The same as `settled`, of this world alone. */
  get idle(): boolean {
    return this.schedule.busy === 0;
  }

  /** When this world itself has something due. */
  get dueMs(): number | undefined {
    return this.schedule.peek()?.atMs;
  }

  /** Shares its clock from now on. All worlds of the company stand at one moment. */
  joins(name: string, worlds: Company): void {
    this.company = { name, worlds };
    this.store.elsewhere = { here: name, clusters: worlds.clusters, facts: (cluster) => worlds.at(cluster, this.nowMs)?.store };
  }

  abroad(cluster: string): World | undefined {
    const other = this.company?.worlds.at(cluster, this.nowMs);
    if (other && other !== this) other.current = this.current;
    return other;
  }

  /** Stands at a moment before which nothing is due in it. */
  standAt(nowMs: number): void {
    if (nowMs > this.nowMs) this.nowMs = this.store.nowMs = nowMs;
  }

  /** Makes the next call that is due. */
  callNext(): void {
    this.call(this.schedule.next()!);
  }

  /** Applies an action at the present moment. Refuses as a whole: with refusals nothing has changed. */
  act(action: Action): readonly Refusal[] {
    const steps = this.actSteps(action);
    for (;;) {
      const step = steps.next();
      if (step.done) return step.value;
    }
  }

  /**
   * The same, some objects at each step. Until it is done nothing else may be asked of this world.
   * @param planned what `planSteps` found of it on this world as it stands
   */
  *actSteps(action: Action, planned?: readonly Verdict[]): Generator<void, readonly Refusal[]> {
    this.busy.delete('calls');
    return yield* admitSteps(this, action, planned);
  }

  /**
   * Runs to a moment. Stops early after `budget` calls.
   * @returns whether the moment was reached
   */
  runUntil(targetMs: number, budget = Infinity): boolean {
    if (targetMs < this.nowMs) throw new CoreError('World.runUntil', 'a world runs forward only', targetMs);
    if (this.company) return this.company.worlds.runUntil(targetMs, budget);
    for (let left = budget; ; left -= 1) {
      const due = this.schedule.peek();
      if (!due || due.atMs > targetMs) break;
      if (left <= 0) return false;
      this.call(this.schedule.next()!);
    }
    this.nowMs = this.store.nowMs = targetMs;
    return true;
  }

  /**
   * Runs until nothing is under way. Stops early after `budget` calls, or at `latestMs`.
   * @returns whether it stopped for one of the two: settled, or the latest moment
   */
  runSettled(budget = Infinity, latestMs = this.nowMs + 86_400_000): boolean {
    if (this.company) return this.company.worlds.runSettled(budget, latestMs);
    for (let left = budget; this.schedule.busy > 0; left -= 1) {
      const due = this.schedule.peek()!;
      if (due.atMs > latestMs) {
        this.nowMs = this.store.nowMs = latestMs;
        return true;
      }
      if (left <= 0) return false;
      this.call(this.schedule.next()!);
      while (this.schedule.busy === 0 && this.schedule.peek()?.atMs === this.nowMs) this.call(this.schedule.next()!);
    }
    return true;
  }

  private call(due: Due): void {
    if (due.atMs > this.nowMs) this.callsNow = 0;
    this.callsNow += 1;
    this.nowMs = this.store.nowMs = due.atMs;
    this.current = due.loop;
    this.calls += 1;
    const loop = loops[due.loop]!;
    try {
      if (this.callsNow > mostCallsAMoment) throw new Restless('it asks to be called again and again at one moment');
      this.countCall(due);
      loop.reconcile(this, due.key);
      if (this.failing.size) this.failing.delete(`${loop.id} ${due.key}`);
    } catch (error) {
      this.loopFailed(loop, due.key, error);
    }
  }

  /** Counts calls of one key in a row, once the world has been busy for very long. */
  private countCall({ loop, key, idle }: Due): void {
    const calls = idle && this.schedule.busy === 0 ? 0 : (this.busy.get('calls') ?? 0) + 1;
    this.busy.set('calls', calls);
    if (calls < watchedAfter) return;
    const rows = this.inARow[loop]!;
    const [count, lastMs] = rows.get(key) ?? [0, 0];
    const next = this.nowMs - lastMs < inARowMs ? count + 1 : 1;
    rows.set(key, [next, this.nowMs]);
    if (next <= mostInARow) return;
    rows.delete(key);
    throw new Restless('it never comes to rest with it');
  }

  /** A loop that can't handle an object takes nothing else along: the failure is an event on the object, and it is tried again later. */
  private loopFailed(loop: Loop, key: string, error: unknown): void {
    const id = `${loop.id} ${key}`;
    const times = this.failing.get(id) ?? 0;
    this.failing.set(id, times + 1);
    this.after(backoffMs(backoffs.provider, times), key, true);
    const about = this.subjectOf(loop, key);
    if (about) this.tellFailure(about, error);
  }

  private subjectOf(loop: Loop, key: string): ApiObject | undefined {
    const bare = key.slice(key.indexOf(':') + 1);
    const [namespace, name] = bare.includes('/') ? splitKey(bare) : ['', bare];
    for (const kind of Object.keys(loop.watches) as Kind[]) {
      const found = this.store.get(kind, namespace, name);
      if (found) return found;
    }
    return this.store.list('Ground')[0] ?? this.store.list('Node')[0];
  }

  private tellFailure(about: ApiObject, error: unknown): void {
    if (this.telling) return;
    this.telling = true;
    try {
      // The words of the language's own errors differ from one of its versions to the next; a journal must not.
      const own = error instanceof CoreError || error instanceof Restless || (error instanceof Error && error.constructor === Error);
      const why = own ? (error as Error).message : error instanceof Error ? error.name : 'an unknown failure';
      this.event(
        about,
        'ControlLoopFailed',
        `The control loop "${loops[this.current]!.id}" can't handle this object (${why}). It is tried again after a wait; everything else goes on. Correct the object, or take it away.`,
        'Warning'
      );
    } finally {
      this.telling = false;
    }
  }

  put<T extends ApiObject>(object: T): T {
    const { kind, metadata } = object;
    const slot = this.store.slotOf(kind, metadata.namespace ?? '', metadata.name);
    if (slot) {
      const before = slot.object as T;
      if (object === before) return before;
      const after = itsOwn(before, object);
      return unchanged(before, after) ? before : this.write(slot, slot.key, after);
    }
    const key = keyOf(refOf(object));
    const uid = kind === 'Event' ? countedUid(this.journal.changes.length) : this.born(key);
    const after = { ...object, metadata: { ...withoutVersion(metadata), uid, creationTimestamp: stampOf(this.nowMs) } } as T;
    return this.write(undefined, key, after);
  }

  /** Puts an object in its slot, or in a new one. */
  private write<T extends ApiObject>(slot: Slot<ApiObject> | undefined, key: string, after: T): T {
    const before = slot?.object;
    if (slot) this.store.alter(slot, before, after);
    else this.store.make(after, key);
    this.changed(key, before, after);
    return after;
  }

  private born(key: string): string {
    const nth = (this.births.get(key) ?? 0) + 1;
    this.births.set(key, nth);
    return uidOf(this.seed, `${key}#${nth}`);
  }

  drop(ref: Ref): void {
    const slot = this.store.slotOf(ref.kind, ref.namespace, ref.name);
    if (!slot) return;
    const before = slot.object;
    this.store.unmake(slot, before);
    this.changed(slot.key, before, undefined);
  }

  /** Writes a change down, and calls whoever watches for it. */
  private changed(key: string, before: ApiObject | undefined, after: ApiObject | undefined): void {
    this.journal.add({ atMs: this.nowMs, key, before, after });
    const { kind } = (after ?? before)!;
    if (!ofEngines(kind, before, after)) this.moved += 1;
    if (this.company) this.changedAbroad(this.company.worlds, kind, before, after);
    const listeners = this.listeners.get(kind);
    if (!listeners) return;
    for (const { loop, pace, watch } of listeners) {
      try {
        for (const called of watch(after as never, before as never, this.store)) this.schedule.add(this.nowMs + pace, loop, called, false);
      } catch (error) {
        if (after) this.tellFailure(after, error);
      }
    }
  }

  /** Calls whoever watches for it from another cluster. */
  private changedAbroad(worlds: Company, kind: Kind, before: ApiObject | undefined, after: ApiObject | undefined): void {
    for (const { loop, pace, watch } of farListeners.get(kind) ?? [])
      for (const { cluster, key } of watch(after as never, before as never, this.store)) {
        const other = worlds.at(cluster, this.nowMs);
        if (other && other !== this) other.schedule.add(this.nowMs + pace, loop, key, false);
      }
  }

  remove(ref: Ref): void {
    const object = this.store.find(ref);
    if (!object || object.metadata.deletionTimestamp) return;
    const waits = object.kind === 'Pod' || object.kind === 'Namespace' || (object.metadata.finalizers?.length ?? 0) > 0;
    if (!waits) {
      this.drop(ref);
      return;
    }
    const marked = { ...object, metadata: { ...object.metadata, deletionTimestamp: stampOf(this.nowMs) } } as ApiObject;
    this.put(marked);
  }

  event(about: ApiObject, reason: string, message: string, type: 'Normal' | 'Warning' = 'Normal'): void {
    const { kind } = about;
    const { name, namespace = '', uid } = about.metadata;
    const space = namespace || 'default';
    const eventName = `${name}.${hex8(hash32(`${kind}/${reason}/${message}/${uid}`))}`;
    const slot = this.store.slotOf('Event', space, eventName);
    const old = slot?.object as KindMap['Event'] | undefined;
    const stamp = stampOf(this.nowMs);
    const made: KindMap['Event'] = {
      apiVersion: 'v1',
      kind: 'Event',
      metadata: old?.metadata ?? {
        name: eventName,
        namespace: space,
        uid: countedUid(this.journal.changes.length),
        creationTimestamp: stamp
      },
      involvedObject: old?.involvedObject ?? { apiVersion: entryOf(kind).apiVersion, kind, namespace, name, uid },
      reason,
      message,
      type,
      count: (old?.count ?? 0) + 1,
      firstTimestamp: old?.firstTimestamp ?? stamp,
      lastTimestamp: stamp,
      source: { component: loops[this.current]!.id }
    };
    this.write(slot, slot?.key ?? `Event ${space}/${eventName}`, made);
  }

  say(subject: string, text: string, grave = false): void {
    this.lines.push({ atMs: this.nowMs, subject, text, grave });
  }

  after(waitMs: number, key: string, idle = false): void {
    this.schedule.add(this.nowMs + Math.max(1, Math.round(waitMs)), this.current, key, idle);
  }

  duration(step: StepId, what: string, spanMs?: SpanMs): number {
    const [least, most] = spanMs ?? stepSpans[step].drawMs;
    return drawInt(this.seed, `${step}|${what}`, least, most);
  }

  begin(subject: string, step: StepId, normalMs?: SpanMs): void {
    this.log.begin(subject, step, this.nowMs, normalMs);
  }

  end(subject: string, step: StepId): void {
    this.log.end(subject, step, this.nowMs);
  }

  endAll(subject: string): void {
    this.log.endAll(subject, this.nowMs);
  }

  memory<T>(name: string): Map<string, T> {
    let map = this.memories.get(name);
    if (!map) this.memories.set(name, (map = new Map()));
    return map as Map<string, T>;
  }
}

/** What was given, with the identity that the object has. Where its metadata are those that stand, it is stored as it was given. */
function itsOwn<T extends ApiObject>(before: T, given: T): T {
  if (given.metadata === before.metadata) return given;
  const { uid, creationTimestamp } = before.metadata;
  return { ...given, metadata: { ...withoutVersion(given.metadata), uid, creationTimestamp } };
}

/** Versions of objects are those of the journal's changes, which the server tells to who asks; they aren't kept in the objects. */
function withoutVersion(metadata: ApiObject['metadata']): ApiObject['metadata'] {
  if (metadata.resourceVersion === undefined) return metadata;
  const { resourceVersion: _, ...rest } = metadata;
  return rest;
}

/** Whether a change is one that workloads' engines make all the time, and that says nothing of who is there and who reaches whom. */
const ofEngines = (kind: Kind, before: ApiObject | undefined, after: ApiObject | undefined): boolean =>
  kind === 'Event' ||
  kind === 'Ask' ||
  ((kind === 'Asset' || kind === 'Process') &&
    before?.metadata === after?.metadata &&
    (before as KindMap['Process'] | undefined)?.spec === (after as KindMap['Process'] | undefined)?.spec);

/** Whether writing an object would change nothing of it; like the cluster API, that makes no new version. */
function unchanged(before: ApiObject, after: ApiObject): boolean {
  const [old, next] = [before as unknown as Record<string, unknown>, after as unknown as Record<string, unknown>];
  for (const field in next) if (!same(old[field], next[field])) return false;
  for (const field in old) if (old[field] !== undefined && next[field] === undefined) return false;
  return true;
}

/** Events are many and nothing is drawn from their uid, so it only counts (a UUID of version 8, RFC 9562). */
const countedUid = (n: number): string => `00000000-0000-8000-a000-${hex8(n / 0x1_0000_0000).slice(4)}${hex8(n % 0x1_0000_0000)}`;

/** Rebuilds the world that actions lead to, run up to a moment. */
export function replay(origin: Origin, actions: readonly TimedAction[], untilMs: number): World {
  const world = World.create(origin);
  for (const { atMs, action } of actions) {
    world.runUntil(atMs);
    world.act(action);
  }
  if (untilMs > world.nowMs) world.runUntil(untilMs);
  return world;
}
