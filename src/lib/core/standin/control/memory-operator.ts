import { bytesOf, quantityOf, stampOf } from '../../shared';
import {
  conditionOf,
  isReady,
  type ApiObject,
  type Deployment,
  type Facts,
  type MemoryCluster,
  type MemoryDatabase,
  type Pod,
  type StatefulSet
} from '../../model';
import { readManifests } from '../../manifest';
import { engineImage, imageParts, memoryOperatorImage, partOfLabel } from '../provider/images';
import { makeCredentials } from './credentials';
import { idOf, itself, splitKey, withCondition, type Hands, type Loop } from './loop';
import { ownerOf } from './pods';

export const memoryPlural = { MemoryCluster: 'memoryclusters', MemoryDatabase: 'memorydatabases' } as const;

const isOperator = (one: Pod | Deployment): boolean => {
  const spec = one.kind === 'Pod' ? one.spec : one.spec.template.spec;
  return spec.containers.some((two) => imageParts(two.image).repository === memoryOperatorImage);
};

/** Namespaces that an operator watches; undefined: all. */
export function watchesOf(pod: Pod): readonly string[] | undefined {
  const text = pod.spec.containers.flatMap((one) => one.env ?? []).find((one) => one.name === 'WATCH_NAMESPACES')?.value;
  return text === undefined || text.trim() === '' ? undefined : text.split(',').map((one) => one.trim());
}

/** Whether an operator's account may do its work in a namespace: a role that names its resources is bound to it. */
function mayWork(facts: Facts, pod: Pod, namespace: string): boolean {
  const [space, account] = [pod.metadata.namespace ?? '', pod.spec.serviceAccountName ?? 'default'];
  const mine = (subjects: readonly { kind: string; name: string; namespace?: string | undefined }[] | null | undefined) =>
    (subjects ?? []).some((one) => one.kind === 'ServiceAccount' && one.name === account && one.namespace === space);
  const grants = (
    role:
      | { rules?: readonly { apiGroups?: string[] | undefined; resources?: string[] | undefined; verbs: string[] }[] | null | undefined }
      | undefined
  ) =>
    ['statefulsets', memoryPlural.MemoryCluster].every((wanted) =>
      (role?.rules ?? []).some(
        (one) => [wanted, '*'].some((two) => one.resources?.includes(two)) && ['create', '*'].some((two) => one.verbs.includes(two))
      )
    );
  return (
    facts.list('ClusterRoleBinding').some((one) => mine(one.subjects) && grants(facts.get('ClusterRole', '', one.roleRef.name))) ||
    facts
      .list('RoleBinding', namespace)
      .some(
        (one) =>
          mine(one.subjects) &&
          grants(
            one.roleRef.kind === 'Role' ? facts.get('Role', namespace, one.roleRef.name) : facts.get('ClusterRole', '', one.roleRef.name)
          )
      )
  );
}

/** Why no operator looks after custom resources of a namespace; undefined when one does. */
export function operatorFault(facts: Facts, namespace: string): { reason: string; message: string } | undefined {
  const pods = facts.list('Pod').filter(isOperator);
  const deployments = facts.list('Deployment').filter(isOperator);
  if (!pods.length && !deployments.length) return { reason: 'NoOperator', message: 'No operator of in-memory stores is installed.' };
  const ready = pods.filter(isReady);
  if (!ready.length) {
    const one = deployments[0];
    return {
      reason: 'OperatorNotReady',
      message: `The operator ${one ? `${one.metadata.namespace}/${one.metadata.name}` : ''} is not ready: 0 of ${one?.spec.replicas ?? 1}.`
    };
  }
  const watching = ready.filter((pod) => watchesOf(pod)?.includes(namespace) ?? true);
  if (!watching.length)
    return { reason: 'NotWatched', message: `The operator watches ${watchesOf(ready[0]!)!.join(', ')}, not ${namespace}.` };
  if (!watching.some((pod) => mayWork(facts, pod, namespace)))
    return {
      reason: 'Forbidden',
      message: `The operator's account ${watching[0]!.metadata.namespace}/${watching[0]!.spec.serviceAccountName ?? 'default'} may not make stateful sets in ${namespace}.`
    };
  return undefined;
}

/** What the admission step refuses of a database: what its cluster can't give. Source of the step: the cluster API's "Dynamic Admission Control". */
export function databaseFault(
  facts: Facts,
  one: MemoryDatabase,
  cluster: MemoryCluster | undefined = facts.get('MemoryCluster', one.metadata.namespace ?? '', one.spec.cluster)
): string | undefined {
  const { shards, replicas, memory } = one.spec;
  if (shards < 1) return `spec.shards must be 1 or more, not ${shards}`;
  if (replicas < 0) return `spec.replicas must be 0 or more, not ${replicas}`;
  if (!cluster) return undefined;
  if (replicas + 1 > cluster.spec.nodes)
    return `spec.replicas: a master and ${replicas} replicas need ${replicas + 1} nodes, ${cluster.metadata.name} has ${cluster.spec.nodes}`;
  const most = bytesOf(cluster.spec.memory) * cluster.spec.nodes * 0.8;
  return bytesOf(memory) * (replicas + 1) > most
    ? `spec.memory: ${memory} kept ${replicas + 1} times is more than the ${quantityOf(Math.floor(most))} that ${cluster.metadata.name} has for databases`
    : undefined;
}

