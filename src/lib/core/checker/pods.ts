import type { Claim, Container, PodSpec, StatefulSet } from '../model';
import { claimsOf, defaultClassMark, ordinalsOf, selectorMatches, zoneLabel, zoneOf } from '../model';
import type { Path } from '../manifest';
import type { DraftContext, WrittenOf } from './types';

/** A pod's spec wherever it stands in a draft: in a pod, or in the template of what makes pods. */
export interface PodPlace {
  readonly on: WrittenOf<'Pod' | 'StatefulSet' | 'Deployment' | 'DaemonSet' | 'Job' | 'CronJob'>;
  readonly spec: PodSpec;
  readonly path: Path;
  readonly namespace: string;
  readonly labels: Readonly<Record<string, string>> | undefined;
}

/** Makes something of a context once. */
export function once<T>(make: (context: DraftContext) => T): (context: DraftContext) => T {
  const made = new WeakMap<DraftContext, T>();
  return (context) => {
    let known = made.get(context);
    if (known === undefined) made.set(context, (known = make(context)));
    return known;
  };
}

/** All specs of pods in the draft. */
export const podPlaces = once(podPlacesOf);

function podPlacesOf(context: DraftContext): PodPlace[] {
  return context.written('Pod', 'StatefulSet', 'Deployment', 'DaemonSet', 'Job', 'CronJob').map((on) => {
    const { object } = on;
    const namespace = object.metadata.namespace ?? 'default';
    if (object.kind === 'Pod') return { on, spec: object.spec, path: ['spec'], namespace, labels: object.metadata.labels };
    if (object.kind === 'CronJob') {
      const { template } = object.spec.jobTemplate.spec;
      const path = ['spec', 'jobTemplate', 'spec', 'template', 'spec'];
      return { on, spec: template.spec, path, namespace, labels: template.metadata?.labels };
    }
    const { template } = object.spec;
    return { on, spec: template.spec, path: ['spec', 'template', 'spec'], namespace, labels: template.metadata?.labels };
  });
}

/** The labels of all pods that stand in a namespace, or that somebody makes there. */
export const labelsIn = (context: DraftContext, namespace: string) => [
  ...(['StatefulSet', 'Deployment', 'DaemonSet', 'Job'] as const).flatMap((kind) =>
    context.all(kind, namespace).map((one) => one.spec.template.metadata?.labels)
  ),
  ...context.all('Pod', namespace).map((one) => one.metadata.labels)
];

/** A container with its place. */
export interface ContainerPlace extends PodPlace {
  readonly container: Container;
  readonly at: Path;
}

/** All containers in the draft (those that run once at the start too, when asked for). */
export const containerPlaces = (context: DraftContext, withInit = true): ContainerPlace[] =>
  podPlaces(context).flatMap((pod) => [
    ...pod.spec.containers.map((container, i) => ({ ...pod, container, at: [...pod.path, 'containers', i] })),
    ...(withInit
      ? (pod.spec.initContainers ?? []).map((container, i) => ({ ...pod, container, at: [...pod.path, 'initContainers', i] }))
      : [])
  ]);

/** A claim wherever it stands in a draft: by itself, or as the template of a set. */
export interface ClaimPlaceIn {
  readonly on: WrittenOf<'PersistentVolumeClaim' | 'StatefulSet'>;
  readonly spec: Claim['spec'];
  readonly path: Path;
  readonly name: string;
  readonly namespace: string;
  readonly set?: StatefulSet;
}

/** All claims in the draft. */
export const claimPlaces = once((context): ClaimPlaceIn[] => [
  ...context.written('PersistentVolumeClaim').map((on) => ({
    on,
    spec: on.object.spec,
    path: ['spec'] as Path,
    name: on.object.metadata.name,
    namespace: on.object.metadata.namespace ?? 'default'
  })),
  ...context.written('StatefulSet').flatMap((on) =>
    (on.object.spec.volumeClaimTemplates ?? []).map((one, i) => ({
      on,
      spec: one.spec,
      path: ['spec', 'volumeClaimTemplates', i, 'spec'] as Path,
      name: one.metadata.name,
      namespace: on.object.metadata.namespace ?? 'default',
      set: on.object
    }))
  )
]);

