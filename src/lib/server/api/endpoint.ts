import { z } from 'zod';
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
  /** A schema for JSON, manifests as YAML or JSON, or bytes as they come. */
  readonly body?: z.ZodType | 'manifests' | 'stream';
  readonly answer: z.ZodType;
  readonly status?: number;
  run(call: {
    app: App;
    params: Record<string, string>;
    query: never;
    body: never;
    revision: number | undefined;
  }): Promise<Answer<unknown>>;
}

/** Gives an endpoint the types that its schemas say. */
export const endpoint = <Q extends z.ZodObject, B extends z.ZodType | 'manifests' | 'stream'>(
  one: Omit<Endpoint, 'run' | 'query' | 'body'> & {
    query?: Q;
    body?: B;
    run(call: {
      app: App;
      params: Record<string, string>;
      query: z.infer<Q>;
      body: B extends z.ZodType ? z.infer<B> : B extends 'stream' ? AsyncIterable<Uint8Array> : string;
      revision: number | undefined;
    }): Promise<Answer<unknown>>;
  }
): Endpoint => one as unknown as Endpoint;
