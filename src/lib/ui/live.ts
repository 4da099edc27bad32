import type { LiveEvent } from '$server/services';
import { contact } from './contact.svelte';
import { liveKinds, type FromPage, type ToPage } from './live-words';

const reopenMs = 1_000;

/** Who watches a rehearsal. */
export interface Watcher {
  /** Number of the latest event that what is shown holds already. */
  loadedAt(): number;
  /** Something has happened; undefined where what it was is forgotten and everything has to be loaded anew. */
  heard(event: LiveEvent | undefined): void;
}

/** Listeners of this page to events of drafts and of who is there, beside the one that keeps the page new. */
const aside = new Set<(event: LiveEvent) => void>();
export function hearAside(listener: (event: LiveEvent) => void): () => void {
  aside.add(listener);
  return () => aside.delete(listener);
}
/** It is about a draft, or about who is there; nothing that a sheet shows. */
const isAside = (event: LiveEvent) => event.place !== undefined;
const tellAside = (event: LiveEvent) => aside.forEach((one) => one(event));

/** Listens through the worker that all tabs share. A page that nobody looks at hears nothing, and catches up when it is looked at. */
function watchShared(rehearsal: string, watcher: Watcher): () => void {
  const { port } = new SharedWorker(new URL('./live-worker.ts', import.meta.url), { type: 'module', name: 'root-barn-live' });
  const tell = (message: FromPage) => port.postMessage(message);
  port.onmessage = ({ data }: MessageEvent<ToPage>) => {
    if ('event' in data) {
      if (isAside(data.event)) tellAside(data.event);
      else watcher.heard(data.event);
    } else if ('reload' in data) watcher.heard(undefined);
    else if (data.contact) {
      if (data.wasLost || contact.lostSince !== null) watcher.heard(undefined);
      contact.back();
    } else contact.lost();
  };
  const looked = () => tell({ watch: document.visibilityState === 'hidden' ? null : { rehearsal, after: watcher.loadedAt() } });
  const leaving = () => tell({ watch: null });
  // A page that comes back out of the browser's memory listens again.
  const shown = (event: PageTransitionEvent) => event.persisted && looked();
  document.addEventListener('visibilitychange', looked);
  addEventListener('pagehide', leaving);
  addEventListener('pageshow', shown);
  looked();
  return () => {
    document.removeEventListener('visibilitychange', looked);
    removeEventListener('pagehide', leaving);
    removeEventListener('pageshow', shown);
    leaving();
    port.close();
  };
}

/** Listens by itself, where a browser has no workers that tabs share. */
function watchAlone(rehearsal: string, watcher: Watcher): () => void {
  let source: EventSource | undefined;
  let closed = false;
  let timer: ReturnType<typeof setTimeout> | undefined;

  const heard = (event: MessageEvent<string>) => {
    const told = JSON.parse(event.data) as LiveEvent | Record<string, never>;
    if ('id' in told && isAside(told as LiveEvent)) tellAside(told as LiveEvent);
    else watcher.heard('id' in told ? (told as LiveEvent) : undefined);
  };
  function open(): void {
    clearTimeout(timer);
    source?.close();
    const opened = new EventSource(`/api/v1/rehearsals/${encodeURIComponent(rehearsal)}/live?after=${watcher.loadedAt()}`);
    source = opened;
    for (const kind of liveKinds) opened.addEventListener(kind, heard);
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

/**
 * Listens to a rehearsal ('all' for every one) and comes back by itself after a break. It begins with what has happened since the page
 * was loaded, however late it opens. Tells `contact` when the server isn't heard of, and when it is again.
 */
export const watchLive = (rehearsal: string, watcher: Watcher): (() => void) =>
  (typeof SharedWorker === 'undefined' ? watchAlone : watchShared)(rehearsal, watcher);
