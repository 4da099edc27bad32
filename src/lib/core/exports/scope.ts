import { eventMs, timeOf } from './statements';
import {
  claimsOf,
  kindEntries,
  kindEntry,
  pointersOf,
  type ApiObject,
  type ExportLog,
  type Facts,
  type Kind,
  type OtherObject,
  type Reach,
  type Scope
} from '../model';

/** What the reader says of an export's reach: a kind, or a kind in one namespace, and whether it was exported whole. */
export interface Correction {
  readonly kind: string;
  /** '' for a kind as a whole. */
  readonly namespace: string;
  readonly reach: 'contained' | 'left-out';
}

/** What the export says of itself beside its objects. */
export interface ScopeNotes {
  /** Kinds for which it holds a typed list (`PodList`), also an empty one. */
  readonly lists?: readonly string[];
  readonly others?: readonly OtherObject[];
  readonly logs?: readonly ExportLog[];
  readonly corrections?: readonly Correction[];
}

/** Every cluster makes these in every namespace. Source: the cluster API's "Service Accounts" (default) and "root CA publisher". */
const everywhere: readonly Kind[] = ['ServiceAccount', 'ConfigMap'];
/** A kind that stands in so many namespaces was exported over all of them. */
const manyNamespaces = 3;
/** Read along where they are, and of no use to anybody who asks what is missing. */
export const scopeKinds: readonly Kind[] = kindEntries
  .filter((one) => !/standin\.example/.test(one.apiVersion) && one.kind !== 'CustomResourceDefinition')
  .map((one) => one.kind);

const key = (kind: string, namespace: string): string => `${kind} ${namespace}`;

/** Signs of life so near the end tell when an export was taken; one by itself may be the last that ever happened. */
const nearMs = 10 * 60_000;
const fewSigns = 3;

function isDated(facts: Facts, others: readonly OtherObject[]): boolean {
  const near = (atMs: number | undefined) => atMs !== undefined && facts.nowMs - atMs <= nearMs;
  const heartbeats = facts
    .list('Node')
    .flatMap((one) => (one.status?.conditions ?? []).map((two) => (two as { lastHeartbeatTime?: string }).lastHeartbeatTime));
  const renewed = others.filter((one) => one.kind === 'Lease').map((one) => one.tells?.renewed);
  if ([...heartbeats, ...renewed].some((one) => near(timeOf(one)))) return true;
  return facts.list('Event').filter((one) => near(eventMs(one))).length >= fewSigns;
}

class ExportScope implements Scope {
  readonly others: readonly OtherObject[];
  readonly logs: readonly ExportLog[];
  readonly dated: boolean;
  private readonly counts = new Map<string, number>();
  private readonly spaces = new Map<string, Set<string>>();
  private readonly populated = new Set<string>();
  private readonly wanted = new Set<string>();
  private readonly lists: ReadonlySet<string>;
  private readonly corrected: ReadonlyMap<string, Reach>;

  constructor(facts: Facts, { lists = [], others = [], logs = [], corrections = [] }: ScopeNotes) {
    this.others = others;
    this.logs = logs;
    this.lists = new Set(lists);
    this.corrected = new Map(corrections.map((one) => [key(one.kind, one.namespace), one.reach]));
    for (const kind of scopeKinds) for (const object of facts.list(kind) as ApiObject[]) this.note(object, kind);
    for (const one of others) this.count(one.kind, one.namespace);
    this.dated = isDated(facts, others);
    for (const namespace of this.populated) for (const kind of everywhere) this.wanted.add(key(kind, namespace));
    if (this.counts.get(key('Node', ''))) this.wanted.add(key('CSINode', ''));
  }

  private count(kind: string, namespace: string): void {
    this.counts.set(key(kind, namespace), (this.counts.get(key(kind, namespace)) ?? 0) + 1);
    let spaces = this.spaces.get(kind);
    if (!spaces) this.spaces.set(kind, (spaces = new Set()));
    spaces.add(namespace);
  }

