/** A place that holds an object's latest state; indexes point to it, so that most changes leave them alone. */
export interface Slot<T> {
  object: T;
}

/** Slots under a derived key; several keys per object are allowed. */
export class IndexMap<T> {
  private readonly buckets = new Map<string, Map<string, Slot<T>>>();

  add(keys: readonly string[], id: string, slot: Slot<T>): void {
    for (const key of keys) {
      let bucket = this.buckets.get(key);
      if (!bucket) this.buckets.set(key, (bucket = new Map()));
      bucket.set(id, slot);
    }
  }

  drop(keys: readonly string[], id: string): void {
    for (const key of keys) {
      const bucket = this.buckets.get(key);
      if (!bucket) continue;
      bucket.delete(id);
      if (bucket.size === 0) this.buckets.delete(key);
    }
  }

  of(key: string): T[] {
    const bucket = this.buckets.get(key);
    if (!bucket) return [];
    const found: T[] = [];
    for (const slot of bucket.values()) found.push(slot.object);
    return found;
  }
}
