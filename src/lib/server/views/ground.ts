import { bytesOf } from '$core/shared';
import { groundGates } from '$core/gates';
import { claimsOf, isVirtualNode, makerOf, nodeReady, roomOf, zoneOf, type Disk, type Node } from '$core/model';
import { fitDisks, diskFault, driverPartOf, isStorageNode, poolFigures, poolNodes, poolPartOf, type PoolNode } from '$core/standin';
import { largestAsk, nodeSpeed } from '$core/sizing';
import { byName, type Scene } from './scene';

export interface PlankDisk {
  readonly name: string;
  readonly bytes: number;
  readonly kind: 'system' | 'unused' | 'preparing' | 'taken' | 'refused';
  readonly says: string;
}

export interface Plank {
  readonly name: string;
  readonly zone: string;
  readonly ready: boolean;
  readonly closed: boolean;
  readonly emptying: { readonly left: number; readonly waits: readonly { readonly name: string; readonly says: string }[] } | null;
  readonly virtual: boolean;
  readonly storage: boolean;
  readonly milliCpu: { readonly asked: number; readonly room: number };
  readonly memoryBytes: { readonly asked: number; readonly room: number };
  readonly slots: {
    readonly taken: number;
    readonly limit: number | null;
    readonly drivers: readonly { name: string; taken: number; limit: number | null }[];
  };
  readonly disks: readonly PlankDisk[];
  readonly speed: { readonly iops: number; readonly mbps: number } | null;
  readonly members: readonly { readonly namespace: string; readonly name: string; readonly owner: string }[];
  /** Pods of drivers and of the pool's machinery. */
  readonly system: number;
}

function diskView(disk: Disk): PlankDisk {
  const base = { name: disk.metadata.name, bytes: bytesOf(disk.spec.size) };
  if (disk.spec.holds === 'system') return { ...base, kind: 'system', says: 'system' };
  if (disk.spec.dead) return { ...base, kind: 'refused', says: 'answers nobody' };
  if (disk.status?.prepared) return { ...base, kind: 'taken', says: `taken by ${disk.status.pool}` };
  if (disk.status?.pool)
    return { ...base, kind: disk.status.says === 'could not be prepared' ? 'refused' : 'preparing', says: disk.status.says };
  const fault = diskFault(disk);
  return fault ? { ...base, kind: 'refused', says: fault } : { ...base, kind: 'unused', says: 'unused' };
}

/** Things of the whole cluster, sorted by node once. */
interface ByNode {
  readonly disks: ReadonlyMap<string, readonly Disk[]>;
  /** Attached volumes by node and driver. */
  readonly attached: ReadonlyMap<string, number>;
}

function byNode({ facts }: Scene): ByNode {
  const disks = new Map<string, Disk[]>();
  for (const disk of facts.list('Disk').sort(byName)) {
    const mine = disks.get(disk.spec.node);
    if (mine) mine.push(disk);
    else disks.set(disk.spec.node, [disk]);
  }
  const attached = new Map<string, number>();
  for (const { spec } of facts.list('VolumeAttachment')) {
    const key = `${spec.nodeName}|${spec.attacher}`;
    attached.set(key, (attached.get(key) ?? 0) + 1);
  }
  return { disks, attached };
}

/** Whether a node is being emptied, and what keeps its pods. */
function emptyingOf(facts: Scene['facts'], node: string): { left: number; waits: { name: string; says: string }[] } | null {
  const wish = facts.list('Emptying').find((one) => one.spec.nodes.includes(node));
  if (!wish) return null;
  const here = new Set(facts.podsOn(node).map((pod) => `${pod.metadata.namespace}/${pod.metadata.name}`));
  const waits = (wish.status?.waits ?? []).filter((one) => here.has(`${one.namespace}/${one.name}`));
  return { left: here.size, waits: waits.map(({ name, says }) => ({ name, says })) };
}

