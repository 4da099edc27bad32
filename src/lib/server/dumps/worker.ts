import { parentPort, workerData } from 'node:worker_threads';
import { DumpReading, Unreadable } from './reading';

/** The reader's side: chunks in, parts and progress out. One dump, then the thread ends. */
const port = parentPort;
if (!port) throw new Error('dumps/worker.ts runs in a worker thread');

const waiting: Uint8Array[] = [];
let ended = false;
let wake: (() => void) | undefined;
port.on('message', (message: { chunk?: Uint8Array; end?: true }) => {
  if (message.chunk) waiting.push(message.chunk);
  if (message.end) ended = true;
  wake?.();
});

async function* chunks(): AsyncGenerator<Uint8Array> {
  for (;;) {
    const next = waiting.shift();
    if (next) {
      yield next;
      port!.postMessage({ taken: next.byteLength });
    } else if (ended) return;
    else await new Promise<void>((resolve) => (wake = resolve));
  }
}

const { secrets } = workerData as { secrets: boolean };
const reading = new DumpReading(
  secrets,
  (bytes, count) => port.postMessage({ part: bytes, count }),
  (progress) => port.postMessage({ progress })
);
try {
  port.postMessage({ done: await reading.run(chunks()) });
} catch (error) {
  port.postMessage(
    error instanceof Unreadable
      ? { unreadable: { code: error.code, message: error.message, remedy: error.remedy } }
      : { failed: error instanceof Error ? (error.stack ?? error.message) : String(error) }
  );
}
port.close();