type Resource = MemoryCluster | MemoryDatabase;

function report(world: Hands, one: Resource, stage: string, status: 'True' | 'False', reason: string, message: string): void {
  const latest = world.store.get(one.kind, one.metadata.namespace ?? '', one.metadata.name) as Resource | undefined;
  const old = conditionOf(latest?.status?.conditions, 'Ready');
  if (!latest || (old?.status === status && old.message === message && latest.status?.stage === stage)) return;
  world.put({
    ...latest,
    status: {
      stage,
      conditions: withCondition(latest.status?.conditions, { type: 'Ready', status, reason, message }, stampOf(world.nowMs))
    }
  } as Resource);
  if (old?.message !== message) world.event(latest, reason, message, status === 'True' ? 'Normal' : 'Warning');
}

function setOf({ metadata, spec }: MemoryCluster): StatefulSet {
  const [name, namespace] = [metadata.name, metadata.namespace ?? ''];
  const labels = { app: name, [partOfLabel]: name };
  const yaml = `
apiVersion: apps/v1
kind: StatefulSet
metadata: {name: ${name}, namespace: ${namespace}, labels: {app: ${name}, ${partOfLabel}: ${name}, standin.example/blueprint: memory-store}}
spec:
  replicas: ${spec.nodes}
  serviceName: ${name}
  persistentVolumeClaimRetentionPolicy: {whenDeleted: ${spec.takesAlong === 'claims' || spec.takesAlong === 'all' ? 'Delete' : 'Retain'}, whenScaled: Retain}
  selector: {matchLabels: {app: ${name}}}
  template:
    metadata: {labels: {app: ${name}, ${partOfLabel}: ${name}}}
    spec:
      affinity:
        podAntiAffinity:
          requiredDuringSchedulingIgnoredDuringExecution:
          - {topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: ${name}}}}
      containers:
      - name: node
        image: ${engineImage('memory-store', 'node')}
        ports: [{name: keys, containerPort: 6600}, {name: nodes, containerPort: 6601}]
        env:
        - {name: ACCESS_PASSWORD, valueFrom: {secretKeyRef: {name: ${name}, key: password}}}
        resources: {requests: {cpu: "${spec.cpu}", memory: "${spec.memory}"}, limits: {memory: "${spec.memory}"}}
        volumeMounts: [{name: data, mountPath: /var/lib/memory}]
  volumeClaimTemplates:
  - metadata: {name: data}
    spec: {accessModes: [ReadWriteOnce], storageClassName: ${spec.volume.storageClassName}, resources: {requests: {storage: "${spec.volume.size}"}}}
`;
  const { objects, problems } = readManifests(yaml);
  if (!objects.length) throw new Error(problems.map((one) => one.message).join('; '));
  const set = objects[0]!.object as StatefulSet;
  return { ...set, metadata: { ...set.metadata, labels: { ...set.metadata.labels, ...labels } } };
}

/** A custom resource is expanded in stages: credentials, names, nodes; each is written down. */
function expand(world: Hands, cluster: MemoryCluster): void {
  const [namespace, name] = [cluster.metadata.namespace ?? '', cluster.metadata.name];
  const { takesAlong } = cluster.spec;
  const owner = takesAlong === 'nothing' ? undefined : cluster;
  makeCredentials(world, namespace, name, name, takesAlong === 'all' ? [cluster] : []);
  const owned = owner ? { ownerReferences: [ownerOf(owner)] } : {};
  for (const [service, headless] of [
    [name, true],
    [`${name}-keys`, false]
  ] as const) {
    if (world.store.get('Service', namespace, service)) continue;
    world.put({
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: service, namespace, labels: { [partOfLabel]: name }, ...owned },
      spec: {
        ...(headless ? { clusterIP: 'None', publishNotReadyAddresses: true } : {}),
        selector: { app: name },
        ports: [{ name: 'keys', port: 6600, protocol: 'TCP' }]
      }
    });
    report(world, cluster, 'names', 'False', 'Expanding', `The service ${service} was made.`);
  }
  const old = world.store.get('StatefulSet', namespace, name);
  const made = setOf(cluster);
  if (!old) world.put({ ...made, metadata: { ...made.metadata, ...owned, generation: 1 } });
  else if (
    old.spec.replicas !== made.spec.replicas ||
    old.spec.persistentVolumeClaimRetentionPolicy?.whenDeleted !== made.spec.persistentVolumeClaimRetentionPolicy?.whenDeleted
  )
    world.put({
      ...old,
      spec: {
        ...old.spec,
        replicas: made.spec.replicas,
        persistentVolumeClaimRetentionPolicy: made.spec.persistentVolumeClaimRetentionPolicy
      },
      metadata: { ...old.metadata, generation: (old.metadata.generation ?? 1) + 1 }
    });
  const ready = world.store.list('Process', namespace).filter((one) => one.spec.workload === name && one.status?.ready).length;
  if (ready < cluster.spec.nodes)
    report(world, cluster, 'nodes', 'False', 'NodesStart', `${ready} of ${cluster.spec.nodes} nodes are ready.`);
  else report(world, cluster, 'ready', 'True', 'Ready', `All ${ready} nodes are ready.`);
}

