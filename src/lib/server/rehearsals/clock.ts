import { wordsOf } from '$core/shared';
import type { PackedActions } from './kept-action';
import { linkName, plan, type Action, type Origin, type Store, type TimedAction, type World } from '$core/standin';

/** How a rehearsal's clock stands. Times are virtual ms. */
export interface Clock {
  readonly nowMs: number;
  readonly frontierMs: number;
  readonly settled: boolean;
  readonly running: number;
  readonly actions: number;
  readonly changes: number;
}

/** How many actions were taken up to a moment (virtual ms); they stand in the order of their moments. */
export function actionsUpTo(actions: readonly TimedAction[], atMs: number): number {
  let [low, high] = [0, actions.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (actions[middle]!.atMs <= atMs) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** How the clock of a world stands whose head is at a moment. */
export function clockOf(one: {
  readonly world: World;
  readonly headMs: number;
  readonly actions: readonly TimedAction[];
  readonly running: number;
}): Clock {
  const { world, headMs } = one;
  const nextAction = one.actions[actionsUpTo(one.actions, headMs)];
  const quiet =
    world.journal.countAt(headMs) === world.journal.countAt(nextAction ? nextAction.atMs - 1 : world.nowMs) &&
    (nextAction !== undefined || world.settled);
  return {
    nowMs: headMs,
    frontierMs: world.nowMs,
    settled: headMs >= world.nowMs ? world.settled : quiet,
    running: one.running,
    actions: one.actions.length,
    changes: world.journal.changes.length
  };
}

export interface Opening {
  readonly id: string;
  readonly origin: Origin;
  readonly actions: readonly TimedAction[] | PackedActions;
  readonly headMs: number;
  readonly frontierMs: number;
  readonly snapshot?: { readonly actions: number; readonly atMs: number; readonly engine: string; readonly bytes: Uint8Array };
  /** Why the actions end where they do, where that isn't all of them. */
  readonly broken?: Broken;
  /** Other rehearsals that have one clock with it. */
  readonly kin?: readonly Opening[];
}

/** Why a rehearsal can't be stood up whole. */
export interface Broken {
  /** So many of its actions are carried out; what follows is not. */
  readonly after: number;
  /** One sentence, without a full stop. */
  readonly why: string;
  /** The moment up to which it is known (virtual ms), where that isn't its latest action's. */
  readonly untilMs?: number;
}

/** How a rehearsal stands after it was opened. */
export type Opened = Clock & { readonly broken?: Broken };

/** Where a clock is to be moved. `step`: to the next (1) or previous (-1) moment at which something changed. */
export type ClockMove =
  | { readonly until: 'settled' }
  | { readonly untilMs: number }
  | { readonly step: 1 | -1 }
  | { readonly answered: { readonly namespace: string; readonly id: string } }
  | { readonly run: number }
  | { readonly pause: true };

/** What an action would do, object by object. */
export function outcomesOf(facts: Store, action: Action): { kind: string; namespace: string; name: string; outcome: string }[] {
  switch (action.type) {
    case 'send':
      return plan(facts, action.objects, action.replace).map(({ ref, outcome }) => ({ ...ref, outcome }));
    case 'remove':
      return [action.ref, ...(action.more ?? [])].map((ref) => ({ ...ref, outcome: 'removed' }));
    case 'write':
      return [{ kind: 'Pod', namespace: action.namespace, name: action.pod, outcome: 'wrote' }];
    case 'damage':
      return [{ kind: 'PersistentVolumeClaim', namespace: action.namespace, name: action.claim, outcome: 'damaged' }];
    case 'restore':
      return [{ kind: 'PersistentVolumeClaim', namespace: action.namespace, name: action.claim, outcome: 'restored' }];
    case 'ask':
      return [{ kind: 'Ask', namespace: action.namespace, name: action.id, outcome: 'asked' }];
    case 'crash':
      return [{ kind: 'Pod', namespace: action.namespace, name: action.pod, outcome: 'crashed' }];
    case 'join':
      return [{ kind: 'Link', namespace: '', name: linkName(facts.elsewhere?.here ?? '', action.with), outcome: 'joined' }];
  }
}

/** A clock after it was moved; `says` tells why it didn't go as far as it was asked to. */
export type Moved = Clock & { readonly says?: string };

/** No clock goes beyond thirty days. */
export const latestMs = 30 * 86_400_000;
/** One step on, and running until settled, look so far ahead. */
export const farthestMs = 86_400_000;

export const atLimit = `The clock stands at its limit of 30 days. Move it back, take the latest action back (u), or fork from an earlier moment.`;
/** What one step on says when it doesn't move. */
export const nothingNext = (inMs: number | undefined): string =>
  inMs === undefined
    ? 'Nothing is under way and nothing is due, so there is no next event. Send something, or let the clock run.'
    : `Nothing happens within a day; the next thing is due in ${wordsOf(inMs)}. Let the clock run, or drag its head there.`;
