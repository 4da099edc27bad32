import type { StartedHost } from '../rehearsals/client';
import { done, refused, type Answer } from './answer';
import { readTooLong } from './rehearsal-refusals';

/** A text that takes longer to read is given up. */
const longestReadMs = 20_000;

/** Work in the worker that reads long texts. */
export class Apart {
  private now = 0;

  constructor(private readonly reader: Pick<StartedHost, 'end'>) {}

  /** Waits for work in the worker that reads long texts: not for ever, and not when nobody waits for it any more. */
  async wait<T>(work: Promise<T>, signal: AbortSignal | undefined): Promise<Answer<T>> {
    this.now += 1;
    let timer: NodeJS.Timeout | undefined;
    let stop = () => {};
    const given = new Promise<'long' | 'left'>((resolve) => {
      timer = setTimeout(() => resolve('long'), longestReadMs);
      stop = () => resolve('left');
      signal?.addEventListener('abort', stop);
    });
    try {
      const first = await Promise.race([work.then((value) => ({ value })), given]);
      if (typeof first === 'object') return done(first.value);
      work.catch(() => undefined);
      // Nobody else's text is in it: its thread ends, and the work with it.
      if (this.now === 1) await this.reader.end();
      return refused(readTooLong(longestReadMs));
    } finally {
      this.now -= 1;
      clearTimeout(timer);
      signal?.removeEventListener('abort', stop);
    }
  }
}
