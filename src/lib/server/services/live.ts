import type { Clock } from '../rehearsals/clock';

/** One thing that happened to a rehearsal, for those who watch. */
export interface LiveEvent {
  readonly id: number;
  readonly rehearsal: string;
  readonly kind: 'clock' | 'acted' | 'proved' | 'forked' | 'draft' | 'present' | 'unkept';
  readonly clock: Clock | null;
  /** Of the rehearsal, or of the draft. */
  readonly revision: number;
  /** `draft 7`: what it is about, where that is no rehearsal. */
  readonly place?: string;
  readonly who?: string;
}

const remembered = 500;

/** Hands events to watchers and remembers the latest, so that one who comes back can go on where it was. */
export class LiveBus {
  private readonly past: LiveEvent[] = [];
  private readonly watchers = new Set<(event: LiveEvent) => void>();
  private nextId = Date.now();

  /** Number of the latest event: whoever loads something now asks for the events after it. */
  get latestId(): number {
    return this.nextId - 1;
  }

  publish(event: Omit<LiveEvent, 'id'>): void {
    const made = { ...event, id: this.nextId++ };
    this.past.push(made);
    if (this.past.length > remembered) this.past.shift();
    for (const watcher of this.watchers) watcher(made);
  }

  /** Events after an id; undefined when some of them are forgotten, and everything has to be loaded anew. */
  since(id: number): LiveEvent[] | undefined {
    const oldest = this.past[0]?.id ?? this.nextId;
    if (id < oldest - 1 || id >= this.nextId) return undefined;
    return this.past.filter((one) => one.id > id);
  }

  watch(watcher: (event: LiveEvent) => void): () => void {
    this.watchers.add(watcher);
    return () => this.watchers.delete(watcher);
  }
}
