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
  const its = disk.status?.pool === pool.metadata.name;
  if (its && disk.spec.dead) {
    // Whatever is put in its place has to be prepared.
    world.drop({ kind: 'Job', namespace: space, name: `pool-prepare-${name}` });
    return setDisk(world, disk, { found: true, pool: pool.metadata.name, prepared: false, says: 'answers nobody' });
  }
  const mine = its && disk.status?.prepared;
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

/** What a pool lost at one place. */
interface Gone {
  readonly node: string;
  readonly disk?: string;
  readonly bytes: number;
  readonly says: string;
}

/** Nodes that don't answer, and dead disks of nodes that do, with the bytes of copies that lay there. */
function gone(world: ClusterAccess, pool: Pool, stored: number): Gone[] {
  const { copies } = pool.spec;
  const disks = world.store
    .list('Disk')
    .filter(({ spec, status }) => status?.pool === pool.metadata.name && (status.prepared || spec.dead))
    .sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));
  const raw = new Map<string, number>();
  for (const { spec } of disks) raw.set(spec.node, (raw.get(spec.node) ?? 0) + bytesOf(spec.size));
  const before = { nodes: [...raw].map(([node, bytes]) => ({ node, bytes, zone: '', answers: true })) };
  const on = (node: string) => bytesOn(before, node, stored, copies);
  const answers = (name: string) => {
    const node = world.store.get('Node', '', name);
    return node !== undefined && nodeReady(node);
  };
  const silent = [...raw.keys()].filter((one) => !answers(one)).sort();
  return [
    ...silent.map((node) => ({ node, bytes: on(node), says: `${node} doesn't answer` })),
    ...disks
      .filter(({ spec }) => spec.dead && !silent.includes(spec.node))
      .map(({ metadata: { name }, spec: { node, size } }) => ({
        node,
        disk: name,
        bytes: Math.round((on(node) * bytesOf(size)) / raw.get(node)!),
        says: `the disk ${name} of ${node} answers nobody`
      }))
  ];
}

/** What is lost: after a wait its copies are made anew elsewhere, as fast as the pool recovers. A disk that was replaced meanwhile is empty. */
function healing(world: ClusterAccess, pool: Pool, stored: number, key: string): Lost {
  const known = pool.status?.lost ?? [];
  const is = (one: { node: string; disk?: string | undefined }) => `${one.node} ${one.disk ?? ''}`;
  const now = gone(world, pool, stored);
  // Copies of a disk that was taken out are not back with the one that was put in.
  const open = known.flatMap(({ healed, disk, node, bytes }) =>
    healed || disk === undefined || now.some((one) => is(one) === is({ node, disk })) ? [] : [{ node, disk, bytes, says: '' }]
  );
  const living = poolNodes(world.store, pool).filter((one) => one.answers);
  const { copies } = pool.spec;
  const room = usableBytes(
    living.map((one) => one.bytes),
    copies
  );
  const subject = `Pool ${key}`;
  const lost: Lost = [];
  for (const place of [...now, ...open]) {
    const { node, disk, says } = place;
    const old = known.find((one) => is(one) === is(place));
    if (old?.healed) {
      lost.push(old);
      continue;
    }
    const bytes = old?.bytes ?? place.bytes;
    const speed = pool.spec.recoveryBytesPerSecond ?? ordinaryRecovery;
    const atMs = old?.atMs ?? world.nowMs;
    const doneMs = old?.doneMs ?? atMs + healAfterMs + Math.round((bytes / speed) * 1_000);
    // What lay at one place only can't be copied from anywhere.
    const can = copies > 1 && room >= stored && keepersOf(world.store, pool).majority;
    const healed = can && world.nowMs >= doneMs;
    if (!old) {
      world.begin(subject, 'healing', [healAfterMs, Math.max(healAfterMs, doneMs - atMs)]);
      const said = `${says[0]!.toUpperCase()}${says.slice(1)}`;
      const gib = Math.round(bytes / 2 ** 30);
      world.event(
        pool,
        'CopiesLost',
        copies > 1 ? `${said}; ${gib} GiB of copies are made anew elsewhere.` : `${said}; the ${gib} GiB there lay nowhere else.`,
        'Warning'
      );
    }
    if (healed) {
      world.end(subject, 'healing');
      world.event(pool, 'CopiesRestored', `All pieces have ${copies} copies again, without ${disk ?? node}.`);
    } else if (doneMs > world.nowMs) world.after(doneMs - world.nowMs, key);
    // Nothing is short any more where another disk stands in its place.
    if (!healed || now.includes(place)) lost.push({ node, ...(disk === undefined ? {} : { disk }), bytes, atMs, doneMs, healed });
  }
  if (lost.every((one) => one.healed)) world.end(subject, 'healing');
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
