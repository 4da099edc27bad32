import { bytesOf, quantityOf } from '../../shared';
import type { Facts, MemoryCluster, MemoryDatabase } from '../../model';
import { databaseShare } from '../engines/memory';

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
    return `spec.replicas: a primary and ${replicas} replicas need ${replicas + 1} nodes, ${cluster.metadata.name} has ${cluster.spec.nodes}`;
  const most = bytesOf(cluster.spec.memory) * cluster.spec.nodes * databaseShare;
  return bytesOf(memory) * (replicas + 1) > most
    ? `spec.memory: ${memory} kept ${replicas + 1} times is more than the ${quantityOf(Math.floor(most))} that ${cluster.metadata.name} has for databases`
    : undefined;
}
