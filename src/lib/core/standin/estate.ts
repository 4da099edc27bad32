import { CoreError } from '../shared';
import type { Action } from './action';
import { World, type Company, type Origin, type TimedAction } from './world';

/** One world of an estate as it begins, with what was done in it. */
export interface EstatePart {
  readonly origin: Origin;
  readonly actions: readonly TimedAction[];
}

/**
 * Worlds with a common clock. Calls of all of them are made in the order of (time, name of the cluster, order in its world), so that the
 * same actions give the same journals whatever the order in which worlds and actions are given. A call may read other worlds and write to
 * them; it finds them at its own moment.
 */
export class Estate implements Company {
  readonly clusters: readonly string[];
  private readonly ordered: readonly World[];
  private readonly byName: ReadonlyMap<string, World>;

  /** @param worlds by the names of their clusters; all are run on to the moment of the latest of them by whoever joins them */
  constructor(worlds: Iterable<readonly [string, World]>) {
    const sorted = [...worlds].sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0));
    this.byName = new Map(sorted);
    if (this.byName.size !== sorted.length)
      throw new CoreError(
        'Estate',
        'no two clusters may have one name',
        sorted.map(([name]) => name)
      );
    this.clusters = sorted.map(([name]) => name);
    this.ordered = sorted.map(([, world]) => world);
    const nowMs = Math.max(...this.ordered.map((one) => one.nowMs));
    for (const world of this.ordered) {
      world.company = undefined;
      if (world.nowMs < nowMs) world.runUntil(nowMs);
    }
    for (const [name, world] of sorted) world.joins(name, this);
  }

  get nowMs(): number {
    return Math.max(...this.ordered.map((one) => one.nowMs));
  }

  get settled(): boolean {
    return this.ordered.every((one) => one.idle);
  }

  get nextMs(): number | undefined {
    return this.next()?.dueMs;
  }

  /** The world whose turn it is. */
  private next(): World | undefined {
    let [first, atMs] = [undefined as World | undefined, Infinity];
    for (const world of this.ordered) {
      const due = world.dueMs;
      if (due !== undefined && due < atMs) [first, atMs] = [world, due];
    }
    return first;
  }

  world(cluster: string): World | undefined {
    return this.byName.get(cluster);
  }

  at(cluster: string, nowMs: number): World | undefined {
    const world = this.byName.get(cluster);
    world?.standAt(nowMs);
    return world;
  }

  private standAt(nowMs: number): void {
    for (const world of this.ordered) world.standAt(nowMs);
  }

  /** As {@link World.runUntil}, for all of them. */
  runUntil(targetMs: number, budget = Infinity): boolean {
    for (let left = budget; ; left -= 1) {
      const world = this.next();
      if (!world || world.dueMs! > targetMs) break;
      if (left <= 0) return this.pause();
      world.callNext();
    }
    this.standAt(targetMs);
    return true;
  }

  /** As {@link World.runSettled}, for all of them. */
  runSettled(budget = Infinity, latestMs = this.nowMs + 86_400_000): boolean {
    for (let left = budget; !this.settled; left -= 1) {
      const world = this.next()!;
      if (world.dueMs! > latestMs) {
        this.standAt(latestMs);
        return true;
      }
      if (left <= 0) return this.pause();
      world.callNext();
      while (this.settled && this.nextMs === this.nowMs) this.next()!.callNext();
    }
    this.pause();
    return true;
  }

  /** Between two calls all stand at the moment of the latest one. */
  private pause(): false {
    this.standAt(this.nowMs);
    return false;
  }

  /** A copy of all of them as they stand; gives the copies by name. */
  fork(): Estate {
    return new Estate(this.clusters.map((name, i) => [name, World.restore(this.ordered[i]!.seed, this.ordered[i]!.save())] as const));
  }

  /** Rebuilds what actions lead to, run up to a moment. */
  static replay(parts: ReadonlyMap<string, EstatePart>, untilMs: number): Estate {
    const estate = new Estate([...parts].map(([name, { origin }]) => [name, World.create(origin)] as const));
    for (const { cluster, atMs, action } of inOrder(parts)) {
      estate.runUntil(atMs);
      estate.byName.get(cluster)!.act(action);
    }
    if (untilMs > estate.nowMs) estate.runUntil(untilMs);
    return estate;
  }
}

/** What was done in all of them, in the order in which it is carried out: by moment, at one moment by the names of the clusters. */
export function inOrder(
  parts: Iterable<readonly [string, { readonly actions: readonly TimedAction[] }]>
): { readonly cluster: string; readonly atMs: number; readonly action: Action; readonly nth: number }[] {
  return [...parts]
    .flatMap(([cluster, { actions }]) => actions.map((one, nth) => ({ cluster, nth, atMs: one.atMs, one })))
    .sort((a, b) => a.atMs - b.atMs || (a.cluster < b.cluster ? -1 : a.cluster > b.cluster ? 1 : a.nth - b.nth))
    .map(({ one, ...rest }) => ({
      ...rest,
      // Read only when its turn comes: some are kept as text until then.
      get action() {
        return one.action;
      }
    }));
}
