import { same, stampOf } from '../../../shared';
import {
  ownerOf,
  conditionOf,
  type ApiObject,
  type Certificate,
  type DocumentSet,
  type MemoryCluster,
  type MemoryDatabase,
  type OperatorOrder,
  type StatefulSet
} from '../../../model';
import type { SpanMs, StepId } from '../../clock/steps';
import { partOfLabel } from '../../provider/images';
import { idOf, withCondition, type ClusterAccess } from '../loop';

/** A custom resource that an operator of the stand-in looks after. */
export type Resource = MemoryCluster | MemoryDatabase | DocumentSet | OperatorOrder;

/** The step of a stage in the lanes; stages without one take no time of their own. */
const stepOf: Readonly<Record<string, StepId>> = {
  waits: 'awaiting',
  certificate: 'certifying',
  names: 'expanding',
  nodes: 'gathering',
  members: 'gathering',
  shards: 'expanding',
  installing: 'gathering'
};
const steps: readonly StepId[] = ['awaiting', 'certifying', 'expanding', 'gathering'];

/** Writes down how far an operator has come with a resource: in its status, in its lane, and as an event. */
export function report(
  world: ClusterAccess,
  one: Resource,
  stage: string,
  status: 'True' | 'False',
  reason: string,
  message: string,
  normalMs?: SpanMs
): void {
  const latest = world.store.get(one.kind, one.metadata.namespace ?? '', one.metadata.name) as Resource | undefined;
  const old = conditionOf(latest?.status?.conditions, 'Ready');
  if (!latest || (old?.status === status && old.message === message && latest.status?.stage === stage)) return;
  const subject = `${one.kind} ${idOf(one)}`;
  const step = stepOf[stage];
  if (latest.status?.stage !== stage) {
    for (const other of steps) if (other !== step) world.end(subject, other);
    if (step) world.begin(subject, step, normalMs);
  }
  world.put({
    ...latest,
    status: {
      stage,
      conditions: withCondition(latest.status?.conditions, { type: 'Ready', status, reason, message }, stampOf(world.nowMs))
    }
  } as Resource);
  if (old?.message !== message) world.event(latest, reason, message, status === 'True' ? 'Normal' : 'Warning');
}

/** Owned by the resource, so that it goes with it, where it takes anything along. */
export const owned = (one: MemoryCluster | DocumentSet): Owners =>
  one.spec.takesAlong === 'nothing' ? {} : { ownerReferences: [ownerOf(one)] };

type Owners = Pick<ApiObject['metadata'], 'ownerReferences'>;

/** What takes an object along may change while the object stands. One that isn't marked as a part of the workload is left alone. */
export function reown(world: ClusterAccess, object: ApiObject, workload: string, { ownerReferences = [] }: Owners): void {
  if (object.metadata.labels?.[partOfLabel] !== workload || same(object.metadata.ownerReferences ?? [], ownerReferences)) return;
  world.put({ ...object, metadata: { ...object.metadata, ownerReferences } } as ApiObject);
}

/** Makes an object where there is none of its name. Gives whether it did. */
export function ensure(world: ClusterAccess, object: ApiObject, more: Owners): boolean {
  const old = world.store.find({ kind: object.kind, namespace: object.metadata.namespace ?? '', name: object.metadata.name });
  if (old) {
    reown(world, old, object.metadata.labels?.[partOfLabel] ?? '', more);
    return false;
  }
  world.put({ ...object, metadata: { ...object.metadata, ...more } } as ApiObject);
  return true;
}

/**
 * A set as its operator would alter it: how many members there are, what each asks for, and whether claims go with it. The same set where
 * nothing of that is otherwise.
 */
export function asOperated(old: StatefulSet, made: StatefulSet): StatefulSet {
  const { replicas, persistentVolumeClaimRetentionPolicy: kept, template } = made.spec;
  const [first] = template.spec.containers;
  const containers = old.spec.template.spec.containers.map((one) =>
    one.name === first?.name && !same(one.resources, first.resources) ? { ...one, resources: first.resources } : one
  );
  const grown = containers.some((one, i) => one !== old.spec.template.spec.containers[i]);
  const alike = old.spec.replicas === replicas && old.spec.persistentVolumeClaimRetentionPolicy?.whenDeleted === kept?.whenDeleted;
  if (alike && !grown) return old;
  const next = grown ? { ...old.spec.template, spec: { ...old.spec.template.spec, containers } } : old.spec.template;
  return { ...old, spec: { ...old.spec, replicas, persistentVolumeClaimRetentionPolicy: kept, template: next } };
}

