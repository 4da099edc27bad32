import type { z } from 'zod';
import type { Caller, Role } from '../access/roles';
import { done, type Answer, type App } from '../services';

export type Method = 'GET' | 'POST' | 'PUT' | 'DELETE';

/** What stands in a body: JSON as a schema says, manifests as YAML or JSON, bytes as they come, or a cluster from elsewhere as JSON. */
export type Body = z.ZodType | 'manifests' | 'stream' | 'transfer';

/** A list. */
export interface Items<T> {
  items: T;
}

/** What a service found, as such a list. */
export async function listed<T>(found: Promise<Answer<T>>): Promise<Answer<Items<T>>> {
  const answer = await found;
  return answer.ok ? done({ items: answer.value }) : answer;
}

/** One endpoint: its schemas are what the server checks with and what the description is made from. */
export interface Endpoint {
  readonly method: Method;
  /** Below /api/v1, parameters in braces. */
  readonly path: string;
  readonly summary: string;
  readonly query?: z.ZodObject;
  readonly body?: Body;
  /** Name of the answer in the description. What it is is read from the type that `run` gives. */
  readonly answer: string;
  readonly status?: number;
  /** Who may call it: `open` to strangers; left out: readers may look, engineers may change. */
  readonly needs?: Role | 'open';
  /** What is written down of a call that changed something, e.g. `sent manifests`; null where nothing is worth it. Left out: the summary. */
  readonly deed?: string | null;
  /** What it changes has a revision, which If-Match names. */
  readonly revised?: 'rehearsal' | 'draft';
  run(call: Call & { params: Record<string, string>; query: never; body: never }): Promise<Answer<unknown>>;
}

/** An endpoint with its types, for whoever calls it: `types` is never there. */
export interface Typed<M extends Method, P extends string, A extends string, Q, B, V> extends Endpoint {
  readonly method: M;
  readonly path: P;
  readonly answer: A;
  readonly types?: { readonly query: Q; readonly body: B; readonly value: V };
}

/** What every endpoint is called with, beside parameters, query and body. */
export interface Call {
  readonly app: App;
  /** What the caller has seen, where the call says so (If-Match). */
  readonly revision: number | undefined;
  readonly caller: Caller;
  /** Given up when the caller leaves. */
  readonly signal: AbortSignal;
}

/** Names in braces of a path. */
export type ParamOf<P extends string> = P extends `${string}{${infer Name}}${infer Rest}` ? Name | ParamOf<Rest> : never;

type ValueIn<R> = Extract<R, { readonly ok: true }> extends { readonly value: infer V } ? V : never;
type Taken<B> = B extends z.ZodType ? z.infer<B> : B extends 'stream' ? AsyncIterable<Uint8Array> : string;
type Given<B> = B extends z.ZodType ? z.input<B> : B extends 'stream' ? Blob : B extends 'manifests' | 'transfer' ? string : undefined;

/** Who may call an endpoint. */
export const neededFor = (one: Pick<Endpoint, 'needs' | 'method'>): Role | 'open' =>
  one.needs ?? (one.method === 'GET' ? 'reader' : 'engineer');

/** Gives an endpoint the types that its path and its schemas say, and reads the answer's from what `run` gives. */
export const endpoint = <
  const M extends Method,
  const P extends string,
  const A extends string,
  R extends Answer<unknown>,
  Q extends z.ZodObject = z.ZodObject<Record<never, never>>,
  const B extends Body | undefined = undefined
>(
  one: Omit<Endpoint, 'run' | 'query' | 'body' | 'method' | 'path' | 'answer'> & {
    method: M;
    path: P;
    answer: A;
    query?: Q;
    body?: B;
    run(call: Call & { params: Record<ParamOf<P>, string>; query: z.infer<Q>; body: Taken<B> }): Promise<R>;
  }
) => one as unknown as Typed<M, P, A, z.input<Q>, Given<B>, ValueIn<R>>;
