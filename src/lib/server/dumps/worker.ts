import { fileURLToPath } from 'node:url';
import { parentPort, Worker, workerData } from 'node:worker_threads';
import { digestOf, type Digest, type Group } from './digest';
import { DumpReading } from './reading';
import { Unreadable } from './unreadable';

const port = parentPort;
if (!port) throw new Error('dumps/worker.ts runs in a worker thread');
const { secrets, helps } = workerData as { secrets: boolean; helps?: true };

/** A second thread of the same file, which reads every other group. */
function startHelper(): { read(group: Group): Promise<Digest>; end(): Promise<unknown> } {
  const worker = new Worker(fileURLToPath(import.meta.url), {
    workerData: { secrets, helps: true },
    resourceLimits: { maxYoungGenerationSizeMb: 96 }
  });
  const waiting: { resolve(digest: Digest): void; reject(error: Error): void }[] = [];
  worker.on('message', (digest: Digest) => waiting.shift()?.resolve(digest));
  worker.on('error', (error) => waiting.splice(0).forEach((one) => one.reject(error)));
  return {
    read: (group) =>
      new Promise((resolve, reject) => {
        waiting.push({ resolve, reject });
        worker.postMessage(group);
      }),
    end: () => worker.terminate()
  };
}

/** The reader's side: chunks in, parts and progress out. One dump, then the thread ends. */
async function read(): Promise<void> {
  const waiting: Uint8Array[] = [];
  let ended = false;
  let wake: (() => void) | undefined;
  port!.on('message', (message: { chunk?: Uint8Array; end?: true }) => {
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
  const helper = startHelper();
  const reading = new DumpReading(
    secrets,
    (bytes, count) => port!.postMessage({ part: bytes, count }),
    (progress) => port!.postMessage({ progress }),
    helper.read
  );
  try {
    port!.postMessage({ done: await reading.run(chunks()) });
  } catch (error) {
    port!.postMessage(
      error instanceof Unreadable
        ? { unreadable: { code: error.code, message: error.message, remedy: error.remedy } }
        : { failed: error instanceof Error ? (error.stack ?? error.message) : String(error) }
    );
  } finally {
    await helper.end();
    port!.close();
  }
}

if (helps) port.on('message', (group: Group) => port.postMessage(digestOf(group, secrets)));
else await read();
