import { bytesOf, majorityOf } from '../../shared';
import { isReady, nodeReady, zoneOf, type ApiObject, type Disk, type Facts, type Node, type Pod, type Pool } from '../../model';
import { poolPartOf, type PoolPart } from './images';

/** The label by which nodes give their disks to a pool. */
export const storageLabel = 'standin.example/storage';
/** The label on a pod that works for one disk. */
export const diskLabel = 'standin.example/disk';
/** The driver that hands out volumes of a pool; made up. */
export const poolDriver = 'pool.standin.example';

/** Disks below this are left alone where a pool doesn't say (made up). */
export const ordinaryLeastDisk = '16Gi';
/** Full thresholds of a pool: that there are two is common practice, no source; the figures are our own. */
export const poolWarnShare = 0.8;
/** From this share on a pool takes no more data; made up. */
export const poolStopShare = 0.92;
/** A node that is lost is waited for before its copies are made anew (common practice, no source). */
export const healAfterMs = 120_000;
/** Speed of making copies anew where the pool doesn't say: 200 MB/s over the whole pool (common practice, no source). */
export const ordinaryRecovery = 200_000_000;

/**
 * What a replicated pool holds: the largest U with sum over nodes of min(c, U) >= copies * U, each copy on another node. With the k
 * largest nodes capped at U the rest must carry the other copies - k, so U is the least of (sum of the rest) / (copies - k).
 * @param capacities bytes of each node
 * @returns whole bytes; 0 with fewer nodes than copies
 */
export function usableBytes(capacities: readonly number[], copies: number): number {
  const sorted = [...capacities].filter((one) => one > 0).sort((a, b) => b - a);
  if (sorted.length < copies) return 0;
  let rest = sorted.reduce((sum, one) => sum + one, 0);
  let least = Infinity;
  for (let k = 0; k < copies; k += 1) {
    least = Math.min(least, rest / (copies - k));
    rest -= sorted[k]!;
  }
  return Math.floor(least);
}

/** Why a disk can't join a pool, or undefined when it can. */
export function diskFault({ spec }: Disk, leastDisk: string | number = ordinaryLeastDisk): string | undefined {
  if (spec.dead) return 'it answers nobody';
  if (spec.holds === 'system') return 'the system stands on it';
  if (spec.holds) return `carries a ${spec.holds}`;
  if (bytesOf(spec.size) < bytesOf(leastDisk)) return `too small: ${spec.size}, at least ${leastDisk} is wanted`;
  return undefined;
}

/** Why a disk can't be as it is sent: what the system stands on dies with its node, by an Outage; of other disks only those of pools are played out. */
export const deadFault = (object: ApiObject): string | undefined =>
  object.kind === 'Disk' && object.spec.dead === true && object.spec.holds === 'system'
    ? `the system of ${object.spec.node} stands on it, and a disk that dies is played out for pools only`
    : undefined;

/** Whether a node may lend its disks to a pool. */
export const isStorageNode = (node: Node): boolean => node.metadata.labels?.[storageLabel] === 'true';

type Source = Facts & { by?: (index: 'podsOfPool', key: string) => Iterable<Pod> };

/** Pods of one part of a pool's machinery that aren't on their way out. */
export function poolPods(facts: Facts, part: PoolPart): Pod[] {
  const source = facts as Source;
  const pods = source.by ? [...source.by('podsOfPool', part)] : facts.list('Pod');
  return pods.filter((pod) => poolPartOf(pod.spec) === part && !pod.metadata.deletionTimestamp);
}

/** Bytes that each node adds to a pool now: its prepared disks whose keeper of data is ready, on a node that answers. */
export interface PoolNode {
  readonly node: string;
  readonly zone: string;
  readonly bytes: number;
  readonly answers: boolean;
}

