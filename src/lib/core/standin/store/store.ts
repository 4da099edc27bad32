import { bytesOf } from '../../shared';
import {
  askOf,
  claimsOf,
  keyOf,
  pairsMatch,
  refOf,
  takesRoom,
  type ApiObject,
  type Elsewhere,
  type Facts,
  type Kind,
  type KindMap,
  type NodeUse,
  type Ref,
  type Scope,
  type Used
} from '../../model';
import { IndexMap, type Slot } from './index-map';
import { firstPair, indexers, pairKeys, type IndexName } from './indexes';

/** One change of one object. `before` is missing when it was made, `after` when it went. */
export interface Change {
  readonly atMs: number;
  readonly key: string;
  readonly before?: ApiObject | undefined;
  readonly after?: ApiObject | undefined;
}

const nothingHandedOut: ReadonlyMap<string, Used> = new Map();
const nothingUsed: NodeUse = { milliCpu: 0, memoryBytes: 0, pods: 0, claims: 0 };

type Bucket = Map<string, Slot<ApiObject>>;
const names = Object.keys(indexers) as IndexName[];

/** The objects of one cluster at one moment, found by kind, namespace, name and by the indexes. */
export class Store implements Facts {
  nowMs = 0;
  scope: Scope | undefined = undefined;
  elsewhere: Elsewhere | undefined = undefined;
  private readonly uses = new Map<string, { -readonly [K in keyof NodeUse]: number }>();
  private readonly handedOut = new Map<string, Map<string, Used>>();
  private readonly kinds = new Map<Kind, Map<string, Bucket>>();
  private allNodes: readonly KindMap['Node'][] | undefined = undefined;
  private readonly indexes = Object.fromEntries(names.map((name) => [name, new IndexMap<ApiObject>()])) as Record<
    IndexName,
    IndexMap<ApiObject>
  >;

  /** @param knowsProvider a dump of a real cluster knows nothing of its provider */
  constructor(readonly knowsProvider = true) {}

  /** Where an object stands. What is in it changes with the object; a slot is no longer looked at once its object has gone. */
  slotOf(kind: Kind, namespace: string, name: string): Slot<ApiObject> | undefined {
    return this.kinds.get(kind)?.get(namespace)?.get(name);
  }

  get<K extends Kind>(kind: K, namespace: string, name: string): KindMap[K] | undefined {
    return this.kinds.get(kind)?.get(namespace)?.get(name)?.object as KindMap[K] | undefined;
  }

  find(ref: Ref): ApiObject | undefined {
    return this.get(ref.kind, ref.namespace, ref.name);
  }

  list<K extends Kind>(kind: K, namespace?: string): KindMap[K][] {
    const spaces = this.kinds.get(kind);
    if (!spaces) return [];
    const all: ApiObject[] = [];
    if (namespace !== undefined) for (const slot of spaces.get(namespace)?.values() ?? []) all.push(slot.object);
    else for (const bucket of spaces.values()) for (const slot of bucket.values()) all.push(slot.object);
    return all as KindMap[K][];
  }

  /** All nodes. Made anew only after one has changed. */
  nodes(): readonly KindMap['Node'][] {
    return (this.allNodes ??= this.list('Node'));
  }

  podsLabelled(namespace: string, labels: Readonly<Record<string, string>>): KindMap['Pod'][] {
    const pair = firstPair(namespace, labels);
    // No labels are asked for: every pod bears all of them. (A service without a selector matches none; that is another question.)
    if (pair === undefined) return this.list('Pod', namespace);
    return this.by<'Pod'>('podsByPair', pair).filter((pod) => pairsMatch(labels, pod.metadata.labels));
  }