function database(world: Hands, one: MemoryDatabase): void {
  const [namespace, name] = [one.metadata.namespace ?? '', one.metadata.name];
  if (conditionOf(one.status?.conditions, 'Ready')?.status === 'True') return;
  const cluster = world.store.get('MemoryCluster', namespace, one.spec.cluster);
  if (!cluster)
    return report(world, one, 'waits', 'False', 'ClusterMissing', `There is no MemoryCluster ${namespace}/${one.spec.cluster}.`);
  if (conditionOf(cluster.status?.conditions, 'Ready')?.status !== 'True')
    return report(world, one, 'waits', 'False', 'ClusterNotReady', `${one.spec.cluster} is not ready yet.`);
  const ask = `database-${name}-${one.metadata.generation ?? 1}`;
  const asked = world.store.get('Ask', namespace, ask);
  if (!asked) {
    const op = {
      do: 'make-database',
      place: name,
      bytes: bytesOf(one.spec.memory),
      count: one.spec.shards,
      value: String(one.spec.replicas)
    };
    world.put({
      apiVersion: 'standin.example/v1',
      kind: 'Ask',
      metadata: { name: ask, namespace },
      spec: { workload: one.spec.cluster, way: 'inside', login: 'right', op }
    });
    return report(world, one, 'shards', 'False', 'PlacingShards', `${one.spec.shards} shards are being placed.`);
  }
  if (!asked.status?.outcome) return;
  const says = asked.status.says ?? '';
  if (asked.status.outcome !== 'acknowledged' && !says.includes('exists already'))
    return report(world, one, 'shards', 'False', 'Refused', says);
  // Its credentials lie in a secret of the same name.
  makeCredentials(world, namespace, `${name}-database`, one.spec.cluster, [one, ...(cluster.spec.takesAlong === 'all' ? [cluster] : [])]);
  report(
    world,
    one,
    'ready',
    'True',
    'Ready',
    `${one.spec.shards} shards, each with ${one.spec.replicas} ${one.spec.replicas === 1 ? 'replica' : 'replicas'}; credentials in the secret ${name}-database.`
  );
}

const keysOf = (store: Hands['store'], namespace?: string): string[] =>
  (['MemoryCluster', 'MemoryDatabase'] as const).flatMap((kind) => store.list(kind, namespace).map((one) => `${kind} ${idOf(one)}`));

/** The operator of in-memory stores: looks after its custom resources, where it runs, watches and may. */
export const memoryOperator: Loop = {
  id: 'memory-operator',
  paceMs: 300,
  watches: {
    MemoryCluster: (now, before) => (now?.spec === before?.spec ? [] : itself(now, before).map((id) => `MemoryCluster ${id}`)),
    MemoryDatabase: (now, before) => (now?.spec === before?.spec ? [] : itself(now, before).map((id) => `MemoryDatabase ${id}`)),
    Pod: (now, before, store) =>
      isOperator((now ?? before)!) && (now && isReady(now)) !== (before && isReady(before)) ? keysOf(store) : [],
    ClusterRoleBinding: (_now, _before, store) => keysOf(store),
    RoleBinding: (_now, _before, store) => keysOf(store),
    Process: (now, before, store) => {
      const one = (now ?? before)!;
      return one.spec.engine === 'memory-store' && now?.status?.ready !== before?.status?.ready
        ? keysOf(store, one.metadata.namespace)
        : [];
    },
    Ask: (now, _before, store) =>
      now?.status?.outcome && now.metadata.name.startsWith('database-') ? keysOf(store, now.metadata.namespace) : []
  },
  reconcile(world, key) {
    const space = key.indexOf(' ');
    const kind = key.slice(0, space) as 'MemoryCluster' | 'MemoryDatabase';
    const [namespace, name] = splitKey(key.slice(space + 1));
    const one = world.store.get(kind, namespace, name) as Resource | undefined;
    if (!one || one.metadata.deletionTimestamp) return;
    const fault = operatorFault(world.store, namespace);
    if (fault) return report(world, one, 'waits', 'False', fault.reason, fault.message);
    if (one.kind === 'MemoryCluster') {
      expand(world, one);
      for (const each of world.store.list('MemoryDatabase', namespace)) if (each.spec.cluster === name) database(world, each);
    } else database(world, one);
  }
};
