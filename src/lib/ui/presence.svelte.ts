import { call } from './call.svelte';
import { hearAside } from './live';

const everyMs = 20_000;

/** Somebody else who has the same draft or rehearsal open. */
export interface Present {
  readonly id: string;
  readonly who: string;
  readonly doing: 'looks' | 'writes';
}

/** Drawn once for each page, so that two tabs of one person are told apart. */
const me = Array.from(crypto.getRandomValues(new Uint8Array(12)), (byte) => byte.toString(16).padStart(2, '0')).join('');

/** Says that this page has something open, and knows who else has. */
export class Presence {
  others = $state.raw<readonly Present[]>([]);
  private doing: 'looks' | 'writes' = 'looks';
  private stopped = false;

  constructor(private readonly place: { rehearsal: string; draft?: number }) {}

  /** Tells until it is stopped. */
  start(): () => void {
    const mine = this.place.draft === undefined ? `rehearsal ${this.place.rehearsal}` : `draft ${this.place.draft}`;
    const timer = setInterval(() => void this.tell(), everyMs);
    const stopHearing = hearAside((event) => {
      if (event.kind === 'present' && event.place === mine) void this.tell();
    });
    const leaving = () => void this.leave();
    addEventListener('pagehide', leaving);
    void this.tell();
    return () => {
      this.stopped = true;
      clearInterval(timer);
      stopHearing();
      removeEventListener('pagehide', leaving);
      void this.leave();
    };
  }

  does(doing: 'looks' | 'writes'): void {
    if (doing === this.doing) return;
    this.doing = doing;
    void this.tell();
  }

  private async tell(): Promise<void> {
    if (document.visibilityState === 'hidden') return;
    const answer = await call('PUT', '/presence', { body: { id: me, ...this.place, doing: this.doing } });
    if (answer.ok && !this.stopped) this.others = answer.value.items;
  }

  private async leave(): Promise<void> {
    await fetch('/api/v1/presence', {
      method: 'PUT',
      keepalive: true,
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ id: me, ...this.place, doing: 'gone' })
    }).catch(() => undefined);
  }
}

/** Who else is there, in words; '' where nobody is. */
export function othersWords(others: readonly Present[]): string {
  if (!others.length) return '';
  const names = [...new Set(others.map((one) => (one.who === 'local' ? 'another tab' : one.who)))];
  const writes = others.some((one) => one.doing === 'writes');
  return `also here: ${names.slice(0, 3).join(', ')}${names.length > 3 ? ` and ${names.length - 3} more` : ''}${writes ? ' (writing)' : ''}`;
}