  podsApartFrom(pod: KindMap['Pod']): KindMap['Pod'][] {
    const found: KindMap['Pod'][] = [];
    for (const key of pairKeys(pod)) for (const other of this.by<'Pod'>('keepingApart', key)) found.push(other);
    for (const other of this.by<'Pod'>('keepingApart', `${pod.metadata.namespace ?? ''}|`)) found.push(other);
    for (const other of this.by<'Pod'>('keepingApart', '*')) found.push(other);
    return found;
  }

  /** Objects under a key of an index. */
  by<K extends Kind = Kind>(index: IndexName, key: string): KindMap[K][] {
    return this.indexes[index].of(key) as KindMap[K][];
  }

  freeVolumes(className: string): KindMap['PersistentVolume'][] {
    return this.by<'PersistentVolume'>('freeVolumes', className);
  }

  podsOn(node: string): KindMap['Pod'][] {
    return this.by<'Pod'>('podsOnNode', node);
  }

  podsOfClaim(namespace: string, claim: string): KindMap['Pod'][] {
    return this.by<'Pod'>('podsOfClaim', `${namespace}/${claim}`);
  }

  ownedBy(uid: string): ApiObject[] {
    return this.by('owned', uid);
  }

  eventsOf({ kind, namespace, name }: Ref): KindMap['Event'][] {
    return this.by<'Event'>('events', `${kind} ${namespace}/${name}`);
  }

  /** Sets or, with undefined, takes away what stands under a key. */
  place(before: ApiObject | undefined, after: ApiObject | undefined): void {
    const object = after ?? before;
    if (!object) return;
    const { name, namespace = '' } = object.metadata;
    const slot = this.slotOf(object.kind, namespace, name);
    if (slot && after) this.alter(slot, before, after);
    else if (after) this.make(after, keyOf(refOf(after)));
    else if (slot) this.unmake(slot, before!);
  }

  /** Sets what stands in a slot. */
  alter(slot: Slot<ApiObject>, before: ApiObject | undefined, after: ApiObject): void {
    slot.object = after;
    if (after.kind === 'Node') this.allNodes = undefined;
    if (before && !indexedPartsDiffer(before, after)) return;
    if (before?.kind === 'Pod') this.use(before, -1);
    if (after.kind === 'Pod') this.use(after, 1);
    if (before?.kind === 'Asset') this.count(before, -1);
    if (after.kind === 'Asset') this.count(after, 1);
    for (const name of indexesOf(after.kind)) {
      if (before && indexers[name].alike?.(before, after)) continue;
      const [old, now] = [before ? keysIn(name, before) : none, keysIn(name, after)];
      if (old.length === now.length && old.every((key, i) => key === now[i])) continue;
      this.indexes[name].drop(old, slot);
      this.indexes[name].add(now, slot);
    }
  }

  /** Makes a slot for a new object. */
  make(object: ApiObject, key: string): void {
    const { kind } = object;
    const { name, namespace = '' } = object.metadata;
    let spaces = this.kinds.get(kind);
    if (!spaces) this.kinds.set(kind, (spaces = new Map()));
    let bucket = spaces.get(namespace);
    if (!bucket) spaces.set(namespace, (bucket = new Map()));
    const slot: Slot<ApiObject> = { object, key };
    bucket.set(name, slot);
    if (kind === 'Pod') this.use(object, 1);
    if (kind === 'Asset') this.count(object, 1);
    if (kind === 'Node') this.allNodes = undefined;
    for (const index of indexesOf(kind)) this.indexes[index].add(keysIn(index, object), slot);
  }

  /** Takes an object away with its slot. */
  unmake(slot: Slot<ApiObject>, before: ApiObject): void {
    const { kind } = before;
    const { name, namespace = '' } = before.metadata;
    this.kinds.get(kind)?.get(namespace)?.delete(name);
    if (kind === 'Pod') this.use(before, -1);
    if (kind === 'Asset') this.count(before, -1);
    if (kind === 'Node') this.allNodes = undefined;
    for (const index of indexesOf(kind)) this.indexes[index].drop(keysIn(index, before), slot);
  }

