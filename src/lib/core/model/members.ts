import { bounds } from './bounds';
import type { Claim, StorageClass } from './storage-kinds';
import { pairsMatch } from './selectors';
import type { Facts } from './facts';
import type { ApiObject } from './kinds';
import type { Pod } from './pod-kinds';
import type { StatefulSet } from './workload-kinds';

/** Ordinals that a set asks for, lowest first. */
export function ordinalsOf(set: StatefulSet): number[] {
  const start = set.spec.ordinals?.start ?? 0;
  // What asks for more is refused; it is still looked at while it is written.
  const count = Math.min(set.spec.replicas ?? 1, bounds.members);
  const ordinals: number[] = [];
  for (let i = 0; i < count; i += 1) ordinals.push(start + i);
  return ordinals;
}

const namesKept = new WeakMap<object, { readonly of: string; readonly names: readonly string[] }>();

/** Names of the members that a set asks for, lowest ordinal first; made once for each of its specs. */
export function memberNames(set: StatefulSet): readonly string[] {
  const { name } = set.metadata;
  let kept = namesKept.get(set.spec);
  if (kept?.of !== name) namesKept.set(set.spec, (kept = { of: name, names: ordinalsOf(set).map((ordinal) => memberName(set, ordinal)) }));
  return kept.names;
}

/** A set's member is called `<set>-<ordinal>`. Source: the cluster API's "StatefulSets", ordinal index. */
export const memberName = (set: StatefulSet, ordinal: number): string => `${set.metadata.name}-${ordinal}`;

/** A member's claim is called `<template>-<set>-<ordinal>`. Source: as above, stable storage. */
export const memberClaim = (template: string, set: StatefulSet, ordinal: number): string => `${template}-${set.metadata.name}-${ordinal}`;

/** The ordinal in a member's name, or undefined when the name isn't one of this set's. */
export function ordinalIn(set: StatefulSet, podName: string): number | undefined {
  const prefix = `${set.metadata.name}-`;
  if (!podName.startsWith(prefix)) return undefined;
  const rest = podName.slice(prefix.length);
  return /^(0|[1-9]\d*)$/.test(rest) ? Number(rest) : undefined;
}

/** Whether a set asks for a member of this name. */
function asksFor(set: StatefulSet, podName: string): boolean {
  const ordinal = ordinalIn(set, podName);
  const start = set.spec.ordinals?.start ?? 0;
  return ordinal !== undefined && ordinal >= start && ordinal < start + (set.spec.replicas ?? 1);
}

/** The set that asks for a member of this name, whether it has a pod or not. */
export function setAskingFor(facts: Pick<Facts, 'get'>, namespace: string, podName: string): StatefulSet | undefined {
  const set = facts.get('StatefulSet', namespace, podName.replace(/-\d+$/, ''));
  return set && asksFor(set, podName) ? set : undefined;
}

/** The set that owns a pod, if one does. */
export function setOf(facts: Facts, pod: Pod): StatefulSet | undefined {
  const owner = pod.metadata.ownerReferences?.find((one) => one.controller && one.kind === 'StatefulSet');
  return owner && facts.get('StatefulSet', pod.metadata.namespace ?? '', owner.name);
}

/** The label that tells pods, and replica sets, of one template of a deployment. Source: the cluster API's "Deployments", pod-template-hash label. */
export const templateHashLabel = 'pod-template-hash';

/** Who made a pod, as people name it: its controller, or the deployment whose replica set that is. */
export function makerOf({ metadata }: Pick<Pod, 'metadata'>): { readonly kind: string; readonly name: string } | undefined {
  const { labels, ownerReferences: owners } = metadata;
  const owner = owners?.find((one) => one.controller) ?? owners?.[0];
  const hash = labels?.[templateHashLabel];
  return owner?.kind === 'ReplicaSet' && hash !== undefined && owner.name.endsWith(`-${hash}`)
    ? { kind: 'Deployment', name: owner.name.slice(0, -hash.length - 1) }
    : owner;
}

/** The pods that an owner made: by itself, or by its replica sets, as deployments do. */
export function podsMadeBy(facts: Facts, owner: ApiObject): Pod[] {
  const direct = facts.ownedBy(owner.metadata.uid ?? '-');
  const between = direct.filter((one) => one.kind === 'ReplicaSet').flatMap((one) => facts.ownedBy(one.metadata.uid ?? '-'));
  return [...direct, ...between].filter((one): one is Pod => one.kind === 'Pod');
}

/** The annotation that makes a class the default (storage.k8s.io, published). */
export const defaultClassMark = 'storageclass.kubernetes.io/is-default-class';

/** The class used by claims that name none: the newest that carries the mark, or undefined. Source: "Storage Classes", default class. */
export function defaultClass(facts: Pick<Facts, 'list'>): StorageClass | undefined {
  const marked = facts.list('StorageClass').filter((one) => one.metadata.annotations?.[defaultClassMark] === 'true');
  const newestFirst = (a: StorageClass, b: StorageClass) => {
    const [x, y] = [String(a.metadata.creationTimestamp ?? ''), String(b.metadata.creationTimestamp ?? '')];
    return x === y ? (a.metadata.name < b.metadata.name ? -1 : 1) : x < y ? 1 : -1;
  };
  return marked.sort(newestFirst)[0];
}

/** The class a claim goes by: named, '' for none, or the default when omitted. */
export function classOf(facts: Pick<Facts, 'get' | 'list'>, spec: Claim['spec']): StorageClass | undefined {
  if (spec.storageClassName === '') return undefined;
  if (spec.storageClassName !== undefined) return facts.get('StorageClass', '', spec.storageClassName);
  return defaultClass(facts);
}

/** Whether the class waits for the first pod before it hands out a volume. */
export const waitsForConsumer = (one: StorageClass | undefined): boolean => one?.volumeBindingMode === 'WaitForFirstConsumer';

/** The annotation with which the placing loop tells the driver where a claim's first user will stand. */
export const selectedNodeMark = 'volume.kubernetes.io/selected-node';

/** Label that the cluster gives each member of a set: its own name. Source: the cluster API's "StatefulSets", pod name label. */
export const memberLabel = 'statefulset.kubernetes.io/pod-name';

interface Maker {
  readonly kind: string;
  readonly spec: {
    readonly template: { readonly metadata?: { readonly labels?: Readonly<Record<string, string>> | undefined } | undefined };
  };
}

/** The label that tells a member's ordinal. Source: the cluster API's "StatefulSets", pod index label. */
const indexLabel = 'apps.kubernetes.io/pod-index';

/** Whether a service's selector leads to pods that a set or deployment makes; one that names a single member of a set counts. */
export function selectsPodsOf(selector: Readonly<Record<string, string>> | undefined, maker: Maker): boolean {
  const member = selector?.[memberLabel];
  if (member !== undefined && (maker.kind !== 'StatefulSet' || ordinalIn(maker as StatefulSet, member) === undefined)) return false;
  const index = selector?.[indexLabel];
  if (index !== undefined && (maker.kind !== 'StatefulSet' || !ordinalsOf(maker as StatefulSet).includes(Number(index)))) return false;
  const { labels } = maker.spec.template.metadata ?? {};
  return pairsMatch(selector, {
    ...labels,
    ...(member === undefined ? {} : { [memberLabel]: member }),
    ...(index === undefined ? {} : { [indexLabel]: index })
  });
}
