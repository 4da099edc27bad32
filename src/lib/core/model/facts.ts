import { clockOf, dateOf, momentOf } from '../shared';
import type { ApiObject, Kind, KindMap, Ref } from './kinds';
import type { Condition } from './meta';

/** What the pods on a node ask for: thousandths of a CPU, bytes, how many pods, and how many claims they mount (a claim twice counts twice). */
export interface NodeUse {
  readonly milliCpu: number;
  readonly memoryBytes: number;
  readonly pods: number;
  readonly claims: number;
}

/** Bytes and number of volumes handed out of one place of a backend. */
export interface Used {
  readonly sizeBytes: number;
  readonly volumes: number;
}

/** Whether an export holds the objects of a kind: it does, it doesn't though there are some, or that can't be told. */
export type Reach = 'contained' | 'left-out' | 'unknown';

/** An object of a kind that isn't known here: what it is, whose it is, and how it says it is. */
export interface OtherObject {
  readonly apiVersion: string;
  readonly kind: string;
  readonly namespace: string;
  readonly name: string;
  readonly uid: string;
  readonly owners: readonly { readonly kind: string; readonly name: string; readonly uid: string }[];
  readonly created?: string;
  readonly conditions?: readonly Condition[];
  /** Fields of some kinds that say who holds what, e.g. a lease's holder. */
  readonly tells?: Readonly<Record<string, string>>;
  /** Why an object of a known kind couldn't be read. */
  readonly unread?: string;
}

/** The end of a log that lay beside an export's objects. */
export interface ExportLog {
  readonly path: string;
  readonly tail: string;
}

/** How far an export of a real cluster reaches. */
export interface Scope {
  /** For a kind, in a namespace where the kind has some. */
  of(kind: string, namespace?: string): Reach;
  /** Whether it tells when it was taken: several things in it happened at its very end. */
  readonly dated: boolean;
  /** Objects of kinds that aren't known here. */
  readonly others: readonly OtherObject[];
  /** Logs that lay beside the objects. */
  readonly logs: readonly ExportLog[];
}

/** The clusters whose clock goes with that of the one that is looked at. */
export interface Elsewhere {
  /** The name of the cluster that is looked at. */
  readonly here: string;
  /** All clusters of the common clock by name, its own among them, in the order of their names. */
  readonly clusters: readonly string[];
  /** What is known of one of them at the same moment; undefined where it is none of them. */
  facts(cluster: string): Facts | undefined;
}

/**
 * What can be known of one cluster at one moment. A stand-in knows all; a dump of a real cluster knows only its objects, and then
 * whoever asks about the provider has to answer "unseen".
 */
export interface Facts {
  /** Virtual milliseconds since the rehearsal's start. */
  readonly nowMs: number;
  /** Whether backends, identities and registries are known. */
  readonly knowsProvider: boolean;
  /** How far it reaches, where it is an export of a real cluster. */
  readonly scope?: Scope | undefined;
  /** Other clusters, where it is joined to some. */
  readonly elsewhere?: Elsewhere | undefined;
  get<K extends Kind>(kind: K, namespace: string, name: string): KindMap[K] | undefined;
  list<K extends Kind>(kind: K, namespace?: string): KindMap[K][];
  /** What the pods on a node ask for in sum. */
  useOf(node: string): NodeUse;
  /** What a backend has handed out, by zone (or node); snapshots don't count. */
  usedOf(backend: string): ReadonlyMap<string, Used>;
  /** Pods that stand on a node. */
  podsOn(node: string): KindMap['Pod'][];
  /** All nodes. The list may not be changed. */
  nodes(): readonly KindMap['Node'][];
  /** Pods of a namespace that bear all of some labels. */
  podsLabelled(namespace: string, labels: Readonly<Record<string, string>>): KindMap['Pod'][];
  /** Pods that may keep a pod apart from them, by one label of it; whether they do, their terms say. */
  podsApartFrom(pod: KindMap['Pod']): KindMap['Pod'][];
  /** Volumes of a class ('' for none) that no claim has. */
  freeVolumes(className: string): KindMap['PersistentVolume'][];
  /** Pods that name a claim. */
  podsOfClaim(namespace: string, claim: string): KindMap['Pod'][];
  /** Objects that an object owns, by its uid. */
  ownedBy(uid: string): ApiObject[];
  /** Events about an object, oldest first. */
  eventsOf(ref: Ref): KindMap['Event'][];
}

/** What is known of a cluster at the same moment: the one that is looked at, or one that it has one clock with; undefined for any other. */
export const factsIn = (facts: Facts, cluster: string): Facts | undefined =>
  cluster === facts.elsewhere?.here ? facts : facts.elsewhere?.facts(cluster);

/** A moment as it is spoken of: by the rehearsal's clock, or by the calendar in what was read of a real cluster. */
export const momentIn = (facts: Facts, atMs: number): string => (facts.knowsProvider ? clockOf(atMs) : dateOf(atMs));

/** The domain of a cluster's names where nothing else is said. Source: the cluster API's "DNS for Services and Pods". */
export const ordinaryDomain = 'cluster.local';

/** The domain of a cluster's names, as its ground says. */
export const clusterDomain = (facts: Pick<Facts, 'list'> | undefined): string =>
  facts?.list('Ground')[0]?.spec.clusterDomain ?? ordinaryDomain;

/** When an object was made (virtual ms); undefined where it doesn't say, as in some dumps. */
export const madeMs = (object: ApiObject | undefined): number | undefined =>
  typeof object?.metadata.creationTimestamp === 'string' ? momentOf(object.metadata.creationTimestamp) : undefined;

/** The same in words; '' where it doesn't say. */
export function madeIn(facts: Facts, object: ApiObject): string {
  const atMs = madeMs(object);
  return atMs === undefined ? '' : momentIn(facts, atMs);
}