  /** Counts an object, and notes what it shows to be there. */
  private note(object: ApiObject, kind: Kind): void {
    const { namespace = '' } = object.metadata;
    this.count(kind, namespace);
    if (kind === 'Event' || kind === 'EndpointSlice') return;
    if (namespace) this.populated.add(namespace);
    for (const one of pointersOf(object)) if (!one.optional) this.wanted.add(key(one.kind, one.namespace));
    for (const owner of object.metadata.ownerReferences ?? []) {
      const entry = kindEntry(owner.kind);
      if (entry) this.wanted.add(key(owner.kind, entry.namespaced ? namespace : ''));
    }
    if (object.kind === 'Pod') {
      if (object.spec.nodeName) this.wanted.add(key('Node', ''));
      if (claimsOf(object.spec, object.metadata.name).length) this.wanted.add(key('PersistentVolumeClaim', namespace));
    }
    if (object.kind === 'PersistentVolumeClaim' && object.spec.volumeName) this.wanted.add(key('PersistentVolume', ''));
    if (object.kind === 'StatefulSet' && (object.status?.replicas ?? 0) > 0) this.wanted.add(key('Pod', namespace));
  }

  of(kind: string, namespace = ''): Reach {
    const given = this.corrected.get(key(kind, namespace)) ?? this.corrected.get(key(kind, ''));
    if (given) return given;
    if (this.counts.get(key(kind, namespace)) || this.lists.has(kind)) return 'contained';
    const spaces = this.spaces.get(kind);
    if (namespace && (spaces?.size ?? 0) >= manyNamespaces && this.populated.has(namespace) && !everywhere.includes(kind as Kind))
      return 'contained';
    return this.wanted.has(key(kind, namespace)) ? 'left-out' : 'unknown';
  }
}

/** Tells how far an export reaches, from what is in it, from its own lists, and from what the reader says. */
export const scopeOf = (facts: Facts, notes: ScopeNotes = {}): Scope => new ExportScope(facts, notes);

/** One kind of an export, as it is shown to the reader. */
export interface ScopeRow {
  readonly kind: string;
  readonly namespace: string;
  readonly count: number;
  readonly reach: Reach;
}

/** Kinds whose absence changes an answer, with their reach; those of a namespace for each that has objects. */
export function scopeRows(facts: Facts, scope: Scope): ScopeRow[] {
  const wide: readonly Kind[] = ['Node', 'Namespace', 'StorageClass', 'PersistentVolume', 'VolumeAttachment', 'CSIDriver', 'CSINode'];
  const narrow: readonly Kind[] = [
    'Pod',
    'PersistentVolumeClaim',
    'StatefulSet',
    'Service',
    'ConfigMap',
    'Secret',
    'ServiceAccount',
    'Event'
  ];
  const spaces = new Set(scopeKinds.flatMap((kind) => (facts.list(kind) as ApiObject[]).map((one) => one.metadata.namespace ?? '')));
  spaces.delete('');
  const rowOf = (kind: Kind, namespace: string): ScopeRow => ({
    kind,
    namespace,
    count: namespace ? facts.list(kind, namespace).length : facts.list(kind).length,
    reach: scope.of(kind, namespace)
  });
  return [
    ...wide.map((kind) => rowOf(kind, '')),
    ...[...spaces].sort().flatMap((namespace) => narrow.map((kind) => rowOf(kind, namespace)))
  ];
}

/** The log of a container that lies beside the objects: its path names the pod, and the namespace or the container where it names any. */
export function logOf({ scope }: Facts, namespace: string, pod: string, container: string): ExportLog | undefined {
  const words = (path: string) => path.split(/[\\/]|_(?=[a-z0-9])|\.(?=\w+$)/i);
  const own = (scope?.logs ?? []).filter(({ path }) =>
    words(path).some((one) => one === pod || one === `${pod}-${container}` || one === `${pod}.${container}`)
  );
  const near = ({ path }: ExportLog) =>
    (words(path).some((one) => one.includes(container)) ? 2 : 0) + (path.includes(namespace) ? 1 : 0) + (/prev/i.test(path) ? 4 : 0);
  return [...own].sort((a, b) => near(b) - near(a))[0];
}

const made = new WeakMap<Facts, Scope>();

/** How far an export reaches: as it was told, else as its objects show. */
export function scopeIn(facts: Facts): Scope {
  if (facts.scope) return facts.scope;
  let scope = made.get(facts);
  if (!scope) made.set(facts, (scope = scopeOf(facts)));
  return scope;
}