/** The nodes of a pool with what they add. */
export function poolNodes(facts: Facts, pool: Pool): PoolNode[] {
  const serving = new Set(poolPods(facts, 'disk').flatMap((pod) => (isReady(pod) ? [pod.metadata.labels?.[diskLabel] ?? ''] : [])));
  const bytes = new Map<string, number>();
  for (const disk of facts.list('Disk')) {
    if (disk.status?.pool !== pool.metadata.name || !disk.status.prepared || !serving.has(disk.metadata.name)) continue;
    bytes.set(disk.spec.node, (bytes.get(disk.spec.node) ?? 0) + bytesOf(disk.spec.size));
  }
  return [...bytes]
    .map(([name, sum]) => {
      const node = facts.get('Node', '', name);
      return { node: name, zone: zoneOf(node), bytes: sum, answers: node !== undefined && nodeReady(node) };
    })
    .sort((a, b) => (a.node < b.node ? -1 : 1));
}

/** What is left of a pool when a node or a zone is lost. */
export interface Remainder {
  readonly lost: string;
  readonly usableBytes: number;
  /** Whether every piece keeps at least one copy. */
  readonly survives: boolean;
}

/** The figures of a pool. */
export interface PoolFigures {
  readonly nodes: readonly PoolNode[];
  readonly rawBytes: number;
  /** What it holds, each piece `copies` times. */
  readonly usableBytes: number;
  /** What may be stored so that after the loss of any one node everything can be copied anew. */
  readonly healableBytes: number;
  readonly afterNode: readonly Remainder[];
  readonly afterZone: readonly Remainder[];
}

/** Computes a pool's figures from capacities by node. */
export function poolFigures(all: readonly PoolNode[], copies: number): PoolFigures {
  const nodes = all.filter((one) => one.answers);
  const without = (pick: (one: PoolNode) => boolean) =>
    usableBytes(
      nodes.filter((one) => !pick(one)).map((one) => one.bytes),
      copies
    );
  const usable = without(() => false);
  const zones = [...new Set(nodes.map((one) => one.zone))];
  const afterNode = nodes.map(({ node }) => ({ lost: node, usableBytes: without((one) => one.node === node), survives: copies > 1 }));
  const afterZone = zones.map((zone) => ({
    lost: zone,
    usableBytes: without((one) => one.zone === zone),
    survives: nodes.filter((one) => one.zone === zone).length < copies
  }));
  return {
    nodes: all,
    rawBytes: nodes.reduce((sum, one) => sum + one.bytes, 0),
    usableBytes: usable,
    healableBytes: Math.min(usable, ...afterNode.map((one) => one.usableBytes)),
    afterNode,
    afterZone
  };
}

/** Bytes of copies that lie on a node when so much is stored: copies fill nodes alike, up to what a node holds. */
export function bytesOn(figures: Pick<PoolFigures, 'nodes'>, node: string, storedBytes: number, copies: number): number {
  const caps = figures.nodes.map((one) =>
    Math.min(
      one.bytes,
      usableBytes(
        figures.nodes.map((two) => two.bytes),
        copies
      )
    )
  );
  const total = caps.reduce((sum, one) => sum + one, 0);
  const at = figures.nodes.findIndex((one) => one.node === node);
  return at < 0 || total === 0 ? 0 : Math.round((storedBytes * copies * caps[at]!) / total);
}

/**
 * Why pieces of a pool may have no copy left that answers: as many nodes hold copies that aren't made anew yet as each piece has copies, and
 * copies of one piece lie on different nodes. Which pieces, and so which volumes, isn't known here. Undefined where each piece has one.
 */
export function piecesMissing({ spec: { copies }, status }: Pool): string | undefined {
  const nodes = [...new Set((status?.lost ?? []).flatMap((one) => (one.healed ? [] : [one.node])))].sort();
  if (nodes.length < copies) return undefined;
  const what = copies === 1 ? 'each piece lies there once only' : `each piece lies on ${copies} nodes`;
  return `copies on ${nodes.join(', ')} are out of reach, and ${what}: what lay on just these can't be read`;
}

/** Keepers that answer, and whether they are a majority. */
export function keepersOf(facts: Facts, pool: Pool): { readonly ready: number; readonly wanted: number; readonly majority: boolean } {
  const ready = poolPods(facts, 'keeper').filter((pod) => {
    const node = facts.get('Node', '', pod.spec.nodeName ?? '');
    return isReady(pod) && node !== undefined && nodeReady(node);
  }).length;
  return { ready, wanted: pool.spec.keepers, majority: ready >= majorityOf(pool.spec.keepers) };
}