function plankOf({ facts }: Scene, node: Node, { disks, attached }: ByNode): Plank {
  const { name } = node.metadata;
  const room = roomOf(node);
  const use = facts.useOf(name);
  const pods = facts.podsOn(name).sort(byName);
  const plugins = facts.get('CSINode', '', name)?.spec.drivers ?? [];
  const claims = new Set(pods.flatMap((pod) => claimsOf(pod.spec, pod.metadata.name).map((claim) => `${pod.metadata.namespace}/${claim}`)));
  const drivers = plugins
    .filter((one) => one.allocatable?.count !== undefined)
    .map((one) => ({
      name: one.name,
      taken: attached.get(`${name}|${one.name}`) ?? 0,
      limit: one.allocatable?.count ?? null
    }));
  const speed = nodeSpeed(node);
  const isSystem = (pod: (typeof pods)[number]) => driverPartOf(pod.spec) !== undefined || poolPartOf(pod.spec) !== undefined;
  return {
    name,
    zone: zoneOf(node) || '(no zone)',
    ready: nodeReady(node),
    closed: node.spec?.unschedulable ?? false,
    emptying: emptyingOf(facts, name),
    virtual: isVirtualNode(node),
    storage: isStorageNode(node),
    milliCpu: { asked: use.milliCpu, room: room.milliCpu },
    memoryBytes: { asked: use.memoryBytes, room: room.memoryBytes },
    slots: {
      taken: drivers.length ? drivers.reduce((sum, one) => sum + one.taken, 0) : claims.size,
      limit: drivers.length ? drivers.reduce((sum, one) => sum + (one.limit ?? 0), 0) : null,
      drivers
    },
    disks: (disks.get(name) ?? []).map(diskView).sort((a, b) => Number(b.kind === 'system') - Number(a.kind === 'system')),
    speed: speed ?? null,
    members: pods
      .filter((pod) => !isSystem(pod))
      .map((pod) => ({
        namespace: pod.metadata.namespace ?? '',
        name: pod.metadata.name,
        owner: makerOf(pod)?.name ?? pod.metadata.name
      })),
    system: pods.filter(isSystem).length
  };
}

/** What a pool of the place's disks holds, or would hold if it had all fit ones. */
function poolOutlook({ facts }: Scene) {
  const [pool] = facts.list('Pool');
  const raw = facts.list('Disk').filter((one) => one.spec.holds !== 'system');
  if (!raw.length) return null;
  const copies = pool?.spec.copies ?? 3;
  const planned = (): PoolNode[] =>
    [...fitDisks(raw)].map(([node, bytes]) => ({ node, zone: zoneOf(facts.get('Node', '', node)), bytes, answers: true }));
  const nodes = pool ? poolNodes(facts, pool) : planned();
  const figures = poolFigures(nodes, copies);
  return {
    name: pool?.metadata.name ?? null,
    copies,
    disks: raw.length,
    fit: raw.filter((one) => one.status?.pool || !diskFault(one)).length,
    rawBytes: raw.reduce((sum, one) => sum + bytesOf(one.spec.size), 0),
    usableBytes: figures.usableBytes,
    healableBytes: figures.healableBytes,
    storedBytes: pool?.status?.storedBytes ?? 0,
    afterNode: figures.afterNode,
    afterZone: figures.afterZone,
    lost: pool?.status?.lost ?? []
  };
}

/** The Ground sheet: planks by zone, gates, and what the disks are good for. */
export function groundView(scene: Scene) {
  const { facts } = scene;
  const sorted = byNode(scene);
  const zones = new Map<string, Plank[]>();
  for (const node of facts.list('Node').sort(byName)) {
    const plank = plankOf(scene, node, sorted);
    zones.set(plank.zone, [...(zones.get(plank.zone) ?? []), plank]);
  }
  const place = facts.list('Ground')[0]?.spec;
  const largest = largestAsk(facts);
  return {
    zones: [...zones].map(([name, planks]) => ({ name, planks })),
    gates: groundGates(facts).map(({ remedy, ...gate }) => ({
      ...gate,
      ...(remedy ? { remedy: { text: remedy.text, draft: remedy.manifests !== undefined } } : {})
    })),
    pool: poolOutlook(scene),
    largest: largest ?? null,
    version: place?.version ?? null,
    ranges: place ? { pods: place.podRange, services: place.serviceRange, nodes: place.nodeRange, domain: place.clusterDomain } : null,
    pulls: place ? (place.pulls ?? 'named') : null,
    registries: facts.list('Registry').map(({ spec }) => ({ host: spec.host, reachable: spec.reachable }))
  };
}

export type GroundView = ReturnType<typeof groundView>;
