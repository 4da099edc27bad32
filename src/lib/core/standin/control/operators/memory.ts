import { bytesOf } from '../../../shared';
import { ownerOf, conditionOf, refOf, type MemoryCluster, type MemoryDatabase, type Service, type StatefulSet } from '../../../model';
import { engineImage, partOfLabel } from '../../provider/images';
import { makeCredentials } from './credentials';
import type { ClusterAccess } from '../loop';

import { ensure, ensureSet, owned, ownSecrets, reown, report, reportMembers, setYaml } from './expanding';
import { ownManifests } from './objects';

/** The set of nodes that an in-memory store comes to. */
export function memorySet(cluster: MemoryCluster): StatefulSet {
  const { name } = cluster.metadata;
  const [set] = ownManifests(
    setYaml({
      resource: cluster,
      members: cluster.spec.nodes,
      blueprint: 'memory-store',
      image: engineImage('memory-store', 'node'),
      ports: '[{name: keys, containerPort: 7160}, {name: nodes, containerPort: 7161}]',
      secret: name,
      mount: '/var/lib/memory'
    })
  );
  return set as StatefulSet;
}

/** A custom resource is expanded in stages: credentials, names, nodes; each is written down. */
export function expandMemory(world: ClusterAccess, cluster: MemoryCluster): void {
  const { name, namespace = '' } = cluster.metadata;
  makeCredentials(world, namespace, name, name, []);
  ownSecrets(world, cluster, [name]);
  for (const [service, headless] of [
    [name, true],
    [`${name}-keys`, false]
  ] as const) {
    const made: Service = {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: service, namespace, labels: { [partOfLabel]: name } },
      spec: {
        ...(headless ? { clusterIP: 'None', publishNotReadyAddresses: true } : {}),
        selector: { app: name },
        ports: [{ name: 'keys', port: 7160, protocol: 'TCP' }]
      }
    };
    if (ensure(world, made, owned(cluster))) report(world, cluster, 'names', 'False', 'Expanding', `The service ${service} was made.`);
  }
  ensureSet(world, memorySet(cluster), owned(cluster));
  reportMembers(world, cluster, 'nodes', 'nodes', cluster.spec.nodes);
}

/** A database is made through the store's own interface once its cluster is ready. */
export function makeDatabase(world: ClusterAccess, one: MemoryDatabase): void {
  const [namespace, name] = [one.metadata.namespace ?? '', one.metadata.name];
  const cluster = world.store.get('MemoryCluster', namespace, one.spec.cluster);
  // It goes with its cluster where that takes all along; with the database in any case, which the operator sees to then.
  const owners = { ownerReferences: [ownerOf(cluster?.spec.takesAlong === 'all' ? cluster : one)] };
  if (conditionOf(one.status?.conditions, 'Ready')?.status === 'True') {
    const kept = world.store.get('Secret', namespace, `${name}-database`);
    if (kept && cluster) reown(world, kept, one.spec.cluster, owners);
    return;
  }
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
  makeCredentials(world, namespace, `${name}-database`, one.spec.cluster, [one]);
  reown(world, world.store.get('Secret', namespace, `${name}-database`)!, one.spec.cluster, owners);
  report(
    world,
    one,
    'ready',
    'True',
    'Ready',
    `${one.spec.shards} shards, each with ${one.spec.replicas} ${one.spec.replicas === 1 ? 'replica' : 'replicas'}; credentials in the secret ${name}-database.`
  );
}

/** A database that has gone leaves no credentials behind, whoever owns them. */
export function dropDatabase(world: ClusterAccess, namespace: string, name: string): void {
  const kept = world.store.get('Secret', namespace, `${name}-database`);
  if (kept?.metadata.ownerReferences?.some((one) => one.kind === 'MemoryCluster')) world.drop(refOf(kept));
}