/** Makes the set, or alters what may be altered of it. */
export function ensureSet(world: ClusterAccess, made: StatefulSet, more: Owners): void {
  const { namespace = '', name } = made.metadata;
  const known = world.store.get('StatefulSet', namespace, name);
  if (known) reown(world, known, name, more);
  const old = world.store.get('StatefulSet', namespace, name);
  if (!old) {
    world.put({ ...made, metadata: { ...made.metadata, ...more, generation: 1 } });
    return;
  }
  const next = asOperated(old, made);
  if (next !== old) world.put({ ...next, metadata: { ...old.metadata, generation: (old.metadata.generation ?? 1) + 1 } });
}

/** Tells how many members are ready, and whether that is all. */
export function reportMembers(world: ClusterAccess, one: MemoryCluster | DocumentSet, stage: string, word: string, wanted: number): void {
  const ready = world.store
    .list('Process', one.metadata.namespace)
    .filter((two) => two.spec.workload === one.metadata.name && two.status?.ready).length;
  if (ready < wanted) report(world, one, stage, 'False', 'MembersStart', `${ready} of ${wanted} ${word} are ready.`);
  else report(world, one, 'ready', 'True', 'Ready', `All ${ready} ${word} are ready.`);
}

/** Secrets go with the resource only where it takes everything along. */
export function ownSecrets(world: ClusterAccess, one: MemoryCluster | DocumentSet, names: readonly string[]): void {
  const { name, namespace = '' } = one.metadata;
  for (const each of names) {
    const secret = world.store.get('Secret', namespace, each);
    if (!secret) continue;
    const labels = { ...secret.metadata.labels, [partOfLabel]: name };
    const marked = { ...secret, metadata: { ...secret.metadata, labels } };
    reown(world, marked, name, one.spec.takesAlong === 'all' ? { ownerReferences: [ownerOf(one)] } : {});
    const now = world.store.get('Secret', namespace, each)!;
    if (!now.metadata.labels?.[partOfLabel]) world.put({ ...now, metadata: { ...now.metadata, labels } });
  }
}

/** Whether a certificate is there and holds. */
export const isIssued = (one: Certificate | undefined): boolean => conditionOf(one?.status?.conditions, 'Ready')?.status === 'True';

/** What an operator's set looks like, but for what its engine needs. */
export interface OperatedSet {
  readonly resource: MemoryCluster | DocumentSet;
  readonly members: number;
  readonly blueprint: string;
  readonly image: string;
  readonly ports: string;
  readonly secret: string;
  readonly mount: string;
  readonly config?: string;
  readonly tls?: string;
}

/** The set as a manifest. */
export function setYaml({ resource, members, blueprint, image, ports, secret, mount, config, tls }: OperatedSet): string {
  const { spec } = resource;
  const { name, namespace = '' } = resource.metadata;
  const claims = spec.takesAlong === 'claims' || spec.takesAlong === 'all' ? 'Delete' : 'Retain';
  const mounts = [
    `{name: data, mountPath: ${mount}}`,
    ...(config ? ['{name: config, mountPath: /etc/engine}'] : []),
    ...(tls ? ['{name: tls, mountPath: /etc/tls}'] : [])
  ];
  const volumes = [
    ...(config ? [`{name: config, configMap: {name: ${config}}}`] : []),
    ...(tls ? [`{name: tls, secret: {secretName: ${tls}}}`] : [])
  ];
  return `
apiVersion: apps/v1
kind: StatefulSet
metadata: {name: ${name}, namespace: ${namespace}, labels: {app: ${name}, app.kubernetes.io/part-of: ${name}, standin.example/blueprint: ${blueprint}}}
spec:
  replicas: ${members}
  serviceName: ${name}
  persistentVolumeClaimRetentionPolicy: {whenDeleted: ${claims}, whenScaled: Retain}
  selector: {matchLabels: {app: ${name}}}
  template:
    metadata: {labels: {app: ${name}, app.kubernetes.io/part-of: ${name}}}
    spec:
      affinity:
        podAntiAffinity:
          requiredDuringSchedulingIgnoredDuringExecution:
          - {topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: ${name}}}}
      containers:
      - name: node
        image: ${image}
        ports: ${ports}
        env:
        - {name: ACCESS_PASSWORD, valueFrom: {secretKeyRef: {name: ${secret}, key: password}}}
        resources: {requests: {cpu: "${spec.cpu}", memory: "${spec.memory}"}, limits: {memory: "${spec.memory}"}}
        volumeMounts: [${mounts.join(', ')}]
${volumes.length ? `      volumes: [${volumes.join(', ')}]\n` : ''}  volumeClaimTemplates:
  - metadata: {name: data}
    spec: {accessModes: [ReadWriteOnce], storageClassName: ${spec.volume.storageClassName}, resources: {requests: {storage: "${spec.volume.size}"}}}
`;
}
