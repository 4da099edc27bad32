import type { Api } from '$server/api/types';
import type { ParamOf } from '$server/api/endpoint';
import { contact, toSignIn } from './contact.svelte';
import { plural } from './format';
import { inOrder } from './in-order';

/** A problem as the server tells it. */
export interface Trouble {
  readonly title: string;
  readonly detail: string;
  readonly remedy: string;
  readonly status: number;
  /** `urn:root-barn:problem:<code>` */
  readonly type?: string;
  /** The newer state, where what the caller had seen was old. */
  readonly current?: unknown;
  readonly problems?: readonly {
    readonly message: string;
    readonly remedy: string;
    readonly at: { readonly line?: number; readonly column?: number; readonly object?: string; readonly field?: string };
  }[];
}

export type Called<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly trouble: Trouble };

/** What was done, or what went wrong and what to do. */
export interface Notice {
  readonly text: string;
  readonly remedy?: string;
  readonly bad: boolean;
  /** Wall-clock ms. */
  readonly at: number;
}

const mostKept = 60;

/** The line under the sheet. The latest notice stays until the next one, or until it is closed; earlier ones can be looked up. */
class Notices {
  said = $state<Notice | null>(null);
  past = $state.raw<readonly Notice[]>([]);

  private add(notice: Notice): void {
    this.said = notice;
    this.past = [notice, ...this.past].slice(0, mostKept);
  }
  say(text: string): void {
    this.add({ text, bad: false, at: Date.now() });
  }
  complain({ detail, remedy }: Pick<Trouble, 'detail' | 'remedy'>): void {
    this.add({ text: detail, remedy, bad: true, at: Date.now() });
  }
  clear(): void {
    this.said = null;
  }
}
export const notices = new Notices();

type Method = 'GET' | 'POST' | 'PUT' | 'DELETE';
/** Paths of the programs' interface that take a method. */
type PathOf<M extends Method> = { [K in keyof Api]: K extends `${M} ${infer P}` ? P : never }[keyof Api];
type Of<M extends Method, P extends string> = `${M} ${P}` extends keyof Api ? Api[`${M} ${P}`] : never;

/** What is only read. */
type Fixed<T> = T extends readonly (infer U)[] ? readonly Fixed<U>[] : T extends object ? { readonly [K in keyof T]: Fixed<T[K]> } : T;

/** What goes along with a call: what the path, the query and the body of its endpoint ask for. */
type Along<M extends Method, P extends string> = ([ParamOf<P>] extends [never]
  ? { readonly params?: undefined }
  : { readonly params: Readonly<Record<ParamOf<P>, string | number>> }) & {
  readonly query?: Readonly<Partial<Record<keyof Of<M, P>['query'], string | number | boolean>>> | URLSearchParams;
  /** JSON, or a text that stays as it is: manifests. */
  readonly body?: Fixed<Of<M, P>['body']>;
  /** What the caller has seen of what it changes. */
  readonly revision?: number | undefined;
  readonly signal?: AbortSignal | undefined;
};
type Given<M extends Method, P extends string> = [ParamOf<P>] extends [never] ? [along?: Along<M, P>] : [along: Along<M, P>];
type Answered<M extends Method, P extends string> = Of<M, P>['value'];

/** Calls the programs' interface, with the types of its endpoint. Never throws: a lost connection is a trouble like any other. */
export async function call<M extends Method, const P extends PathOf<M>>(
  method: M,
  path: P,
  ...[along]: Given<M, P>
): Promise<Called<Answered<M, P>>> {
  const { params, query, body, revision, signal } = (along ?? {}) as {
    params?: Record<string, string | number>;
    query?: Record<string, string> | URLSearchParams;
    body?: unknown;
    revision?: number;
    signal?: AbortSignal;
  };
  const filled = path.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(params?.[name] ?? ''));
  const asked = new URLSearchParams(query).toString();
  try {
    const ask = () =>
      fetch(`/api/v1${filled}${asked && '?'}${asked}`, {
        method,
        ...(signal ? { signal } : {}),
        headers: {
          'content-type': typeof body === 'string' ? 'application/yaml' : 'application/json',
          ...(revision === undefined ? {} : { 'if-match': `"${revision}"` })
        },
        ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) })
      });
    const response = await inOrder(method, filled, ask);
    const value = (await response.json()) as Answered<M, P> & Trouble;
    contact.back();
    if (response.status === 401 && value.type?.endsWith(':sign-in-needed')) toSignIn();
    return response.ok ? { ok: true, value } : { ok: false, trouble: value };
  } catch (error) {
    if (error instanceof TypeError && !signal?.aborted) contact.lost();
    return {
      ok: false,
      trouble: {
        title: 'No answer',
        detail: "Root Barn doesn't answer.",
        remedy: `See whether it still runs, then try again. (${error instanceof Error ? error.message : ''})`,
        status: 0
      }
    };
  }
}

/** Calls, and shows the trouble if there is one. */
export async function doCall<M extends Method, const P extends PathOf<M>>(
  method: M,
  path: P,
  ...along: Given<M, P>
): Promise<Answered<M, P> | undefined> {
  const answer = await call(method, path, ...along);
  if (answer.ok) return answer.value;
  notices.complain(answer.trouble);
  return undefined;
}

/** Runs the pack on a workload, and says how many of its proofs hold. */
export async function proveWorkload(id: string, namespace: string, set: string): Promise<void> {
  notices.say(`${set} is being proved …`);
  const kept = await doCall('POST', '/rehearsals/{id}/proofs', { params: { id }, body: { namespace, set } });
  if (!kept) return;
  const mine = kept.items.filter((one) => one.set === set && one.namespace === namespace);
  const holds = mine.filter((one) => one.state === 'holds').length;
  notices.say(`${holds} of ${plural(mine.length, 'proof')} hold; the evidence is kept on the Proofs sheet.`);
}

/** Puts manifests into a new draft; gives its number. */
export async function newDraft(cluster: string, name: string, text: string): Promise<number | undefined> {
  return (await doCall('POST', '/clusters/{name}/drafts', { params: { name: cluster }, body: { name, text } }))?.id;
}

/** Puts what mends a gate into a new draft; gives its number. */
export async function remedyDraft(id: string, cluster: string, ask: Record<string, string>): Promise<number | undefined> {
  const found = await call('GET', '/rehearsals/{id}/remedy', { params: { id }, query: ask });
  if (found.ok) return newDraft(cluster, `Remedy: ${found.value.title.toLowerCase()}`, found.value.yaml);
  notices.complain(found.trouble);
  return undefined;
}
