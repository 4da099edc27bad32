import type { z } from 'zod';
import { holds, localCaller, type Caller } from '../access/roles';
import { dataFaultOf, type DataFault } from '../db/faults';
import { isAborted, log, loggable } from '../log';
import { getApp, roleNeeded, signInNeeded, type App, type Refusal } from '../services';
import { endpoints, type Endpoint } from './endpoints';
import { neededFor } from './endpoint';
import { problemResponse, schemaRefusal } from './problem';

/** The largest body that is read. */
export const mostBodyBytes = 5 * 2 ** 20;
/** The largest JSON that takes a cluster in. */
const mostTransferBytes = 96 * 2 ** 20;

const tooLarge = (most: number): Refusal => ({
  code: 'body-too-large',
  status: 413,
  title: 'The body is too large',
  detail: `A body may have ${most / 2 ** 20} MiB at the most.`,
  remedy: 'Send the manifests in several batches.'
});

async function readBody(request: Request, most: number): Promise<string | undefined> {
  if (Number(request.headers.get('content-length') ?? 0) > most) return undefined;
  const reader = request.body?.getReader();
  if (!reader) return '';
  const chunks: Uint8Array[] = [];
  let size = 0;
  for (;;) {
    const { done, value } = await reader.read();
    if (done) break;
    size += value.byteLength;
    if (size > most) {
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

/** What no name or parameter holds: control characters, line breaks, and marks that turn the direction of writing. */
const oddCharacters = /[\p{Cc}\u2028\u2029\u200e\u200f\u202a-\u202e\u2066-\u2069\ufeff]/u;

const oddParameter: Refusal = {
  code: 'bad-request',
  status: 400,
  title: "The request can't be read",
  detail: 'Its path or a parameter holds line breaks, control characters or marks of direction, or is badly encoded.',
  remedy: 'Encode parameters as RFC 3986 says, and leave such characters out.'
};

function route(method: string, path: string): { endpoint: Endpoint; params: Record<string, string> } | 'method' | 'odd' | undefined {
  let known = false;
  for (const { one, pattern } of compiled) {
    const match = pattern.exec(path);
    if (!match) continue;
    known = true;
    if (one.method !== method) continue;
    const params: Record<string, string> = {};
    for (const [key, value] of Object.entries(match.groups ?? {})) {
      try {
        params[key] = decodeURIComponent(value);
      } catch {
        return 'odd';
      }
      if (oddCharacters.test(params[key]!)) return 'odd';
    }
    return { endpoint: one, params };
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
  const most = endpoint.body === 'transfer' ? mostTransferBytes : mostBodyBytes;
  const text = await readBody(request, most);
  if (text === undefined) return problemResponse(tooLarge(most));
  if (text === 'no text') return problemResponse(noText);
  if (typeof endpoint.body === 'string') return { value: text };
  let json: unknown;
  try {
    json = JSON.parse(text || '{}');
  } catch {
    return problemResponse({
      code: 'bad-request',
      status: 400,
      title: 'The body is no JSON',
      detail: 'The body is no JSON, or was cut off.',
      remedy: 'Send a JSON object; see /api/v1/openapi.json.'
    });
  }
  // Escapes may write half of a character, which no database keeps as it is. Source: RFC 8259, section 8.2.
  if (/\\u[dD][89a-fA-F]/.test(text) && holdsHalf(json))
    return problemResponse({
      code: 'bad-request',
      status: 400,
      title: 'The body holds half of a character',
      detail: 'A text in the body holds one half of a pair of escapes (\\ud800 to \\udfff) without the other; it is no character.',
      remedy: 'Send the whole character, or leave it out.'
    });
  return parse(endpoint.body, json, 'body');
}

/** Whether any text in a value holds a lone half of a surrogate pair. */
function holdsHalf(value: unknown): boolean {
  for (const open = [value]; open.length;) {
    const one = open.pop();
    if (typeof one === 'string' && /\p{Surrogate}/u.test(one)) return true;
    if (typeof one === 'object' && one !== null) for (const [key, inner] of Object.entries(one)) open.push(key, inner);
  }
  return false;
}

const badCondition = (detail: string): Refusal => ({
  code: 'bad-if-match',
  status: 400,
  title: "If-Match can't be used",
  detail,
  remedy: 'Send one strong revision, e.g. If-Match: "12", to what has one: rehearsals and drafts.'
});

/** The revision that the caller has seen (RFC 9110, 13.1.1): one strong tag, or none. */
export function revisionIn(header: string | null, endpoint: Pick<Endpoint, 'method' | 'revised'>): number | undefined | Refusal {
  if (header === null || header.trim() === '*') return undefined;
  const text = header.trim();
  if (/^W\//.test(text)) return badCondition(`${text.slice(0, 60)} is a weak tag; it can't tell two revisions apart.`);
  const match = /^(?:"(\d{1,15})"|(\d{1,15}))$/.exec(text);
  if (!match) return badCondition(`"${text.slice(0, 60)}" is not one revision.`);
  if (endpoint.method !== 'GET' && !endpoint.revised) return badCondition('What this changes has no revision.');
  return Number(match[1] ?? match[2]);
}

/** What a fault of the data means for whoever asked for something. */
export function dataRefusal({ code, message, remedy }: DataFault): Refusal {
  return {
    code: `data-${code}`,
    status: code === 'full' ? 507 : 503,
    title: code === 'full' ? 'There is no room left' : 'Nothing can be kept',
    detail: `${message} This was not kept.`,
    remedy
  };
}

async function failed(error: unknown, endpoint: Endpoint, signal: AbortSignal): Promise<Response> {
  if (isAborted(error) || signal.aborted)
    return problemResponse({
      code: 'cut-off',
      status: 400,
      title: 'The sending was cut off',
      detail: 'The request did not arrive whole, or its sender has gone.',
      remedy: 'Send it again.'
    });
  const fault = dataFaultOf(error);
  const mark = crypto.randomUUID().slice(0, 8);
  log.error(
    { mark, method: endpoint.method, path: endpoint.path, ...loggable(error) },
    fault ? 'the data cannot be used' : 'a call failed'
  );
  if (fault) {
    await getApp().then(
      (app) => app.inTrouble(fault),
      () => undefined
    );
    return problemResponse(dataRefusal(fault));
  }
  return problemResponse({
    code: 'our-side',
    status: 500,
    title: 'Something went wrong on our side',
    detail: `It is in the log under ${mark}.`,
    remedy: 'Look whether it was done before you try again: load the page anew.'
  });
}

/** Writes down who did what; looking isn't written down, but for what was uncovered. */
async function remember(
  app: App,
  endpoint: Endpoint,
  call: { caller: Caller; params: Record<string, string>; query: unknown; value: unknown }
): Promise<void> {
  const { params, caller } = call;
  const query = (call.query ?? {}) as Record<string, unknown>;
  const uncovered = query.secrets === 'keep';
  if (endpoint.deed === null || (endpoint.method === 'GET' && endpoint.deed === undefined && !uncovered)) return;
  const { id, draft, name } = params;
  const value = (typeof call.value === 'object' && call.value !== null ? call.value : {}) as Record<string, unknown>;
  const made = endpoint.status === 201 && (typeof value.id === 'string' || typeof value.id === 'number') ? `made ${value.id}` : '';
  const outcomes = Array.isArray(value.outcomes) ? (value.outcomes as { kind: string; name: string; outcome: string }[]) : [];
  const told = outcomes.slice(0, 6).map((one) => `${one.kind} ${one.name} ${one.outcome}`);
  const more = outcomes.length > 6 ? [`and ${outcomes.length - 6} more`] : [];
  await app.did(caller, {
    what: uncovered ? `${endpoint.deed ?? endpoint.summary}, secrets uncovered` : (endpoint.deed ?? endpoint.summary),
    rehearsal: endpoint.path.startsWith('/rehearsals/') ? id : undefined,
    cluster: endpoint.path.startsWith('/clusters/') ? name : id?.split('~')[0],
    draft: draft === undefined || Number.isNaN(Number(draft)) ? undefined : Number(draft),
    detail: [made, ...told, ...more].filter(Boolean).join(', ')
  });
}

/**
 * Answers one call of the programs' interface: who may, what was sent, the service's work, JSON or problem details.
 * @param given who calls; null for a stranger; left out for the one person of a program that nobody else reaches
 * @param peer the network address that a stranger's call came from
 * @param left given up when the caller has left
 */
export async function dispatch(
  request: Request,
  path: string,
  given: Caller | null = localCaller,
  peer = '',
  left = request.signal
): Promise<Response> {
  const caller = given ?? undefined;
  const url = new URL(request.url);
  // With a name in the query the body is a dump of a real cluster; without one it lays a cluster out.
  const found = route(
    request.method,
    request.method === 'POST' && path === '/clusters' && url.searchParams.has('name') ? '/clusters/read' : path
  );
  const known = typeof found === 'object' ? neededFor(found.endpoint) : 'reader';
  if (known !== 'open') {
    if (!caller) return problemResponse(signInNeeded);
    if (!holds(caller.role, known)) return problemResponse(roleNeeded(known, caller.role));
  }
  if (!found)
    return problemResponse({
      code: 'unknown-path',
      status: 404,
      title: 'There is nothing here',
      detail: `No endpoint answers to ${path}.`,
      remedy: 'See /api/v1/openapi.json.'
    });
  if (found === 'odd') return problemResponse(oddParameter);
  if (found === 'method')
    return problemResponse({
      code: 'wrong-method',
      status: 405,
      title: 'Wrong method',
      detail: `${request.method} isn't possible on ${path}.`,
      remedy: 'See /api/v1/openapi.json.'
    });
  const { endpoint, params } = found;
  for (const [key, value] of url.searchParams) if (oddCharacters.test(key + value)) return problemResponse(oddParameter);
  const query = endpoint.query ? parse(endpoint.query, Object.fromEntries(url.searchParams), 'query') : { value: {} };
  if (query instanceof Response) return query;
  // What is covered is shown to those only who could send it.
  if ((query.value as { secrets?: unknown }).secrets === 'keep' && !holds(caller?.role ?? 'reader', 'engineer'))
    return problemResponse(roleNeeded('engineer', caller?.role ?? 'reader'));
  const revision = revisionIn(request.headers.get('if-match'), endpoint);
  if (typeof revision === 'object') return problemResponse(revision);
  try {
    const body = await bodyOf(endpoint, request);
    if (body instanceof Response) return body;
    const app = await getApp();
    const changes = endpoint.method !== 'GET';
    const fault = changes && neededFor(endpoint) !== 'reader' ? app.dataGone() : undefined;
    if (fault) return problemResponse(dataRefusal(fault));
    const answer = await endpoint.run({
      app,
      params,
      query: query.value as never,
      body: body.value as never,
      revision,
      caller: caller ?? { ...localCaller, name: 'stranger', role: 'reader', peer },
      signal: left
    });
    if (endpoint.body === 'stream') await drain(request);
    if (!answer.ok) return problemResponse(answer.refusal);
    if (changes) {
      // A file that went away meanwhile has kept nothing.
      const gone = app.dataGone();
      if (gone) return problemResponse(dataRefusal(gone));
    }
    // It was done and is kept; that the list of deeds has no room must not make it look undone.
    await remember(app, endpoint, {
      caller: caller ?? { ...localCaller, name: 'stranger' },
      params,
      query: query.value,
      value: answer.value
    }).catch(async (error: unknown) => {
      log.error(loggable(error), 'who did it could not be written down');
      const trouble = dataFaultOf(error);
      if (trouble) await app.inTrouble(trouble);
    });
    return new Response(JSON.stringify(answer.value), {
      status: endpoint.status ?? 200,
      headers: {
        'content-type': 'application/json',
        'cache-control': 'no-store',
        ...(answer.cookie === undefined ? {} : { 'set-cookie': answer.cookie })
      }
    });
  } catch (error) {
    return failed(error, endpoint, left);
  }
}
