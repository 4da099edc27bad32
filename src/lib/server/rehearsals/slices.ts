import { setImmediate as nextTurn } from 'node:timers/promises';

/** Calls of loops between two looks at the wall clock; a call of a large cluster can take some ms. */
export const sliceCalls = 4;
export const sliceMs = 8;

/** Work in slices, so that whoever asks in between is answered soon. */
export class Slices {
  private longestMs = 0;

  /** Works for as long as a slice lasts, then lets others have their turn. Gives whether it is done. */
  async run(work: () => boolean): Promise<boolean> {
    const began = Date.now();
    for (;;) {
      if (work()) return true;
      if (Date.now() - began < sliceMs) continue;
      this.longestMs = Math.max(this.longestMs, Date.now() - began);
      await nextTurn();
      return false;
    }
  }

  /** How long the longest slice has kept others waiting since the last look, in ms. */
  takeLongestMs(): number {
    const { longestMs } = this;
    this.longestMs = 0;
    return longestMs;
  }
}

/** Takes steps one by one; others get their turn between. */
export async function inTurns<T>(steps: Generator<void, T>): Promise<T> {
  for (;;) {
    const step = steps.next();
    if (step.done) return step.value;
    await nextTurn();
  }
}
