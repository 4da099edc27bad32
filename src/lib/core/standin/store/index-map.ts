/** Objects under a derived key; several keys per object are allowed. */
export class IndexMap<T> {
  private readonly buckets = new Map<string, Map<string, T>>();

  add(keys: readonly string[], id: string, object: T): void {
    for (const key of keys) {
      let bucket = this.buckets.get(key);
      if (!bucket) this.buckets.set(key, (bucket = new Map()));
      bucket.set(id, object);
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

  of(key: string): Iterable<T> {
    return this.buckets.get(key)?.values() ?? [];
  }

  has(key: string): boolean {
    return this.buckets.has(key);
  }
}