/** The class a claim would go by, as far as draft and target tell. */
export function classFor(context: DraftContext, spec: Claim['spec']) {
  if (spec.storageClassName === '') return undefined;
  if (spec.storageClassName !== undefined) return context.find('StorageClass', '', spec.storageClassName);
  return context.all('StorageClass').find((one) => one.metadata.annotations?.[defaultClassMark] === 'true');
}

/** Names of a set's claim templates and volumes that hold claims, for the user and owner rules. */
export const keepsData = (spec: PodSpec, set?: StatefulSet): boolean =>
  claimsOf(spec).length > 0 || (set?.spec.volumeClaimTemplates?.length ?? 0) > 0;

/** How many members a set asks for. */
export const sizeOf = (set: StatefulSet): number => ordinalsOf(set).length;

/** Zones of the target that have nodes. */
export const zonesOf = (context: DraftContext): string[] =>
  [...new Set((context.target?.list('Node') ?? []).map(zoneOf))].filter((one) => one !== '').sort();

/** Whether a pod spec has something to say about zones. */
export const minds = (spec: PodSpec): boolean =>
  JSON.stringify([spec.affinity, spec.topologySpreadConstraints, spec.nodeSelector]).includes(zoneLabel);

/** Whether a required rule allows one member per node only: one that means pods with these labels. */
export const onePerNode = (spec: PodSpec, labels: Readonly<Record<string, string>> | undefined): boolean =>
  (spec.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? []).some(
    (one) => one.topologyKey === 'kubernetes.io/hostname' && selectorMatches(one.labelSelector, labels)
  );

/** Texts of a container in which names of other members may stand, with their paths. */
export function textsOf(container: Container, at: Path): { text: string; path: Path }[] {
  const list = (texts: readonly string[] | undefined, field: string) => (texts ?? []).map((text, i) => ({ text, path: [...at, field, i] }));
  return [
    ...list(container.command, 'command'),
    ...list(container.args, 'args'),
    ...(container.env ?? []).flatMap((one, i) => (one.value === undefined ? [] : [{ text: one.value, path: [...at, 'env', i, 'value'] }]))
  ];
}

/** A config map or a secret that a pod can't do without, with the place of its name. */
export interface ReferenceIn {
  readonly on: PodPlace['on'];
  readonly path: Path;
  readonly name: string;
  readonly namespace: string;
}

/** All config maps, or secrets, that pods of the draft name and don't call optional. */
export function referencesIn(context: DraftContext, kind: 'ConfigMap' | 'Secret'): ReferenceIn[] {
  const found: ReferenceIn[] = [];
  const add = (place: PodPlace, name: string | undefined, optional: boolean | undefined, path: Path) => {
    if (name !== undefined && !optional) found.push({ on: place.on, path, name, namespace: place.namespace });
  };
  for (const place of containerPlaces(context)) {
    const { container, at } = place;
    (container.env ?? []).forEach((one, i) => {
      const key = kind === 'ConfigMap' ? 'configMapKeyRef' : 'secretKeyRef';
      add(place, one.valueFrom?.[key]?.name, one.valueFrom?.[key]?.optional, [...at, 'env', i, 'valueFrom', key, 'name']);
    });
    (container.envFrom ?? []).forEach((one, i) => {
      const key = kind === 'ConfigMap' ? 'configMapRef' : 'secretRef';
      add(place, one[key]?.name, one[key]?.optional, [...at, 'envFrom', i, key, 'name']);
    });
  }
  for (const place of podPlaces(context)) {
    (place.spec.volumes ?? []).forEach((one, i) => {
      const at = [...place.path, 'volumes', i];
      if (kind === 'ConfigMap') add(place, one.configMap?.name, one.configMap?.optional, [...at, 'configMap', 'name']);
      else add(place, one.secret?.secretName, one.secret?.optional, [...at, 'secret', 'secretName']);
    });
  }
  return found;
}
