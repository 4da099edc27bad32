import { invalidate } from '$app/navigation';
import { navigating } from '$app/state';
import type { LiveEvent } from '$server/services';

const gatherMs = 120;
const mostTries = 20;
const reopenMs = 1_000;
const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/**
 * Waits until no navigation is under way: loading anew in the middle of one would call it off. One that was called off all the same is
 * over, though `navigating` goes on naming it until the next one has ended.
 */
async function still(): Promise<void> {
  for (let over: unknown; navigating.to && navigating.to !== over;) {
    over = navigating.to;
    await navigating.complete?.catch(() => undefined);
  }
}

/** Loads anew what depends on something, once no navigation is under way. */
export async function refresh(...what: readonly string[]): Promise<void> {
  await still();
  await Promise.all(what.map((one) => invalidate(one)));
}

/** What is watched, and how what is shown is brought up to it. */
interface Watched {
  /** Number of the latest event when what is shown was loaded. */
  loadedAt(): number;
  /** Loads what is shown anew. */
  load(): Promise<void>;
  /** Whether the latest event is shown already. */
  shows(latest: LiveEvent): boolean;
}

/**
 * Watches a rehearsal ('all' for every one) and comes back by itself after a break. Events are gathered for a moment, and one refresh is
 * under way at a time. A refresh that a navigation has swallowed, or that failed, is tried again. The stream begins with what
 * has happened since the page was loaded, however late it opens.
 */
export function watchLive(rehearsal: string, watched: Watched): () => void {
  let source: EventSource;
  let latest: LiveEvent | undefined;
  let news = false;
  let busy = false;
  let closed = false;

  async function refreshed(): Promise<boolean> {
    try {
      await watched.load();
      return !latest || watched.shows(latest);
    } catch {
      return false;
    }
  }
  async function run(): Promise<void> {
    busy = true;
    for (let tries = 0; news && !closed && tries < mostTries;) {
      news = false;
      await wait(gatherMs);
      if (closed || (await refreshed())) tries = 0;
      else {
        tries += 1;
        news = true;
      }
    }
    busy = false;
  }
  const heard = (event: MessageEvent<string>) => {
    const told = JSON.parse(event.data) as LiveEvent | Record<string, never>;
    latest = 'id' in told ? (told as LiveEvent) : undefined;
    news = true;
    if (!busy) void run();
  };
  function open(): void {
    source = new EventSource(`/api/v1/rehearsals/${encodeURIComponent(rehearsal)}/live?after=${watched.loadedAt()}`);
    for (const kind of ['clock', 'acted', 'proved', 'forked', 'reload']) source.addEventListener(kind, heard);
    source.onerror = () => {
      // The browser comes back by itself after a break, but not after an answer that was no stream.
      if (source.readyState === EventSource.CLOSED && !closed) setTimeout(() => closed || open(), reopenMs);
    };
  }
  // Browsers keep six connections to one address. A page that nobody looks at gives its own back, and catches up when it is looked at.
  const looked = () => {
    source.close();
    if (document.visibilityState !== 'hidden') open();
  };
  document.addEventListener('visibilitychange', looked);
  open();
  return () => {
    closed = true;
    document.removeEventListener('visibilitychange', looked);
    source.close();
  };
}
