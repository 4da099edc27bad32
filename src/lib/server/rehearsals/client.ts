import { Worker } from 'node:worker_threads';
import { Host, type Tell } from './host';

interface Failure {
  readonly name: string;
  readonly message: string;
  readonly stack?: string;
  readonly code?: string;
}
type Answer = { call: number; value?: unknown; error?: Failure } | { told: { id: string; clock: Parameters<Tell>[1] } };

/** The worker has ended while it had something to do. */
export class WorkerEnded extends Error {
  constructor() {
    super('the worker of the rehearsals has ended');
  }
}

/** The host as seen from the server: the same calls, wherever it runs. */
export type HostClient = { readonly [K in keyof Host as Host[K] extends (...args: never[]) => Promise<unknown> ? K : never]: Host[K] };

/** A host with how many calls wait for it, and what ends it. */
export type StartedHost = HostClient & {
  waiting(): number;
  end(): Promise<void>;
  /** Clusters among these that are dealt to another worker than the first of them. */
  apart(clusters: readonly string[]): string[];
  /** Deals clusters to one worker; those that were apart must have been let go. */
  together(clusters: readonly string[]): void;
};

/**
 * Starts the host: in a worker thread when the bundled worker's path is given, else in this process (development and tests).
 * @param path the worker's file
 * @param tell called whenever a clock moves by itself
 * @param lost called when the worker has ended and its worlds are gone
 */
export function startHost(
  path: string | undefined,
  tell: Tell,
  lost: () => void = () => {},
  { mostBytes }: { mostBytes?: number | undefined } = {}
): StartedHost {
  if (!path) {
    const host = new Host(tell);
    return Object.assign(host, { waiting: () => 0, end: async () => undefined, apart: () => [], together: () => undefined });
  }
  // What a rehearsal makes is mostly let go at once: with more room for what is young, less of it is copied.
  const limits = {
    resourceLimits: {
      maxYoungGenerationSizeMb: 96,
      ...(mostBytes === undefined ? {} : { maxOldGenerationSizeMb: Math.max(256, Math.ceil(mostBytes / 2 ** 20)) })
    }
  };
  interface Running {
    readonly worker: Worker;
    readonly waiting: Map<number, { resolve(value: unknown): void; reject(error: Error): void }>;
  }
  let calls = 0;
  let now: Running | undefined;

  // A worker that dies takes its worlds with it; the next call starts another, and they are rebuilt from their actions.
  const started = (): Running => {
    if (now) return now;
    const running: Running = { worker: new Worker(path, limits), waiting: new Map() };
    const { worker, waiting } = running;
    worker.unref();
    worker.on('message', (answer: Answer) => {
      if ('told' in answer) {
        tell(answer.told.id, answer.told.clock);
        return;
      }
      const one = waiting.get(answer.call);
      waiting.delete(answer.call);
      if (answer.error !== undefined) one?.reject(Object.assign(new Error(answer.error.message), answer.error));
      else one?.resolve(answer.value);
    });
    let ended = false;
    const gone = (error: Error) => {
      if (ended) return;
      ended = true;
      if (now === running) now = undefined;
      lost();
      for (const one of waiting.values()) one.reject(error);
      waiting.clear();
    };
    worker.on('error', gone);
    worker.on('exit', () => gone(new WorkerEnded()));
    now = running;
    return running;
  };
  return new Proxy({} as StartedHost, {
    get: (_target, method) => {
      if (method === 'waiting') return () => now?.waiting.size ?? 0;
      if (method === 'apart') return () => [];
      if (method === 'together') return () => undefined;
      if (method === 'end')
        return async () => {
          const ending = now;
          // Whoever calls from now on gets another one.
          now = undefined;
          await ending?.worker.terminate();
        };
      if (typeof method !== 'string' || method === 'then') return undefined;
      return (...args: unknown[]) =>
        new Promise((resolve, reject) => {
          const { worker, waiting } = started();
          calls += 1;
          waiting.set(calls, { resolve, reject });
          worker.postMessage({ call: calls, method, args });
        });
    }
  });
}
