/** A problem as the server tells it. */
export interface Trouble {
  readonly title: string;
  readonly detail: string;
  readonly remedy: string;
  readonly status: number;
  readonly problems?: readonly {
    readonly message: string;
    readonly remedy: string;
    readonly at: { readonly line?: number; readonly column?: number; readonly object?: string; readonly field?: string };
  }[];
}

export type Called<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly trouble: Trouble };

/** The one notice under the sheet: what was done, or what went wrong and what to do. */
class Notices {
  said = $state<{ text: string; remedy?: string; bad: boolean } | null>(null);
  private timer: ReturnType<typeof setTimeout> | undefined;

  say(text: string): void {
    this.said = { text, bad: false };
    clearTimeout(this.timer);
    this.timer = setTimeout(() => (this.said = null), 6_000);
  }
  complain({ detail, remedy }: Pick<Trouble, 'detail' | 'remedy'>): void {
    clearTimeout(this.timer);
    this.said = { text: detail, remedy, bad: true };
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
    const response = await fetch(`/api/v1${path}`, {
      method,
      ...(more.signal ? { signal: more.signal } : {}),
      headers: {
        'content-type': more.yaml ? 'application/yaml' : 'application/json',
        ...(more.revision === undefined ? {} : { 'if-match': `"${more.revision}"` })
      },
      ...(body === undefined ? {} : { body: more.yaml ? String(body) : JSON.stringify(body) })
    });
    const value = (await response.json()) as T & Trouble;
    return response.ok ? { ok: true, value } : { ok: false, trouble: value };
  } catch (error) {
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
  if (found.ok) return newDraft(cluster, `mend ${found.value.title.toLowerCase()}`, found.value.yaml);
  notices.complain(found.trouble);
  return undefined;
}
