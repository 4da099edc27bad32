/** What can go on a node: so many of each kind of members. */
export type Pattern = readonly number[];

/** A kind of members for one node: what one takes, how many may stand on it, and what one is worth. */
interface Thing {
  readonly at: number;
  readonly size: readonly number[];
  readonly most: number;
  readonly worth: number;
  /** Its share of the node, by how scarce each want is. */
  readonly weight: number;
}

const slack = 1e-9;

/** How often one of this size fits in what is left. */
export function timesIn(size: readonly number[], room: readonly number[]): number {
  let times = Infinity;
  for (let d = 0; d < size.length; d += 1) if (size[d]! > 0) times = Math.min(times, Math.floor(room[d]! / size[d]! + slack));
  return times;
}

/** Packs one node: which members are worth most on it, or all that are worth at least so much. */
export class NodePacker {
  constructor(
    private readonly sizes: readonly (readonly number[])[],
    private readonly room: readonly number[],
    /** How many of each may stand on one node. */
    private readonly most: readonly number[]
  ) {}

  private things(worth: readonly number[], shares: readonly number[], least: number): Thing[] {
    return this.sizes
      .map((size, at) => ({
        at,
        size,
        most: Math.min(this.most[at]!, timesIn(size, this.room)),
        worth: worth[at]!,
        weight: Math.max(
          size.reduce((sum, one, d) => sum + (one > 0 ? (shares[d]! * one) / this.room[d]! : 0), 0),
          1e-9
        )
      }))
      .filter((one) => one.most > 0 && one.worth > least)
      .sort((a, b) => b.worth / b.weight - a.worth / a.weight || a.at - b.at);
  }

  /** Whether nothing could stand there besides. */
  private isFull(taken: Pattern, room: readonly number[]): boolean {
    return !this.sizes.some((size, i) => taken[i]! < this.most[i]! && timesIn(size, room) > 0);
  }

  /**
   * Goes through what fits, best first; where asked, only what is full, with members that are worth nothing, too.
   * @param shares how scarce each want is for this worth, together 1: a bound by all of them at once is true for any such shares, and close
   * where they are those of the linear program
   * @param least what a pattern has to be worth at least; `found` may raise it
   * @param steps how many looks it may take
   * @returns how many looks it took, and what anything that wasn't looked at is worth at most
   */
  search(
    worth: readonly number[],
    shares: readonly number[],
    least: number,
    steps: number,
    found: (pattern: number[], value: number) => number,
    full = false
  ): { readonly looks: number; readonly unseen: number } {
    const things = this.things(worth, shares, full ? -Infinity : slack);
    const room = [...this.room];
    const taken = this.sizes.map(() => 0);
    let bar = least;
    let left = steps;
    let unseen = -Infinity;
    // What the rest could be worth at most: filled by weight, the last one in part.
    const rest = (from: number, share: number): number => {
      let [value, free] = [0, share];
      for (let i = from; i < things.length && free > 0; i += 1) {
        const { most, weight, worth: one } = things[i]!;
        if (one <= 0) break;
        const times = Math.min(most, free / weight);
        value += times * one;
        free -= times * weight;
      }
      return value;
    };
    const go = (from: number, value: number, share: number): void => {
      left -= 1;
      let i = from;
      while (i < things.length && timesIn(things[i]!.size, room) === 0) i += 1;
      if (i === things.length) {
        if (value >= bar && (!full || this.isFull(taken, room))) bar = found([...taken], value);
        return;
      }
      if (value + rest(i, share) < bar) return;
      const { size, most, at, worth: one, weight } = things[i]!;
      const times = Math.min(most, timesIn(size, room));
      for (let d = 0; d < room.length; d += 1) room[d]! -= times * size[d]!;
      for (let count = times; count >= 0 && left >= 0; count -= 1) {
        taken[at] = count;
        go(i + 1, value + count * one, share - count * weight);
        for (let d = 0; count > 0 && d < room.length; d += 1) room[d]! += size[d]!;
        if (left < 0 && count > 0) unseen = Math.max(unseen, value + (count - 1) * one + rest(i + 1, share - (count - 1) * weight));
      }
      taken[at] = 0;
    };
    go(0, 0, 1 + slack);
    return { looks: steps - left, unseen };
  }

  /** Patterns that are worth more than `above`, each better than the one before it; and what any pattern is worth at most. */
  better(
    worth: readonly number[],
    shares: readonly number[],
    above: number,
    steps: number
  ): { readonly patterns: readonly number[][]; readonly most: number; readonly sure: boolean; readonly looks: number } {
    const patterns: number[][] = [];
    let best = above;
    const { looks, unseen } = this.search(worth, shares, above + slack, steps, (one, its) => {
      patterns.push(one);
      best = its;
      return its + slack;
    });
    return { patterns, most: Math.max(best + slack, unseen), sure: unseen === -Infinity, looks };
  }
}
