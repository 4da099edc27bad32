import type { LiveEvent } from '$server/services';
import { contact } from './contact.svelte';

const reopenMs = 1_000;

/** Who watches a rehearsal. */
export interface Watcher {
  /** Number of the latest event that what is shown holds already. */
  loadedAt(): number;
  /** Something has happened; undefined where what it was is forgotten and everything has to be loaded anew. */
  heard(event: LiveEvent | undefined): void;
}

/**
 * Listens to a rehearsal ('all' for every one) and comes back by itself after a break. The stream begins with what has happened since
 * the page was loaded, however late it opens. Tells `contact` when the server isn't heard of, and when it is again.
 */
export function watchLive(rehearsal: string, watcher: Watcher): () => void {
  let source: EventSource | undefined;
  let closed = false;
  let timer: ReturnType<typeof setTimeout> | undefined;

  const heard = (event: MessageEvent<string>) => {
    const told = JSON.parse(event.data) as LiveEvent | Record<string, never>;
    watcher.heard('id' in told ? (told as LiveEvent) : undefined);
  };
  function open(): void {
    clearTimeout(timer);
    source?.close();
    const opened = new EventSource(`/api/v1/rehearsals/${encodeURIComponent(rehearsal)}/live?after=${watcher.loadedAt()}`);
    source = opened;
    for (const kind of ['clock', 'acted', 'proved', 'forked', 'reload']) opened.addEventListener(kind, heard);
    opened.onopen = () => {
      if (contact.lostSince !== null) watcher.heard(undefined);
      contact.back();
    };
    opened.onerror = () => {
      if (closed || source !== opened) return;
      contact.lost();
      // The browser comes back by itself after a break, but not after an answer that was no stream.
      if (opened.readyState === EventSource.CLOSED) timer = setTimeout(() => closed || open(), reopenMs);
    };
  }
  // Browsers keep six connections to one address. A page that nobody looks at gives its own back, and catches up when it is looked at.
  const looked = () => {
    if (document.visibilityState === 'hidden') source?.close();
    else open();
  };
  const leaving = () => {
    closed = true;
    source?.close();
  };
  document.addEventListener('visibilitychange', looked);
  addEventListener('pagehide', leaving);
  open();
  return () => {
    closed = true;
    clearTimeout(timer);
    document.removeEventListener('visibilitychange', looked);
    removeEventListener('pagehide', leaving);
    source?.close();
  };
}
