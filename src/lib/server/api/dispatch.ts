import type { z } from 'zod';
import { getApp, type Refusal } from '../services';
import { endpoints, type Endpoint } from './endpoints';
import { problemResponse, schemaRefusal } from './problem';

/** The largest body that is read. */
export const mostBodyBytes = 5 * 2 ** 20;

const tooLarge: Refusal = {
  code: 'body-too-large',
  status: 413,
  title: 'The body is too large',
  detail: `A body may have ${mostBodyBytes / 2 ** 20} MiB at the most.`,
  remedy: 'Send the manifests in several batches.'
};

async function readBody(request: Request): Promise<string | undefined> {
  if (Number(request.headers.get('content-length') ?? 0) > mostBodyBytes) return undefined;
  const reader = request.body?.getReader();
  if (!reader) return '';
  const chunks: Uint8Array[] = [];
  let size = 0;
  for (;;) {
    const { done, value } = await reader.read();
    if (done) break;
    size += value.byteLength;
    if (size > mostBodyBytes) {
      await reader.cancel();
      return undefined;
    }
    chunks.push(value);
  }
  return textOf(Buffer.concat(chunks));
}

/** UTF-8, or UTF-16 where a byte-order mark says so; 'no text' for bytes that are none. */
function textOf(bytes: Buffer): string | 'no text' {
  const [a, b] = bytes;
  const encoding = a === 0xff && b === 0xfe ? 'utf-16le' : a === 0xfe && b === 0xff ? 'utf-16be' : 'utf-8';
  try {
    const text = new TextDecoder(encoding, { fatal: true }).decode(bytes);
    return text.includes('\0') ? 'no text' : text;
  } catch {
    return 'no text';
  }
}

const noText: Refusal = {
  code: 'not-text',
  status: 400,
  title: 'The body is no text',
  detail: 'The body holds bytes that no text has.',
  remedy: 'Send YAML or JSON as UTF-8, or as UTF-16 with a byte-order mark.'
};

const compiled = endpoints.map((one) => ({
  one,
  pattern: new RegExp(`^${one.path.replace(/\{(\w+)\}/g, '(?<$1>[^/]+)')}$`)
}));

function route(method: string, path: string): { endpoint: Endpoint; params: Record<string, string> } | 'method' | undefined {
  let known = false;
  for (const { one, pattern } of compiled) {
    const match = pattern.exec(path);
    if (!match) continue;
    known = true;
    if (one.method === method)
      return {
        endpoint: one,
        params: Object.fromEntries(Object.entries(match.groups ?? {}).map(([key, value]) => [key, decodeURIComponent(value)]))
      };
  }
  return known ? 'method' : undefined;
}

function parse(schema: z.ZodType, value: unknown, where: string): { value: unknown } | Response {
  const parsed = schema.safeParse(value);
  return parsed.success ? { value: parsed.data } : problemResponse(schemaRefusal(parsed.error, where));
}

/** So long a body that nobody reads any more is taken in all the same, so that its sender gets to see the answer. */
const mostDrainMs = 20_000;
const mostDrainBytes = 96 * 2 ** 20;
const bodies = new WeakMap<Request, ReadableStreamDefaultReader<Uint8Array>>();

/** A body as chunks. Whoever stops reading leaves the connection open. */
async function* chunksOf(request: Request): AsyncGenerator<Uint8Array> {
  const reader = request.body?.getReader();
  if (!reader) return;
  bodies.set(request, reader);
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    yield value;
  }
}

/** Takes in what is left of a body. */
async function drain(request: Request): Promise<void> {
  const reader = bodies.get(request);
  const until = Date.now() + mostDrainMs;
  try {
    for (let bytes = 0; reader && Date.now() < until && bytes < mostDrainBytes;) {
      const { done, value } = await reader.read();
      if (done) return;
      bytes += value.byteLength;
    }
    await reader?.cancel();
  } catch {
    // Its sender has gone; there is nobody to answer.
  }
}

async function bodyOf(endpoint: Endpoint, request: Request): Promise<{ value: unknown } | Response> {
  if (!endpoint.body) return { value: undefined };
  if (endpoint.body === 'stream') return { value: chunksOf(request) };
  const text = await readBody(request);
  if (text === undefined) return problemResponse(tooLarge);
  if (text === 'no text') return problemResponse(noText);
  if (endpoint.body === 'manifests') return { value: text };
  let json: unknown;
  try {
    json = JSON.parse(text || '{}');
  } catch (error) {
    return problemResponse({
      code: 'bad-request',
      status: 400,
      title: 'The body is no JSON',
      detail: error instanceof Error ? error.message : 'no JSON',
      remedy: 'Send a JSON object; see /api/v1/openapi.json.'
    });
  }
  return parse(endpoint.body, json, 'body');
}

/** Answers one call of the programs' interface: checks it, lets the service work, answers JSON or problem details. */
export async function dispatch(request: Request, path: string): Promise<Response> {
  const url = new URL(request.url);
  // With a name in the query the body is a dump of a real cluster; without one it lays a cluster out.
  const found = route(
    request.method,
    request.method === 'POST' && path === '/clusters' && url.searchParams.has('name') ? '/clusters/read' : path
  );
  if (!found)
    return problemResponse({
      code: 'unknown-path',
      status: 404,
      title: 'There is nothing here',
      detail: `No endpoint answers to ${path}.`,
      remedy: 'See /api/v1/openapi.json.'
    });
  if (found === 'method')
    return problemResponse({
      code: 'wrong-method',
      status: 405,
      title: 'Wrong method',
      detail: `${request.method} isn't possible on ${path}.`,
      remedy: 'See /api/v1/openapi.json.'
    });
  const { endpoint, params } = found;
  const query = endpoint.query ? parse(endpoint.query, Object.fromEntries(url.searchParams), 'query') : { value: {} };
  if (query instanceof Response) return query;
  const body = await bodyOf(endpoint, request);
  if (body instanceof Response) return body;
  const match = /^"?(\d+)"?$/.exec(request.headers.get('if-match') ?? '');
  const answer = await endpoint.run({
    app: await getApp(),
    params,
    query: query.value as never,
    body: body.value as never,
    revision: match ? Number(match[1]) : undefined
  });
  if (endpoint.body === 'stream') await drain(request);
  if (!answer.ok) return problemResponse(answer.refusal);
  return new Response(JSON.stringify(answer.value), {
    status: endpoint.status ?? 200,
    headers: { 'content-type': 'application/json', 'cache-control': 'no-store' }
  });
}
