import type { LiveBus } from './live';

/** Somebody who has a draft or a rehearsal open. */
export interface Present {
  /** Drawn by the page; tells two tabs of one person apart. */
  readonly id: string;
  readonly who: string;
  readonly doing: 'looks' | 'writes';
}

interface Entry extends Present {
  readonly place: string;
  readonly seenMs: number;
}

/** Somebody who hasn't been heard of for so long has gone. */
const goneAfterMs = 45_000;
const mostEntries = 5_000;

/** Who is where just now. Kept in memory: it is over with the process. */
export class Presence {
  private readonly entries = new Map<string, Entry>();

  constructor(private readonly bus: LiveBus) {}

  /** Told by a page every now and then, and when it is left (`gone`). Gives who else is there. */
  told(place: string, rehearsal: string, one: Present, gone: boolean, now = Date.now()): Present[] {
    const key = `${place} ${one.id}`;
    const before = this.entries.get(key);
    for (const [id, entry] of this.entries) if (now - entry.seenMs > goneAfterMs) this.entries.delete(id);
    if (gone) this.entries.delete(key);
    else if (before || this.entries.size < mostEntries) this.entries.set(key, { ...one, place, seenMs: now });
    if (gone ? before !== undefined : before?.doing !== one.doing)
      this.bus.publish({ rehearsal, kind: 'present', clock: null, revision: 0, place });
    return this.at(place, now).filter((other) => other.id !== one.id);
  }

  at(place: string, now = Date.now()): Present[] {
    return [...this.entries.values()]
      .filter((one) => one.place === place && now - one.seenMs <= goneAfterMs)
      .map(({ id, who, doing }) => ({ id, who, doing }));
  }
}
