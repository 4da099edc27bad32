import { keyOf, refOf, type ApiObject, type Facts, type Kind, type KindMap, type Ref } from '../../model';
import { IndexMap } from './index-map';
import { indexers, type IndexName } from './indexes';

/** One change of one object. `before` is missing when it was made, `after` when it went. */
export interface Change {
  readonly atMs: number;
  readonly key: string;
  readonly before?: ApiObject;
  readonly after?: ApiObject;
}

type Bucket = Map<string, ApiObject>;
const names = Object.keys(indexers) as IndexName[];

/** The objects of one cluster at one moment, found by kind, namespace, name and by the indexes. */
export class Store implements Facts {
  nowMs = 0;
  readonly knowsProvider = true;
  private readonly kinds = new Map<Kind, Map<string, Bucket>>();
  private readonly indexes = Object.fromEntries(names.map((name) => [name, new IndexMap<ApiObject>()])) as Record<
    IndexName,
    IndexMap<ApiObject>
  >;

  get<K extends Kind>(kind: K, namespace: string, name: string): KindMap[K] | undefined {
    return this.kinds.get(kind)?.get(namespace)?.get(name) as KindMap[K] | undefined;
  }

  find(ref: Ref): ApiObject | undefined {
    return this.get(ref.kind, ref.namespace, ref.name);
  }

  list<K extends Kind>(kind: K, namespace?: string): KindMap[K][] {
    const spaces = this.kinds.get(kind);
    if (!spaces) return [];
    if (namespace !== undefined) return [...(spaces.get(namespace)?.values() ?? [])] as KindMap[K][];
    const all: ApiObject[] = [];
    for (const bucket of spaces.values()) for (const object of bucket.values()) all.push(object);
    return all as KindMap[K][];
  }

  /** Objects under a key of an index. */
  by<K extends Kind = Kind>(index: IndexName, key: string): Iterable<KindMap[K]> {
    return this.indexes[index].of(key) as Iterable<KindMap[K]>;
  }

  podsOn(node: string): KindMap['Pod'][] {
    return [...this.by<'Pod'>('podsOnNode', node)];
  }

  podsOfClaim(namespace: string, claim: string): KindMap['Pod'][] {
    return [...this.by<'Pod'>('podsOfClaim', `${namespace}/${claim}`)];
  }

  ownedBy(uid: string): ApiObject[] {
    return [...this.by('owned', uid)];
  }

  eventsOf({ kind, namespace, name }: Ref): KindMap['Event'][] {
    return [...this.by<'Event'>('events', `${kind} ${namespace}/${name}`)];
  }

  /** Sets or, with undefined, takes away what stands under a key. */
  place(before: ApiObject | undefined, after: ApiObject | undefined): void {
    const object = after ?? before;
    if (!object) return;
    const { kind, namespace, name } = refOf(object);
    let spaces = this.kinds.get(kind);
    if (!spaces) this.kinds.set(kind, (spaces = new Map()));
    let bucket = spaces.get(namespace);
    if (!bucket) spaces.set(namespace, (bucket = new Map()));
    if (after) bucket.set(name, after);
    else bucket.delete(name);
    this.reindex(`${kind} ${namespace}/${name}`, kind, before, after);
  }

  private reindex(id: string, kind: Kind, before: ApiObject | undefined, after: ApiObject | undefined): void {
    for (const name of names) {
      const { kind: of, keys } = indexers[name];
      if (of !== '*' && of !== kind) continue;
      const index = this.indexes[name];
      const now = after ? keys(after) : [];
      if (before) {
        const old = keys(before);
        if (after && old.length === now.length && old.every((key, i) => key === now[i])) {
          if (now.length) index.add(now, id, after);
          continue;
        }
        index.drop(old, id);
      }
      if (after) index.add(now, id, after);
    }
  }
}

/** All changes so far, oldest first. Any moment can be stood up from it. */
export class Journal {
  readonly changes: Change[] = [];

  add(change: Change): void {
    this.changes.push(change);
  }

  /** How many changes had happened by a moment (those at the moment itself included). */
  countAt(atMs: number): number {
    let low = 0;
    let high = this.changes.length;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (this.changes[middle]!.atMs <= atMs) low = middle + 1;
      else high = middle;
    }
    return low;
  }
}

/** A second stand at a journal, moved back and forth without touching the world that writes it. */
export class View {
  readonly store = new Store();
  private applied = 0;

  constructor(private readonly journal: Journal) {}

  /** Moves to a moment (virtual ms) and gives the facts of it. */
  at(atMs: number): Store {
    const target = this.journal.countAt(atMs);
    const { changes } = this.journal;
    while (this.applied < target) {
      const { before, after } = changes[this.applied++]!;
      this.store.place(before, after);
    }
    while (this.applied > target) {
      const { before, after } = changes[--this.applied]!;
      this.store.place(after, before);
    }
    this.store.nowMs = atMs;
    return this.store;
  }
}

/** The key of a change in sentences and hashes. */
export const changeKey = (object: ApiObject): string => keyOf(refOf(object));
