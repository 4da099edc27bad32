import { createHash, type Hash } from 'node:crypto';
import { setImmediate as nextTurn } from 'node:timers/promises';
import { replay, Views, type Action, type Origin, type TimedAction, type Verdict, type World } from '$core/standin';
import type { Broken } from './clock';
import { inTurns, sliceCalls, sliceMs, type Slices } from './slices';

/** A rehearsal that is stood up. */
export interface Stage {
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
export const stageOf = (origin: Origin, actions: readonly TimedAction[], world: World, headMs: number, broken?: Broken): Stage => ({
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
  broken,
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
