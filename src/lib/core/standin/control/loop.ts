import type { ApiObject, Condition, Kind, KindMap, Ref } from '../../model';
import type { SpanMs, StepId } from '../clock/steps';
import type { Store } from '../store';

/** Called for each change of an object of a watched kind; gives the keys that the loop has to look at. */
export type Watch<K extends Kind> = (now: KindMap[K] | undefined, before: KindMap[K] | undefined, store: Store) => Iterable<string>;

/** As {@link Watch}, for another cluster than the one that changed. @param store the cluster that changed */
export type AbroadWatch<K extends Kind> = (
  now: KindMap[K] | undefined,
  before: KindMap[K] | undefined,
  store: Store
) => Iterable<{ readonly cluster: string; readonly key: string }>;

/** A control loop: a reconciler over objects, started by changes and timers, never by another loop. */
export interface Loop {
  readonly id: string;
  readonly watches: { readonly [K in Kind]?: Watch<K> };
  /** Called for changes in other clusters of the common clock: which keys of which clusters they concern. */
  readonly abroad?: { readonly [K in Kind]?: AbroadWatch<K> };
  /** How long after a change it is called, in ms; longer gathers many changes into one call. Default: the common reaction time. */
  readonly paceMs?: number;
  reconcile(world: ClusterAccess, key: string): void;
}

/** What a control loop may do. */
export interface ClusterAccess {
  readonly store: Store;
  readonly nowMs: number;
  readonly seed: number;
  /** Counts changes; not those of events, of asks, and of what engines write of their members and volumes. */
  readonly moved: number;
  /** Writes an object: makes it or replaces it. Gives what now stands in the store. */
  put<T extends ApiObject>(object: T): T;
  /** Takes an object away at once. */
  drop(ref: Ref): void;
  /** Asks for deletion: marks a pod, claim or volume (which then end by their own loops), takes anything else away. */
  remove(ref: Ref): void;
  /** Records an Event about an object; a repeat of the same one raises its count. */
  event(about: ApiObject, reason: string, message: string, type?: 'Normal' | 'Warning'): void;
  /** Adds a line to a member's log. */
  say(subject: string, text: string, grave?: boolean): void;
  /** Calls this loop again for the key after a wait. `idle` for repeats that only look again. */
  after(waitMs: number, key: string, idle?: boolean): void;
  /** A step's duration for a subject, in ms, drawn from the table (or a span given). */
  duration(step: StepId, what: string, spanMs?: SpanMs): number;
  begin(subject: string, step: StepId, normalMs?: SpanMs): void;
  end(subject: string, step: StepId): void;
  endAll(subject: string): void;
  /** Plain data that a loop keeps beside the objects; part of snapshots. */
  memory<T>(name: string): Map<string, T>;
  /** Another cluster of the common clock, to be written to at this very moment; undefined where there is none of that name. */
  abroad(cluster: string): ClusterAccess | undefined;
}

const mostSplit = 50_000;
const split = new Map<string, readonly [namespace: string, name: string]>();

/** Splits `namespace/name`. What was split is kept: a part cut out anew would have to be hashed anew at each look-up. */
export function splitKey(key: string): readonly [namespace: string, name: string] {
  let parts = split.get(key);
  if (!parts) {
    const slash = key.indexOf('/');
    parts = [key.slice(0, slash), key.slice(slash + 1)];
    if (split.size >= mostSplit) split.clear();
    split.set(key, parts);
  }
  return parts;
}

/** `namespace/name` of an object. */
export const idOf = (object: ApiObject): string => `${object.metadata.namespace ?? ''}/${object.metadata.name}`;

/** The commonest watch: the object itself. */
export const itself = (now: ApiObject | undefined, before: ApiObject | undefined): string[] => [idOf((now ?? before)!)];

/** A list of conditions with one of them set; its transition time moves only when its status does. */
export function withCondition(
  conditions: readonly Condition[] | undefined,
  next: { type: string; status: string; reason?: string; message?: string },
  stamp: string
): Condition[] {
  const list = conditions ?? [];
  const at = list.findIndex((one) => one.type === next.type);
  const old = list[at];
  const made: Condition = {
    ...next,
    lastTransitionTime: old?.status === next.status && old.lastTransitionTime ? old.lastTransitionTime : stamp
  };
  return at < 0 ? [...list, made] : list.map((one, i) => (i === at ? made : one));
}
