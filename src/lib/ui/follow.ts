import { invalidate } from '$app/navigation';
import { navigating } from '$app/state';

/** Between two looks while something happens all the time (a clock that runs). */
export const paceMs = 150;
export const againMs = 100;
/** A navigation that takes longer than this was called off, or is as good as. */
const longestNavigationMs = 4_000;
const mostTries = 100;
export const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/**
 * Keeps what the router has loaded as new as the latest live event. One loading is under way at a time; one that a navigation has
 * swallowed is tried again, as what counts is how new the data say they are.
 */
export class Follower {
  private wanted = 0;
  private forced = false;
  private busy = false;
  private navigation: { to: unknown; at: number } | undefined;
  closed = false;

  constructor(
    /** What the data depend on. */
    private readonly what: `${string}:${string}`,
    /** Number of the latest event that the data hold; undefined while they follow nothing. */
    private readonly asOf: () => number | undefined
  ) {}

  /** Something has happened; without a number everything is loaded anew. */
  async follow(event: number | undefined): Promise<void> {
    if (event === undefined) this.forced = true;
    else this.wanted = Math.max(this.wanted, event);
    if (this.busy) return;
    this.busy = true;
    for (let tries = 0; !this.closed && tries < mostTries && this.stale; tries += 1) {
      const began = Date.now();
      if (this.navigates) await wait(againMs);
      else {
        const before = this.asOf();
        await invalidate(this.what).catch(() => undefined);
        if (this.asOf() !== before) this.forced = false;
        await wait(paceMs - (Date.now() - began));
      }
    }
    this.forced = false;
    this.busy = false;
  }

  private get stale(): boolean {
    const asOf = this.asOf();
    return asOf !== undefined && (this.forced || asOf < this.wanted);
  }

  /** Whether a navigation is under way: loading anew in the middle of one would call it off. */
  private get navigates(): boolean {
    const { to } = navigating;
    if (!to) this.navigation = undefined;
    else if (this.navigation?.to !== to) this.navigation = { to, at: Date.now() };
    return this.navigation !== undefined && Date.now() - this.navigation.at < longestNavigationMs;
  }
}
