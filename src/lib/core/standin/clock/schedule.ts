import TinyQueue from 'tinyqueue';

/** A call of a control loop that is due. Plain data, so that a snapshot can hold it. */
export interface Due {
  readonly atMs: number;
  /** Place of the loop in the registry; also its priority among calls of one moment. */
  readonly loop: number;
  readonly key: string;
  readonly sequence: number;
  /** A repeat that only looks again (back-off): it doesn't keep the world from being settled. */
  readonly idle: boolean;
}

const before = (a: Due, b: Due): number => a.atMs - b.atMs || a.loop - b.loop || a.sequence - b.sequence;

/**
 * The queue of what is due, ordered by (time, priority, sequence). One loop has at most one call per key waiting: the earliest asked
 * for. A loop that still has to wait when it is called asks again.
 */
export class Schedule {
  private heap = new TinyQueue<Due>([], before);
  private readonly waiting: Map<string, Due>[] = [];
  private sequence = 0;
  private busyCount = 0;

  constructor(loops: number) {
    for (let i = 0; i < loops; i += 1) this.waiting.push(new Map());
  }

  /** How many calls are due that aren't mere repeats; 0 means settled. */
  get busy(): number {
    return this.busyCount;
  }

  add(atMs: number, loop: number, key: string, idle: boolean): void {
    const mine = this.waiting[loop]!;
    const known = mine.get(key);
    if (known) {
      const quiet = known.idle && idle;
      if (known.atMs <= atMs && known.idle === quiet) return;
      if (!known.idle) this.busyCount -= 1;
      this.push({ atMs: Math.min(atMs, known.atMs), loop, key, sequence: this.sequence++, idle: quiet });
    } else this.push({ atMs, loop, key, sequence: this.sequence++, idle });
  }

  private push(due: Due): void {
    this.waiting[due.loop]!.set(due.key, due);
    if (!due.idle) this.busyCount += 1;
    this.heap.push(due);
  }

  /** The next call, left in the queue. */
  peek(): Due | undefined {
    for (;;) {
      const due = this.heap.peek();
      if (!due || this.waiting[due.loop]!.get(due.key) === due) return due;
      this.heap.pop();
    }
  }

  /** Takes the next call out. */
  next(): Due | undefined {
    const due = this.peek();
    if (!due) return undefined;
    this.heap.pop();
    this.waiting[due.loop]!.delete(due.key);
    if (!due.idle) this.busyCount -= 1;
    return due;
  }

  /** All that is due, as plain data. */
  save(): { due: Due[]; sequence: number } {
    return { due: this.waiting.flatMap((one) => [...one.values()]).sort(before), sequence: this.sequence };
  }

  load(saved: { due: Due[]; sequence: number }): void {
    this.heap = new TinyQueue<Due>([], before);
    for (const one of this.waiting) one.clear();
    this.busyCount = 0;
    for (const due of saved.due) this.push(due);
    this.sequence = saved.sequence;
  }
}
