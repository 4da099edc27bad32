import { parentPort } from 'node:worker_threads';
import { computeWith } from '$core/shared';
import { Host } from './host';
import { nativeBytes } from './native-bytes';

/** The worker's side: calls of the host by name, answers by number, and whatever the host tells in between. */
const port = parentPort;
if (!port) throw new Error('worker.ts runs in a worker thread');

computeWith(nativeBytes);
const host = new Host((id, clock) => port.postMessage({ told: { id, clock } }));

port.on('message', async ({ call, method, args }: { call: number; method: string; args: unknown[] }) => {
  try {
    const work = (host as unknown as Record<string, (...args: unknown[]) => Promise<unknown>>)[method]!;
    port.postMessage({ call, value: await work.apply(host, args) });
  } catch (error) {
    const { name, message, stack, code } = (error instanceof Error ? error : new Error(String(error))) as Error & { code?: unknown };
    port.postMessage({ call, error: { name, message, stack, ...(typeof code === 'string' ? { code } : {}) } });
  }
});
