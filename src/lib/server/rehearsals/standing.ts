import { createHash, type Hash } from 'node:crypto';
import { setImmediate as nextTurn } from 'node:timers/promises';
import { Estate, inOrder, replay, Views, World, type Action, type Origin, type Store, type TimedAction, type Verdict } from '$core/standin';
import type { Broken } from './clock';
import { inTurns, sliceCalls, sliceMs, type Slices } from './slices';

/** A rehearsal that is stood up. */
export interface Stage {
  /** The rehearsal's id, and the name of its cluster. */
  readonly id: string;
  readonly cluster: string;
  /** All that have one clock with it, itself among them. Whatever the clock does, it does in all of them. */
  kin: readonly Stage[];
  readonly origin: Origin;
  actions: TimedAction[];
  world: World;
  views: Views;
  headMs: number;
  /** Virtual ms per wall ms while it runs by itself; 0 when paused. */
  running: number;
  lastTickAt: number;
  /** An action is being written down: the clock must not move. */
  frozen: boolean;
  /** That action, with what sending it does where that was found out on the world as it stands. */
  prepared: { readonly action: Action; readonly planned: readonly Verdict[] | undefined } | undefined;
  halted: boolean;
  /** While it is set the world is half way through an action; questions wait for it. */
  busy: Promise<void> | undefined;
  broken: Broken | undefined;
  /** Wall-clock ms of the last call. */
  usedAt: number;
  hash: Hash;
  hashed: number;
}

/** A rehearsal around a world. */
export function stageOf(id: string, origin: Origin, actions: readonly TimedAction[], world: World, headMs: number, broken?: Broken): Stage {
  const stage: Stage = { ...bareStage(id, origin, actions, world, headMs), broken };
  stage.kin = [stage];
  return stage;
}

/** From now on they have one clock. */
export function kinOf(stages: readonly Stage[]): readonly Stage[] {
  for (const one of stages) one.kin = stages;
  return stages;
}

/** What is known at the moment where the clock of a rehearsal stands, of its kin as well. */
export function factsAt(one: Stage): Store {
  if (one.headMs >= one.world.nowMs) return one.world.store;
  const store = one.views.at(one.headMs);
  if (one.kin.length > 1) {
    const past = (cluster: string) => one.kin.find((two) => two.cluster === cluster)?.views.at(one.headMs);
    // What is known of the others then knows of the others in turn.
    const elsewhere = (here: string): NonNullable<Store['elsewhere']> => ({
      here,
      clusters: one.kin.map((two) => two.cluster),
      facts: (cluster) => (cluster === one.cluster ? store : known(cluster))
    });
    const known = (cluster: string) => {
      const found = past(cluster);
      if (found) found.elsewhere = elsewhere(cluster);
      return found;
    };
    store.elsewhere = elsewhere(one.cluster);
  }
  return store;
}

/** Their clock stands at a moment, all of them at the same. */
export function headAt({ kin }: Stage, headMs: number): void {
  for (const one of kin) one.headMs = headMs;
}

/** What is done to one is done to all that have one clock. */
export function withKin({ kin }: Stage, change: Partial<Pick<Stage, 'running' | 'halted' | 'frozen' | 'busy'>>): void {
  for (const one of kin) Object.assign(one, change);
}

const bareStage = (id: string, origin: Origin, actions: readonly TimedAction[], world: World, headMs: number): Omit<Stage, 'broken'> => ({
  id,
  cluster: id.split('~')[0]!,
  kin: [],
  origin,
  actions: [...actions],
  world,
  views: new Views(world.journal),
  headMs: Math.min(headMs, world.nowMs),
  running: 0,
  lastTickAt: 0,
  frozen: false,
  prepared: undefined,
  halted: false,
  busy: undefined,
  usedAt: Date.now(),
  hash: createHash('sha256'),
  hashed: 0
});

/** What an error says, for a reader. */
const wordsOfError = (error: unknown): string => (error instanceof Error ? error.message : String(error)).split('\n')[0]!.slice(0, 200);

