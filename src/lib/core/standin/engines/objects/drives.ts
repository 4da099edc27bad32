/** What a volume holds of one object. */
export interface Shard {
  readonly version: number;
  /** Who wrote this version; of two with the same number the later name counts. */
  readonly by: string;
  readonly length: number;
  readonly sum: string;
  /** The mark of the key that the store encrypted it with; undefined: it wasn't. */
  readonly key?: string;
  /** Name of the shard's bytes; undefined: the object was deleted with this version. */
  readonly bytes?: string;
}

/** What lies on a volume of the store. */
export interface Drive {
  /** The members of the store, as they were when it was laid out, and their parity. */
  readonly members: readonly string[];
  readonly volumesEach: number;
  readonly parity: number;
  readonly shards: Readonly<{ [object: string]: Shard }>;
}

/** A volume that a member reaches, with what lies there. */
export interface Reached {
  readonly drive: string;
  readonly member: string;
  readonly nth: number;
  readonly holds: Drive;
}
/** An object that a volume lacks. */
export interface Lacking {
  readonly object: string;
  readonly member: string;
  readonly nth: number;
}
const lackingKept = new WeakMap<Drive, { readonly on: readonly Reached[]; readonly found: Lacking[] }>();

/** What volumes lack: looked up anew only where something else lies on them. What lies there is replaced and never changed. */
export function keptLacking(reached: readonly Reached[], look: () => Lacking[]): Lacking[] {
  const [first] = reached;
  if (!first) return [];
  const kept = lackingKept.get(first.holds);
  const same = (one: Reached, i: number) => one.drive === reached[i]!.drive && one.holds === reached[i]!.holds;
  if (kept && kept.on.length === reached.length && kept.on.every(same)) return kept.found;
  const found = look();
  lackingKept.set(first.holds, { on: reached, found });
  return found;
}

type Shards = Drive['shards'];
const unevenKept = new WeakMap<Shards, WeakMap<Shards, readonly string[]>>();

/** Objects of which two volumes don't hold the same version; looked up once for two contents, which are replaced and never changed. */
export function unevenOf(a: Shards, b: Shards): readonly string[] {
  let kept = unevenKept.get(a);
  if (!kept) unevenKept.set(a, (kept = new WeakMap()));
  let found = kept.get(b);
  if (!found) {
    const uneven: string[] = [];
    for (const object in a) {
      const other = b[object];
      if (other === undefined || other.version !== a[object]!.version || other.by !== a[object]!.by) uneven.push(object);
    }
    for (const object in b) if (a[object] === undefined) uneven.push(object);
    kept.set(b, (found = uneven));
  }
  return found;
}
