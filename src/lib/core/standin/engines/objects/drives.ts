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
/** Looks something up anew only where something else lies on the volumes in reach. What lies there is replaced and never changed. */
function keptOn<T>(): (reached: readonly Reached[], look: () => T) => T {
  const all = new WeakMap<Drive, { readonly on: readonly Reached[]; readonly found: T }>();
  return (reached, look) => {
    const [first] = reached;
    if (!first) return look();
    const kept = all.get(first.holds);
    const same = (one: Reached, i: number) => one.drive === reached[i]!.drive && one.holds === reached[i]!.holds;
    if (kept && kept.on.length === reached.length && kept.on.every(same)) return kept.found;
    const found = look();
    all.set(first.holds, { on: reached, found });
    return found;
  };
}

/** What volumes lack. */
export const keptLacking = keptOn<Lacking[]>();

/** What lies in a store by name, with what tells one content from another; and the sum over those in a bucket ('': in all), as far as it was asked for. */
export interface NamesTold {
  readonly rows: readonly (readonly [object: string, sum: string])[];
  readonly sums: Map<string, string>;
}
/** The names of what lies in a store; or which object too few volumes answer for. */
export const keptNames = keptOn<NamesTold | string>();

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
