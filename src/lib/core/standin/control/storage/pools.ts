import { bytesOf, quantityOf, same, stampOf } from '../../../shared';
import { ownerOf, isReady, nodeReady, type Disk, type Node, type Pod, type Pool } from '../../../model';
import { imageTag } from '../../provider/images';
import {
  bytesOn,
  diskFault,
  diskLabel,
  healAfterMs,
  isStorageNode,
  keepersOf,
  ordinaryRecovery,
  poolDriver,
  poolFigures,
  poolNodes,
  poolPods,
  poolStopShare,
  storageLabel,
  usableBytes
} from '../../provider/pool';
import { poolOperatorAccount } from '../../provider/installs';
import { jobState } from '../workloads/jobs';
import { withCondition, type ClusterAccess, type Loop } from '../loop';

const space = 'storage-system';

interface Part {
  readonly name: string;
  readonly image: string;
  readonly cpu: string;
  readonly memory: string;
  readonly nodeSelector: Record<string, string>;
  readonly labels?: Record<string, string>;
  readonly apart?: string;
}

function template(part: Part, version: string) {
  const labels = { app: part.name, ...part.labels };
  const term = { topologyKey: 'kubernetes.io/hostname', labelSelector: { matchLabels: { part: part.apart ?? '' } } };
  return {
    metadata: { labels },
    spec: {
      serviceAccountName: poolOperatorAccount,
      nodeSelector: part.nodeSelector,
      ...(part.apart ? { affinity: { podAntiAffinity: { requiredDuringSchedulingIgnoredDuringExecution: [term] } } } : {}),
      containers: [
        {
          name: 'main',
          image: `shelf.standin.example/operators/${part.image}:${version}`,
          resources: { requests: { cpu: part.cpu, memory: part.memory } }
        }
      ]
    }
  };
}

/** Makes what a pool's operator needs, once; the pool owns it. */
function ensure(world: ClusterAccess, pool: Pool, kind: 'DaemonSet' | 'Deployment' | 'Job', part: Part, version: string): void {
  const old = world.store.get(kind, space, part.name);
  if (old) return;
  const made = template(part, version);
  const metadata = { name: part.name, namespace: space, labels: { app: part.name }, ownerReferences: [ownerOf(pool)] };
  const selector = { matchLabels: { app: part.name } };
  if (kind === 'DaemonSet') world.put({ apiVersion: 'apps/v1', kind, metadata, spec: { selector, template: made } });
  else if (kind === 'Deployment')
    world.put({ apiVersion: 'apps/v1', kind, metadata, spec: { replicas: 1, strategy: { type: 'Recreate' }, selector, template: made } });
  else
    world.put({
      apiVersion: 'batch/v1',
      kind,
      metadata,
      spec: { backoffLimit: 1, template: { ...made, spec: { ...made.spec, restartPolicy: 'Never' } } }
    });
}

const small = { cpu: '50m', memory: '64Mi' };

function setDisk(world: ClusterAccess, disk: Disk, status: NonNullable<Disk['status']>): void {
  if (!same(disk.status, status)) world.put({ ...disk, status });
}

/** A disk that discovery has found: refused with the reason, prepared by a job, then served by a keeper of its data. */
function diskTurn(world: ClusterAccess, pool: Pool, disk: Disk, node: Node, version: string): void {
  const { name } = disk.metadata;
  const mine = disk.status?.pool === pool.metadata.name && disk.status.prepared;
  const fault = mine ? undefined : diskFault(disk, pool.spec.leastDisk);
  if (fault) return setDisk(world, disk, { found: true, prepared: false, says: fault });
  const host = { 'kubernetes.io/hostname': node.metadata.name };
  const labels = { [diskLabel]: name };
  ensure(world, pool, 'Job', { ...small, name: `pool-prepare-${name}`, image: 'pool-prepare', nodeSelector: host, labels }, version);
  const state = jobState(world.store.get('Job', space, `pool-prepare-${name}`));
  const says = { running: 'is being prepared', failed: 'could not be prepared', complete: 'prepared' }[state];
  setDisk(world, disk, { found: true, pool: pool.metadata.name, prepared: state === 'complete', says });
  if (state !== 'complete') return;
  ensure(
    world,
    pool,
    'Deployment',
    { name: `pool-disk-${name}`, image: 'pool-disk', cpu: '500m', memory: '2Gi', nodeSelector: host, labels },
    version
  );
}

function machinery(world: ClusterAccess, pool: Pool, operator: Pod): void {
  const version = imageTag(operator.spec.containers[0]?.image ?? '');
  const storage = { [storageLabel]: 'true' };
  ensure(world, pool, 'DaemonSet', { ...small, name: 'pool-discovery', image: 'pool-discovery', nodeSelector: storage }, version);
  for (let i = 0; i < pool.spec.keepers; i += 1) {
    const keeper = { name: `pool-keeper-${i}`, image: 'pool-keeper', cpu: '250m', memory: '1Gi', apart: 'pool-keeper' };
    ensure(world, pool, 'Deployment', { ...keeper, nodeSelector: storage, labels: { part: 'pool-keeper' } }, version);
  }
  const found = new Set(poolPods(world.store, 'discovery').flatMap((pod) => (isReady(pod) ? [pod.spec.nodeName ?? ''] : [])));
  for (const disk of world.store.list('Disk')) {
    const node = world.store.get('Node', '', disk.spec.node);
    if (node && isStorageNode(node) && (found.has(disk.spec.node) || disk.status?.found)) diskTurn(world, pool, disk, node, version);
  }
}

type Lost = NonNullable<Pool['status']>['lost'];

