import { Worker } from 'node:worker_threads';
import { DumpReading, type Progress, type Summary } from './reading';
import { Unreadable } from './unreadable';

export type { Progress, Summary } from './reading';
export { Unreadable } from './unreadable';

interface Message {
  readonly part?: Uint8Array;
  readonly count?: number;
  readonly progress?: Progress;
  readonly taken?: number;
  readonly done?: Summary;
  readonly unreadable?: { code: Unreadable['code']; message: string; remedy: string };
  readonly failed?: string;
}

/** So many bytes may be on their way to the reader at once. */
const mostUnderWay = 4 * 2 ** 20;

/** Told that somebody stopped the reading. */
export class Stopped extends Error {}

interface Calls {
  hand(bytes: Uint8Array, count: number): Promise<void>;
  tell(progress: Progress): void;
  readonly signal: AbortSignal;
}

/**
 * Reads a dump in a thread of its own, so that worlds and requests go on meanwhile.
 * @param path the bundled reader; without one it is read in this process (development and tests)
 */
export async function readDump(
  path: string | undefined,
  source: AsyncIterable<Uint8Array>,
  secrets: boolean,
  { hand, tell, signal }: Calls
): Promise<Summary> {
  if (!path) {
    const parts: Promise<void>[] = [];
    const summary = await new DumpReading(secrets, (bytes, count) => void parts.push(hand(bytes, count)), tell).run(source);
    await Promise.all(parts);
    if (signal.aborted) throw new Stopped();
    return summary;
  }
  const worker = new Worker(path, {
    workerData: { secrets },
    resourceLimits: { maxOldGenerationSizeMb: 1_700, maxYoungGenerationSizeMb: 96 }
  });
  let underWay = 0;
  let room: (() => void) | undefined;
  let handing: Promise<unknown> = Promise.resolve();
  let read = false;
  try {
    return await new Promise<Summary>((resolve, reject) => {
      const stop = () => reject(new Stopped());
      if (signal.aborted) return stop();
      signal.addEventListener('abort', stop);
      worker.on('message', (message: Message) => {
        if (message.part) {
          const { part, count = 0 } = message;
          handing = handing.then(() => hand(part, count));
          handing.catch(reject);
        }
        if (message.progress) tell(message.progress);
        if (message.taken) {
          underWay -= message.taken;
          room?.();
        }
        if (message.done) {
          const { done } = message;
          read = true;
          void handing.then(() => resolve(done), reject);
        }
        if (message.unreadable) reject(new Unreadable(message.unreadable.code, message.unreadable.message, message.unreadable.remedy));
        if (message.failed) reject(new Error(message.failed));
      });
      worker.on('error', (error: Error & { code?: string }) =>
        reject(
          error.code === 'ERR_WORKER_OUT_OF_MEMORY'
            ? new Unreadable(
                'too-large',
                'Reading it takes more memory than there is for one dump.',
                'Split it by namespaces, or send several objects instead of one large list.'
              )
            : error
        )
      );
      // One that has said what it read may go: what it handed over may still be on its way to the disk.
      worker.on('exit', () => read || reject(new Error('the reader of dumps has ended')));
      void (async () => {
        for await (const chunk of source) {
          if (signal.aborted) return;
          underWay += chunk.byteLength;
          worker.postMessage({ chunk });
          while (underWay > mostUnderWay && !signal.aborted) await new Promise<void>((done) => (room = done));
        }
        worker.postMessage({ end: true });
      })().catch(reject);
    });
  } finally {
    room?.();
    await worker.terminate();
  }
}
