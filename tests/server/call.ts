import tar from 'tar-stream';
import type { Joint } from '$core/rootline';
import type { dispatch as Dispatch } from '$server/api/dispatch';

process.env.ROOT_BARN_DATA = ':memory:';
/** Loaded after the place of the data is set: a server begins with its first import. */
const kept = () => import('./kept');
let loaded: Promise<{ dispatch: typeof Dispatch }> | undefined;

/** ClusterAccess a request to the API, without a network. */
export async function dispatch(request: Request, path: string): Promise<Response> {
  loaded ??= import('$server/api/dispatch');
  return (await loaded).dispatch(request, path);
}

export type Body = string | object | Uint8Array<ArrayBuffer>;

/** Calls the API as a program would; objects go as JSON. Every answer is held to the description. */
export async function call<T = Record<string, unknown>>(method: string, path: string, body?: Body): Promise<{ status: number; body: T }> {
  const content = body === undefined ? {} : { body: typeof body === 'string' || body instanceof Uint8Array ? body : JSON.stringify(body) };
  const response = await dispatch(new Request(`http://127.0.0.1/api/v1${path}`, { method, ...content }), path.split('?')[0]!);
  const value = (await response.json()) as T;
  const fault = response.ok ? (await kept()).differs(method, path, value) : '';
  if (fault) throw new Error(`Not as described: ${fault}`);
  return { status: response.status, body: value };
}

/** Reads a dump under a name. */
export const read = (name: string, body: Body, more = '') =>
  call<{ objects: number; detail: string; type: string; remedy: string; others: number; problems: number }>(
    'POST',
    `/clusters?name=${name}${more}`,
    body
  );
/** A root line, as it is answered. */
export interface Line {
  firstBreak: string | null;
  joints: Joint[];
}
/** Files in a tar. */
export async function packed(files: Record<string, string>): Promise<Buffer<ArrayBuffer>> {
  const pack = tar.pack();
  for (const [name, text] of Object.entries(files)) pack.entry({ name }, text);
  pack.finalize();
  const chunks: Buffer[] = [];
  for await (const chunk of pack) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks);
}