/** Nodes that don't answer: after a wait their copies are made anew on the others, as fast as the pool recovers. */
function healing(world: ClusterAccess, pool: Pool, stored: number, key: string): Lost {
  const all = poolNodes(world.store, pool);
  const known = pool.status?.lost ?? [];
  const living = all.filter((one) => one.answers);
  const lost: Lost = [];
  for (const { node } of all.filter((one) => !one.answers)) {
    const old = known.find((one) => one.node === node);
    if (old?.healed) {
      lost.push(old);
      continue;
    }
    const bytes =
      old?.bytes ??
      bytesOn(
        poolFigures(
          all.map((one) => ({ ...one, answers: true })),
          pool.spec.copies
        ),
        node,
        stored,
        pool.spec.copies
      );
    const speed = pool.spec.recoveryBytesPerSecond ?? ordinaryRecovery;
    const atMs = old?.atMs ?? world.nowMs;
    const doneMs = old?.doneMs ?? atMs + healAfterMs + Math.round((bytes / speed) * 1_000);
    const room = usableBytes(
      living.map((one) => one.bytes),
      pool.spec.copies
    );
    const can = room >= stored && keepersOf(world.store, pool).majority;
    const healed = can && world.nowMs >= doneMs;
    const subject = `Pool ${key}`;
    if (!old) {
      world.begin(subject, 'healing', [healAfterMs, Math.max(healAfterMs, doneMs - atMs)]);
      world.event(
        pool,
        'CopiesLost',
        `${node} doesn't answer; ${Math.round(bytes / 2 ** 30)} GiB of copies are made anew elsewhere.`,
        'Warning'
      );
    }
    if (healed) {
      world.end(subject, 'healing');
      world.event(pool, 'CopiesRestored', `All pieces have ${pool.spec.copies} copies again, without ${node}.`);
    } else if (doneMs > world.nowMs) world.after(doneMs - world.nowMs, key);
    lost.push({ node, bytes, atMs, doneMs, healed });
  }
  if (!lost.length) world.end(`Pool ${key}`, 'healing');
  return lost;
}

/** The pool as a backend that its driver draws from; new volumes stop at the full threshold. */
function offer(world: ClusterAccess, pool: Pool, usable: number): void {
  const { name } = pool.metadata;
  const old = world.store.get('Backend', '', name);
  const capacity = quantityOf(Math.floor((usable * poolStopShare) / 4096) * 4096);
  const spec = {
    driver: poolDriver,
    topologyKey: '',
    zones: [{ name: 'pool', capacity }],
    quotaVolumes: 10_000,
    leastSize: '1Gi',
    pool: name
  };
  if (!old && usable === 0) return;
  if (same(old?.spec, spec)) return;
  world.put({ apiVersion: 'standin.example/v1', kind: 'Backend', metadata: { name, ownerReferences: [ownerOf(pool)] }, spec });
}

const every = '(all)';
const all = () => [every];

/** The operator of pools: finds disks on labelled nodes, has each prepared by a job, keeps the keepers, computes what the pool holds. */
export const pools: Loop = {
  id: 'pools',
  paceMs: 200,
  watches: {
    Pool: (now, before) => (now && now.spec === before?.spec ? [] : all()),
    Disk: (now, before) => (now && now.spec === before?.spec ? [] : all()),
    Job: (now, before) => (jobState(now) === jobState(before) ? [] : all()),
    Asset: (now, before, store) =>
      (now ?? before)!.spec.driver === poolDriver && store.list('Pool').length && now?.spec !== before?.spec ? all() : [],
    Node: (now, before, store) =>
      store.list('Pool').length &&
      (!now || !before || nodeReady(now) !== nodeReady(before) || now.metadata.labels !== before.metadata.labels)
        ? all()
        : [],
    Pod: (now, before, store) => {
      const pod = (now ?? before)!;
      if (now && before && isReady(now) === isReady(before)) return [];
      return store.list('Pool').length && pod.metadata.namespace === space ? all() : [];
    }
  },
  reconcile(world, key) {
    if (key === every) {
      for (const pool of world.store.list('Pool')) turn(world, pool.metadata.name);
      return;
    }
    turn(world, key);
  }
};

function turn(world: ClusterAccess, key: string): void {
  const pool = world.store.get('Pool', '', key);
  if (!pool) return;
  const operator = poolPods(world.store, 'operator').find(isReady);
  if (operator) machinery(world, pool, operator);
  const stored = [...world.store.usedOf(key).values()].reduce((sum, one) => sum + one.sizeBytes, 0);
  const figures = poolFigures(poolNodes(world.store, pool), pool.spec.copies);
  const lost = operator ? healing(world, pool, stored, key) : (pool.status?.lost ?? []);
  const keepers = keepersOf(world.store, pool);
  const works = keepers.majority && figures.usableBytes > 0;
  const condition = {
    type: 'Ready',
    status: works ? 'True' : 'False',
    ...(works ? {} : { reason: keepers.majority ? 'NoCapacity' : 'NoMajority' })
  };
  const conditions = withCondition(pool.status?.conditions, condition, stampOf(world.nowMs));
  const status: Pool['status'] = { rawBytes: figures.rawBytes, usableBytes: figures.usableBytes, storedBytes: stored, lost, conditions };
  if (!same(status, pool.status)) world.put({ ...pool, status });
  offer(world, pool, figures.usableBytes);
}

/** Raw bytes of the disks that a pool could have, by node, before it exists: for planning. */
export function fitDisks(disks: readonly Disk[], leastDisk?: string | number): Map<string, number> {
  const sums = new Map<string, number>();
  for (const disk of disks) {
    if (diskFault(disk, leastDisk)) continue;
    sums.set(disk.spec.node, (sums.get(disk.spec.node) ?? 0) + bytesOf(disk.spec.size));
  }
  return sums;
}