interface Rebuild {
  readonly origin: Origin;
  readonly actions: readonly TimedAction[];
  readonly untilMs: number;
  /** A world that holds the first of the actions already, and how many. */
  readonly begun?: World | undefined;
  readonly from?: number;
}

/** Replays actions in slices. Where one can't be carried out, the world stands as it was before it, and why is said. */
export async function rebuilt(
  slices: Slices,
  { origin, actions, untilMs, begun, from = 0 }: Rebuild
): Promise<{ world: World; broken?: Broken }> {
  let world = begun;
  try {
    world ??= replay(origin, [], 0);
  } catch (error) {
    const empty = replay({ ...origin, ground: [] }, [], 0);
    return { world: empty, broken: { after: 0, why: `its ground can't be stood up (${wordsOfError(error)})` } };
  }
  let began = Date.now();
  for (let i = from; i < actions.length; i += 1) {
    const { atMs } = actions[i]!;
    if (Date.now() - began > sliceMs) {
      await nextTurn();
      began = Date.now();
    }
    while (!(await slices.run(() => world.runUntil(atMs, sliceCalls))));
    try {
      const refusals = await inTurns(world.actSteps(actions[i]!.action));
      if (refusals.length) return { world, broken: { after: i, why: `what was done then is refused now: ${refusals[0]!.message}` } };
    } catch (error) {
      return { world, broken: { after: i, why: `what was done then can't be carried out (${wordsOfError(error)})` } };
    }
  }
  while (untilMs > world.nowMs && !(await slices.run(() => world.runUntil(untilMs, sliceCalls))));
  return { world };
}

/** A world of an estate that is stood up: what was done in it, and how much of that it holds already. */
export interface EstateRebuild extends Omit<Rebuild, 'untilMs'> {
  readonly cluster: string;
}

/**
 * Replays the actions of all worlds of an estate in their order. Where one can't be carried out, all stand as they stood before it.
 * @returns the worlds by cluster, and how many actions of each are carried out where that isn't all of them, with why
 */
export async function rebuiltEstate(
  slices: Slices,
  parts: readonly EstateRebuild[],
  untilMs: number
): Promise<{ estate: Estate; broken?: { why: string; after: ReadonlyMap<string, number> } }> {
  const worlds: (readonly [string, World])[] = [];
  for (const { cluster, origin, begun } of parts) {
    try {
      worlds.push([cluster, begun ?? World.create(origin)]);
    } catch (error) {
      const after = new Map(parts.map((one) => [one.cluster, 0]));
      const empty = new Estate(parts.map((one) => [one.cluster, World.create({ ...one.origin, ground: [] })] as const));
      return { estate: empty, broken: { why: `the ground of ${cluster} can't be stood up (${wordsOfError(error)})`, after } };
    }
  }
  const estate = new Estate(worlds);
  const after = new Map(parts.map(({ cluster, from = 0 }) => [cluster, from]));
  const left = parts.map(({ cluster, actions, from = 0 }) => [cluster, { actions: actions.slice(from) }] as const);
  const stop = (cluster: string, why: string) => ({ estate, broken: { why: `in ${cluster}, ${why}`, after } });
  let began = Date.now();
  for (const one of inOrder(left)) {
    if (Date.now() - began > sliceMs) {
      await nextTurn();
      began = Date.now();
    }
    while (!(await slices.run(() => estate.runUntil(one.atMs, sliceCalls))));
    try {
      const refusals = await inTurns(estate.world(one.cluster)!.actSteps(one.action));
      if (refusals.length) return stop(one.cluster, `what was done then is refused now: ${refusals[0]!.message}`);
    } catch (error) {
      return stop(one.cluster, `what was done then can't be carried out (${wordsOfError(error)})`);
    }
    after.set(one.cluster, after.get(one.cluster)! + 1);
  }
  while (untilMs > estate.nowMs && !(await slices.run(() => estate.runUntil(untilMs, sliceCalls))));
  return { estate };
}
