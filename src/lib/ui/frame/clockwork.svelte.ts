import { doCall, notices } from '../call.svelte';
import type { Api } from '$server/api/types';
import { clockText } from '../format';

type Move = NonNullable<Api['POST /rehearsals/{id}/clock']['body']>;

/** Moves a rehearsal's clock from the frame; the newest wish wins while an older one is still under way. */
export class Clockwork {
  /** Where the head is being dragged to, before the server has answered. */
  dragged = $state<number | null>(null);
  /** A run until settled is under way. */
  busy = $state(false);
  private wanted: number | null = null;
  private sending = false;

  constructor(private readonly id: () => string) {}

  private get at() {
    return { params: { id: this.id() } };
  }

  async move(body: Move): Promise<void> {
    this.busy = 'until' in body;
    this.dragged = null;
    // Where a drag still wanted to go is older than this.
    this.wanted = null;
    const moved = await doCall('POST', '/rehearsals/{id}/clock', { ...this.at, body });
    if (moved?.says) notices.say(moved.says);
    this.busy = false;
  }

  /** Stops whatever is under way, where it has got to. */
  async stop(): Promise<void> {
    await doCall('POST', '/rehearsals/{id}/clock', { ...this.at, body: { pause: true } });
  }

  /** Run or pause, whichever it isn't. */
  async toggle(running: number, speed: number): Promise<void> {
    await (this.busy ? this.stop() : this.move(running ? { pause: true } : { run: speed }));
  }

  /** Moves the head while it is dragged: at most one call under way. */
  async drag(atMs: number): Promise<void> {
    this.dragged = atMs;
    this.wanted = atMs;
    if (this.sending) return;
    this.sending = true;
    while (this.wanted !== null) {
      const untilMs = Math.max(0, Math.round(this.wanted));
      this.wanted = null;
      await doCall('POST', '/rehearsals/{id}/clock', { ...this.at, body: { untilMs } });
    }
    this.sending = false;
    // The head stays where it was let go until the sheet has caught up.
    setTimeout(() => {
      if (!this.sending) this.dragged = null;
    }, 500);
  }

  async undo(): Promise<void> {
    const clock = await doCall('POST', '/rehearsals/{id}/undo', this.at);
    if (clock) notices.say(`Taken back; the clock stands at ${clockText(clock.nowMs)}, before it was done.`);
  }
}
