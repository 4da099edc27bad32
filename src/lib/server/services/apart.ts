import { WorkerEnded, type StartedHost } from '../rehearsals/client';
import { done, refused, type Answer, type Refusal } from './answer';
import { readTooLong } from './rehearsal-refusals';

/** A text that takes longer to read is given up. */
const longestReadMs = 20_000;

/** Work in the worker that reads long texts. */
export class Apart {
  private now = 0;

  constructor(private readonly reader: Pick<StartedHost, 'end'>) {}

  /**
   * Waits for work in that worker: not for ever, and not when nobody waits for it any more. Work that is given up ends the worker; what
   * others had in it is begun once more.
   */
  async wait<T>(
    work: () => Promise<T>,
    signal: AbortSignal | undefined,
    tooLong: Refusal = readTooLong(longestReadMs)
  ): Promise<Answer<T>> {
    let timer: NodeJS.Timeout | undefined;
    let stop = () => {};
    const given = new Promise<'long' | 'left'>((resolve) => {
      timer = setTimeout(() => resolve('long'), longestReadMs);
      stop = () => resolve('left');
      if (signal?.aborted) stop();
      signal?.addEventListener('abort', stop);
    });
    this.now += 1;
    let over = false;
    try {
      const reading = work().catch((error: Error) => (!over && error instanceof WorkerEnded ? work() : Promise.reject(error)));
      const first = await Promise.race([reading.then((value) => ({ value })), given]);
      if (typeof first === 'object') return done(first.value);
      over = true;
      reading.catch(() => undefined);
      if (first === 'long' || this.now === 1) await this.reader.end();
      return refused(tooLong);
    } finally {
      this.now -= 1;
      clearTimeout(timer);
      signal?.removeEventListener('abort', stop);
    }
  }
}