  private use(pod: KindMap['Pod'], sign: 1 | -1): void {
    const node = pod.spec.nodeName;
    if (!node || !takesRoom(pod)) return;
    let sum = this.uses.get(node);
    if (!sum) this.uses.set(node, (sum = { milliCpu: 0, memoryBytes: 0, pods: 0, claims: 0 }));
    const ask = askOf(pod.spec);
    sum.milliCpu += sign * ask.milliCpu;
    sum.memoryBytes += sign * ask.memoryBytes;
    sum.pods += sign;
    sum.claims += sign * claimsOf(pod.spec, pod.metadata.name).length;
  }

  private count({ spec }: KindMap['Asset'], sign: 1 | -1): void {
    if (spec.snapshotOf !== undefined) return;
    let zones = this.handedOut.get(spec.backend);
    if (!zones) this.handedOut.set(spec.backend, (zones = new Map()));
    const old = zones.get(spec.zone) ?? { sizeBytes: 0, volumes: 0 };
    zones.set(spec.zone, { sizeBytes: old.sizeBytes + sign * bytesOf(spec.size), volumes: old.volumes + sign });
  }

  usedOf(backend: string): ReadonlyMap<string, Used> {
    return this.handedOut.get(backend) ?? nothingHandedOut;
  }

  useOf(node: string): NodeUse {
    return this.uses.get(node) ?? nothingUsed;
  }
}

const none: readonly string[] = [];

/** Keys of an object in an index; none where the object lacks what they are made of. */
function keysIn(index: IndexName, object: ApiObject): readonly string[] {
  try {
    return indexers[index].keys(object);
  } catch {
    return none;
  }
}

const perKind = new Map<Kind, IndexName[]>();

function indexesOf(kind: Kind): IndexName[] {
  let mine = perKind.get(kind);
  if (!mine) {
    mine = names.filter((name) => indexers[name].kind === '*' || indexers[name].kind === kind);
    perKind.set(kind, mine);
  }
  return mine;
}

/** Whether a change touches anything that an index or a node's sum is made from. Most changes are of the status alone. */
function indexedPartsDiffer(before: ApiObject, after: ApiObject): boolean {
  const [x, y] = [before.metadata, after.metadata];
  if (x.labels !== y.labels || x.ownerReferences !== y.ownerReferences || x.annotations !== y.annotations) return true;
  if ((before as { spec?: unknown }).spec !== (after as { spec?: unknown }).spec) return true;
  if (before.kind === 'Ask') return before.status?.outcome !== (after as typeof before).status?.outcome;
  return before.kind === 'Pod' && before.status?.phase !== (after as typeof before).status?.phase;
}

/** What a view needs of a journal. */
export interface History {
  readonly changes: readonly Change[];
  countAt(atMs: number): number;
}

/** All changes so far, oldest first. Any moment can be stood up from it. */
export class Journal implements History {
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

  constructor(private readonly journal: History) {}

  /** How many changes of the journal it has taken in. */
  get position(): number {
    return this.applied;
  }

  /** Moves to a moment (virtual ms) and gives the facts of it. */
  at(atMs: number): Store {
    this.moveTo(this.journal.countAt(atMs));
    this.store.nowMs = atMs;
    return this.store;
  }

  /** Moves to where so many changes have happened. */
  moveTo(target: number): void {
    const { changes } = this.journal;
    // An object that changes many times on the way is set once, to what it is at the end of the way.
    const ways = new Map<string, { from: ApiObject | undefined; to: ApiObject | undefined }>();
    const forward = target > this.applied;
    while (this.applied !== target) {
      const { key, before, after } = changes[forward ? this.applied++ : --this.applied]!;
      const [from, to] = forward ? [before, after] : [after, before];
      const known = ways.get(key);
      if (known) known.to = to;
      else ways.set(key, { from, to });
    }
    for (const { from, to } of ways.values()) this.store.place(from, to);
  }
}
