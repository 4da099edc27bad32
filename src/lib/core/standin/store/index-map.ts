/** A place that holds an object's latest state; indexes point to it, so that most changes leave them alone. */
export interface Slot<T> {
  object: T;
  /** `Kind namespace/name`, or `Kind name`. */
  readonly key: string;
}

/** Slots under a derived key; several keys per object are allowed. What was added first stands first. */
export class IndexMap<T> {
  private readonly buckets = new Map<string, Slot<T>[]>();

  add(keys: readonly string[], slot: Slot<T>): void {
    for (let i = 0; i < keys.length; i += 1) {
      const key = keys[i]!;
      if (i > 0 && keys.indexOf(key) < i) continue;
      const bucket = this.buckets.get(key);
      if (bucket) bucket.push(slot);
      else this.buckets.set(key, [slot]);
    }
  }

  drop(keys: readonly string[], slot: Slot<T>): void {
    for (const key of keys) {
      const bucket = this.buckets.get(key);
      const at = bucket ? bucket.indexOf(slot) : -1;
      if (at < 0) continue;
      if (bucket!.length === 1) this.buckets.delete(key);
      else bucket!.splice(at, 1);
    }
  }

  of(key: string): T[] {
    const bucket = this.buckets.get(key);
    if (!bucket) return [];
    const found = new Array<T>(bucket.length);
    for (let i = 0; i < bucket.length; i += 1) found[i] = bucket[i]!.object;
    return found;
  }
}
