import { getContext, setContext, untrack } from 'svelte';
import type { LiveEvent } from '$server/services';
import type { FrameData } from '$server/services/frame';
import { call } from '../call.svelte';
import { againMs, Follower, paceMs, wait } from '../follow';
import { watchLive } from '../live';

const key = Symbol('frame');

/**
 * What a page shows of its rehearsal: the one source of truth for the head, the levels, the tape and whatever hangs on the clock. It is
 * fed by the page's first load and, from then on, by live events: each is followed by one look at the server. It doesn't go through the
 * router, so nothing that the reader does meanwhile can swallow it. The sheet in front is loaded anew beside it, as long as it is older
 * than the latest event.
 */
export class Frame {
  now = $state.raw<FrameData>(undefined as never);
  private wanted: number;
  private forced = false;
  private looking = false;
  private closed = false;
  private readonly sheet: Follower;

  /** `sheetAsOf`: number of the latest event that the sheet in front holds; undefined for one that follows nothing. */
  constructor(first: FrameData, sheetAsOf: () => number | undefined) {
    this.now = first;
    this.wanted = first.loadedAt;
    this.sheet = new Follower('app:sheet', sheetAsOf);
  }

  /** Takes what a page was loaded with, unless something newer is shown. */
  take(loaded: FrameData): void {
    const known = untrack(() => this.now);
    if (loaded.id === known.id && loaded.loadedAt <= known.loadedAt) return;
    this.now = loaded;
    if (loaded.id !== known.id) this.wanted = loaded.loadedAt;
  }

  /** Listens until it is told to stop. */
  watch(id: string): () => void {
    this.closed = this.sheet.closed = false;
    const stop = watchLive(id, { loadedAt: () => untrack(() => this.now.loadedAt), heard: (event) => this.heard(event) });
    return () => {
      this.closed = this.sheet.closed = true;
      stop();
    };
  }

  private heard(event: LiveEvent | undefined): void {
    void this.look(event?.id);
    void this.sheet.follow(event?.id);
  }

  /** Looks at the server until what is shown holds an event; without one, once. */
  async look(event?: number): Promise<void> {
    if (event === undefined) this.forced = true;
    else this.wanted = Math.max(this.wanted, event);
    if (this.looking) return;
    this.looking = true;
    while (!this.closed && (this.forced || this.now.loadedAt < this.wanted)) {
      const began = Date.now();
      const { id } = this.now;
      this.forced = false;
      const answer = await call('GET', '/rehearsals/{id}/frame', { params: { id } });
      if (id !== this.now.id) this.forced = true;
      else if (answer.ok) this.now = answer.value;
      else if (answer.trouble.status === 404) break;
      else await wait(againMs);
      if (this.forced || this.now.loadedAt < this.wanted) await wait(paceMs - (Date.now() - began));
    }
    this.looking = false;
  }
}

export const provideFrame = (frame: Frame): Frame => setContext(key, frame);
/** The frame of the page that a component stands on. */
export const frameHere = (): Frame => getContext<Frame>(key);
