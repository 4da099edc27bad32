import { z } from 'zod';
import type { Caller, Role } from '../access/roles';
import { done, type Answer, type App } from '../services';

/** A value that is described where it is made. */
export const anything = z.looseObject({});
/** The answer of whatever lists something. */
export const items = z.object({ items: z.array(anything) });
/** What a service found, as such a list. */
export async function listed(found: Promise<Answer<unknown>>): Promise<Answer<{ items: unknown }>> {
  const answer = await found;
  return answer.ok ? done({ items: answer.value }) : answer;
}

/** One endpoint: its schemas are what the server checks with and what the description is made from. */
export interface Endpoint {
  readonly method: 'GET' | 'POST' | 'PUT' | 'DELETE';
  /** Below /api/v1, parameters in braces. */
  readonly path: string;
  readonly summary: string;
  readonly query?: z.ZodObject;
  /** A schema for JSON, manifests as YAML or JSON, bytes as they come, or a cluster from elsewhere as JSON. */
  readonly body?: z.ZodType | 'manifests' | 'stream' | 'transfer';
  readonly answer: z.ZodType;
  readonly status?: number;
  /** Who may call it: `open` to strangers; left out: readers may look, engineers may change. */
  readonly needs?: Role | 'open';
  /** What is written down of a call that changed something, e.g. `sent manifests`; null where nothing is worth it. Left out: the summary. */
  readonly deed?: string | null;
  /** What it changes has a revision, which If-Match names. */
  readonly revised?: 'rehearsal' | 'draft';
  run(call: Call & { query: never; body: never }): Promise<Answer<unknown>>;
}

/** What every endpoint is called with. */
export interface Call {
  readonly app: App;
  readonly params: Record<string, string>;
  /** What the caller has seen, where the call says so (If-Match). */
  readonly revision: number | undefined;
  readonly caller: Caller;
  /** Given up when the caller leaves. */
  readonly signal: AbortSignal;
}

/** Who may call an endpoint. */
export const neededFor = (one: Pick<Endpoint, 'needs' | 'method'>): Role | 'open' =>
  one.needs ?? (one.method === 'GET' ? 'reader' : 'engineer');

/** Gives an endpoint the types that its schemas say. */
export const endpoint = <Q extends z.ZodObject, B extends z.ZodType | 'manifests' | 'stream' | 'transfer'>(
  one: Omit<Endpoint, 'run' | 'query' | 'body'> & {
    query?: Q;
    body?: B;
    run(
      call: Call & {
        query: z.infer<Q>;
        body: B extends z.ZodType ? z.infer<B> : B extends 'stream' ? AsyncIterable<Uint8Array> : string;
      }
    ): Promise<Answer<unknown>>;
  }
): Endpoint => one as unknown as Endpoint;
