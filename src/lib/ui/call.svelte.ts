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

/** Calls the programs' interface. Never throws: a lost connection is a trouble like any other. */
export async function call<T>(
  method: 'GET' | 'POST' | 'PUT' | 'DELETE',
  path: string,
  body?: unknown,
  more: { yaml?: boolean; revision?: number; signal?: AbortSignal } = {}
): Promise<Called<T>> {
  try {
    const ask = () =>
      fetch(`/api/v1${path}`, {
        method,
        ...(more.signal ? { signal: more.signal } : {}),
        headers: {
          'content-type': more.yaml ? 'application/yaml' : 'application/json',
          ...(more.revision === undefined ? {} : { 'if-match': `"${more.revision}"` })
        },
        ...(body === undefined ? {} : { body: more.yaml ? String(body) : JSON.stringify(body) })
      });
    const response = await inOrder(method, path, ask);
    const value = (await response.json()) as T & Trouble;
    contact.back();
    if (response.status === 401 && value.type?.endsWith(':sign-in-needed')) toSignIn();
    return response.ok ? { ok: true, value } : { ok: false, trouble: value };
  } catch (error) {
    if (error instanceof TypeError && !more.signal?.aborted) contact.lost();
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
export async function doCall<T>(
  method: 'POST' | 'PUT' | 'DELETE',
  path: string,
  body?: unknown,
  more: { yaml?: boolean; revision?: number } = {}
): Promise<T | undefined> {
  const answer = await call<T>(method, path, body, more);
  if (answer.ok) return answer.value;
  notices.complain(answer.trouble);
  return undefined;
}

/** Runs the pack on a workload, and says how many of its proofs hold. */
export async function proveWorkload(id: string, namespace: string, set: string): Promise<void> {
  notices.say(`${set} is being proved …`);
  const kept = await doCall<{ items: { state: string; set: string; namespace: string }[] }>(
    'POST',
    `/rehearsals/${encodeURIComponent(id)}/proofs`,
    { namespace, set }
  );
  if (!kept) return;
  const mine = kept.items.filter((one) => one.set === set && one.namespace === namespace);
  const holds = mine.filter((one) => one.state === 'holds').length;
  notices.say(`${holds} of ${plural(mine.length, 'proof')} hold; the evidence is kept on the Proofs sheet.`);
}

/** Puts manifests into a new draft; gives its number. */
export async function newDraft(cluster: string, name: string, text: string): Promise<number | undefined> {
  return (await doCall<{ id: number }>('POST', `/clusters/${encodeURIComponent(cluster)}/drafts`, { name, text }))?.id;
}

/** Puts what mends a gate into a new draft; gives its number. */
export async function remedyDraft(id: string, cluster: string, ask: Record<string, string>): Promise<number | undefined> {
  const found = await call<{ title: string; yaml: string }>(
    'GET',
    `/rehearsals/${encodeURIComponent(id)}/remedy?${new URLSearchParams(ask)}`
  );
  if (found.ok) return newDraft(cluster, `Remedy: ${found.value.title.toLowerCase()}`, found.value.yaml);
  notices.complain(found.trouble);
  return undefined;
}
