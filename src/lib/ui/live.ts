import { navigating } from '$app/state';
import type { LiveEvent } from '$server/services';

const gatherMs = 120;
const mostTries = 20;
const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/**
 * Watches a rehearsal ('all' for every one) and comes back by itself after a break. Events are gathered for a moment, and one refresh is
 * under way at a time. A refresh that a navigation has swallowed is tried again.
 * @param refresh loads what is shown anew; gives whether it now shows the latest event
 */
export function watchLive(rehearsal: string, refresh: (latest: LiveEvent | undefined) => Promise<boolean>): () => void {
  const source = new EventSource(`/api/v1/rehearsals/${encodeURIComponent(rehearsal)}/live`);
  let latest: LiveEvent | undefined;
  let news = false;
  let busy = false;
  let closed = false;

  async function run(): Promise<void> {
    busy = true;
    for (let tries = 0; news && !closed && tries < mostTries;) {
      news = false;
      await wait(gatherMs);
      // Loading anew in the middle of a navigation would call the navigation off.
      while (navigating.to && !closed) await wait(40);
      if (closed || (await refresh(latest))) tries = 0;
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
  for (const kind of ['clock', 'acted', 'proved', 'forked', 'reload']) source.addEventListener(kind, heard);
  return () => {
    closed = true;
    source.close();
  };
}
