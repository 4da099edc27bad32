import { addressAt, bytesOf, milliCpuOf, quantityOf } from '../../shared';
import { defaultClassMark, virtualLabel, zoneLabel, type ApiObject, type Ground, type NodeGroup } from '../../model';

/** What the system keeps of a node: 200 thousandths of a CPU and 1 GiB (common practice on small nodes). */
const keptMilliCpu = 200;
const keptBytes = 2 ** 30;
/** The first addresses of the physical network belong to what isn't a node. */
const firstAddress = 10;

/** Annotations (invented) with a node's own ceiling for all its volumes together. */
export const nodeIopsMark = 'standin.example/iops';
/** The annotation that says a node's ceiling for all its volumes in MB/s; of the stand-in. */
export const nodeMbpsMark = 'standin.example/mbps';

/** The nodes of a group by name. */
export const namesIn = (group: NodeGroup): readonly string[] =>
  group.names ?? Array.from({ length: group.count ?? 1 }, (_, i) => `${group.name}-${i + 1}`);

function nodeOf({ spec: place }: Ground, group: NodeGroup, name: string, nth: number): ApiObject {
  const memory = bytesOf(group.memory);
  const { speed } = group;
  return {
    apiVersion: 'v1',
    kind: 'Node',
    metadata: {
      name,
      labels: {
        'kubernetes.io/hostname': name,
        'kubernetes.io/os': 'linux',
        [zoneLabel]: group.zone,
        ...(group.virtual ? { [virtualLabel]: 'true' } : {})
      },
      ...(speed ? { annotations: { [nodeIopsMark]: String(speed.iops), [nodeMbpsMark]: String(speed.mbps) } } : {})
    },
    spec: { podCIDR: `${addressAt(place.podRange, nth * 256)}/24` },
    status: {
      capacity: { cpu: String(group.cpu), memory: quantityOf(memory), pods: '110' },
      allocatable: { cpu: `${milliCpuOf(group.cpu) - keptMilliCpu}m`, memory: quantityOf(memory - keptBytes), pods: '110' },
      addresses: [
        { type: 'InternalIP', address: addressAt(place.nodeRange, firstAddress + nth) },
        { type: 'Hostname', address: name }
      ],
      conditions: [{ type: 'Ready', status: 'True', reason: 'NodeReady', message: 'The node answers.' }]
    }
  };
}

function disksOf(group: NodeGroup, node: string): ApiObject[] {
  let raw = 0;
  return (group.disks ?? []).map(({ size, holds, worn }) => ({
    apiVersion: 'standin.example/v1',
    kind: 'Disk',
    metadata: { name: holds === 'system' ? `${node}-system` : `${node}-raw-${(raw += 1)}` },
    spec: { node, size, ...(holds ? { holds } : {}), ...(worn ? { worn } : {}) }
  }));
}

const spaceOf = (name: string): ApiObject => ({
  apiVersion: 'v1',
  kind: 'Namespace',
  metadata: { name, labels: { 'kubernetes.io/metadata.name': name } },
  status: { phase: 'Active' }
});

/** Everything that stands at T+0 on a ground: the document itself, registries, backends, identities, nodes, disks and the first class. */
export function groundObjects(ground: Ground): ApiObject[] {
  const { registries = [], backends = [], identities = [], groups = [], firstClass, issuer } = ground.spec;
  const apiVersion = 'standin.example/v1';
  let nth = 0;
  const nodes = groups.flatMap((group) =>
    namesIn(group).flatMap((name) => [nodeOf(ground, group, name, (nth += 1)), ...disksOf(group, name)])
  );
  const named = <K extends 'Registry' | 'Backend' | 'Identity'>(kind: K, { name, ...spec }: { name: string; [key: string]: unknown }) =>
    ({ apiVersion, kind, metadata: { name }, spec }) as unknown as ApiObject;
  return [
    ground,
    ...registries.map((one) => named('Registry', one)),
    ...backends.map((one) => named('Backend', one)),
    ...identities.map((one) => named('Identity', { ...one, issuer })),
    spaceOf('default'),
    spaceOf('kube-system'),
    ...nodes,
    ...(firstClass ? [classOf(firstClass)] : [])
  ];
}

function classOf({ name, ...rest }: NonNullable<Ground['spec']['firstClass']>): ApiObject {
  return {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name, annotations: { [defaultClassMark]: 'true' } },
    reclaimPolicy: 'Delete',
    volumeBindingMode: 'WaitForFirstConsumer',
    ...rest
  } as ApiObject;
}
