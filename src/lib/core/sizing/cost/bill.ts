import { askOf, nodeReady, roomOf, zoneOf, type Facts, type Node, type Pod } from '../../model';
import { bytesOf, daysInYear, plural } from '../../shared';
import {
  driverPartOf,
  driverTraits,
  fillAt,
  mountsOf,
  operatorCards,
  outsideAddresses,
  poolPartOf,
  runsOperator,
  workloadOf
} from '../../standin';
import { wholeOf, type Prices } from './prices';

/** What is paid for. */
export const costKinds = ['nodes', 'volumes', 'snapshots', 'addresses', 'traffic'] as const;
/** One of what is paid for. */
export type CostKind = (typeof costKinds)[number];

/** What a workload costs a month, by what is paid for. */
export interface WorkloadCost {
  readonly namespace: string;
  readonly name: string;
  readonly by: Readonly<Record<CostKind, number>>;
  readonly total: number;
  /** What it is charged for in each class: bytes of its volumes. */
  readonly classes: readonly { readonly className: string; readonly bytes: number; readonly volumes: number }[];
  /** Smaller volumes, with so much above what is in them, made anew: what a month of them saves; undefined where that isn't seen. */
  readonly smaller: { readonly month: number; readonly from: number; readonly to: number } | undefined;
}

/** Something that costs and that nobody uses. */
export interface IdleCost {
  readonly what: string;
  readonly kind: CostKind;
  readonly month: number;
  readonly why: string;
}

/** A month of a cluster. */
export interface Bill {
  readonly total: number;
  readonly by: Readonly<Record<CostKind, number>>;
  readonly workloads: readonly WorkloadCost[];
  /** Programs of the place itself: daemon sets, drivers, operators, pools. */
  readonly place: number;
  readonly idle: readonly IdleCost[];
  /** What has no price, and is counted as nothing. */
  readonly unpriced: readonly string[];
  /** What isn't seen. */
  readonly unseen: readonly string[];
}

/** What is kept free in a volume that is made smaller: 30 %; made up. */
const spareShare = 0.3;
const gib = 2 ** 30;
const none = (): Record<CostKind, number> => ({ nodes: 0, volumes: 0, snapshots: 0, addresses: 0, traffic: 0 });
const sumOf = (by: Readonly<Record<CostKind, number>>): number => costKinds.reduce((sum, kind) => sum + by[kind], 0);

const ofThePlace = (pod: Pod): boolean =>
  (pod.metadata.ownerReferences ?? []).some((one) => one.kind === 'DaemonSet') ||
  driverPartOf(pod.spec) !== undefined ||
  poolPartOf(pod.spec) !== undefined ||
  operatorCards.some((card) => runsOperator(pod, card));

interface Open {
  readonly namespace: string;
  readonly name: string;
  readonly by: Record<CostKind, number>;
  readonly classes: Map<string, { bytes: number; volumes: number }>;
  smaller: { month: number; from: number; to: number } | undefined;
  readonly zones: Map<string, number>;
}

/** Adds up what stands, by a price list. */
class Reckoning {
  readonly open = new Map<string, Open>();
  readonly idle: IdleCost[] = [];
  readonly unpriced = new Map<string, number>();
  readonly unseen: string[] = [];
  readonly by = none();
  place = 0;

  constructor(
    private readonly facts: Facts,
    private readonly prices: Prices
  ) {}

  private of(pod: Pod): Open {
    const { namespace = '' } = pod.metadata;
    const name = workloadOf(pod);
    const key = `${namespace}/${name}`;
    const found = this.open.get(key);
    if (found) return found;
    const made: Open = { namespace, name, by: none(), classes: new Map(), smaller: undefined, zones: new Map() };
    this.open.set(key, made);
    return made;
  }

  /** A price, or nothing with a note of what lacks one. */
  private at(price: number | undefined, what: string): number {
    if (price === undefined) this.unpriced.set(what, (this.unpriced.get(what) ?? 0) + 1);
    return price ?? 0;
  }

  private charge(kind: CostKind, month: number, of: Open | undefined): void {
    this.by[kind] += month;
    if (of) of.by[kind] += month;
  }

  private spare(kind: CostKind, what: string, month: number, why: string): void {
    this.by[kind] += month;
    this.idle.push({ what, kind, month, why });
  }

  /** A node is shared out by what pods ask of it, the larger share of CPU and memory; what nobody asks for is idle. */
  node(node: Node): void {
    const { name } = node.metadata;
    const whole = wholeOf(node);
    const month = this.at(
      this.prices.node(whole.milliCpu, whole.memoryBytes),
      `nodes with ${whole.milliCpu / 1_000} CPU and ${Number((whole.memoryBytes / gib).toFixed(2))}Gi`
    );
    const room = roomOf(node);
    const pods = this.facts.podsOn(name).filter((one) => one.status?.phase !== 'Succeeded' && one.status?.phase !== 'Failed');
    const shares = pods.map((pod) => {
      const ask = askOf(pod.spec);
      return Math.max(room.milliCpu ? ask.milliCpu / room.milliCpu : 0, room.memoryBytes ? ask.memoryBytes / room.memoryBytes : 0);
    });
    const all = shares.reduce((a, b) => a + b, 0);
    const scale = all > 1 ? 1 / all : 1;
    pods.forEach((pod, i) => {
      const its = month * shares[i]! * scale;
      if (ofThePlace(pod)) {
        this.place += its;
        this.by.nodes += its;
      } else this.charge('nodes', its, this.of(pod));
    });
    const free = month * Math.max(0, 1 - all);
    const why = nodeReady(node) ? 'nobody asks for it' : 'it is not ready';
    if (free > 0) this.spare('nodes', `${name}: ${Math.round(Math.max(0, 1 - all) * 100)} % of it`, free, why);
  }

  volumes(): void {
    const { facts, prices } = this;
    const handles = new Set<string>();
    const elastic = new Set<string>();
    for (const volume of facts.list('PersistentVolume')) {
      const bytes = bytesOf(volume.spec.capacity?.storage ?? 0);
      const className = volume.spec.storageClassName ?? '';
      if (volume.spec.csi) handles.add(volume.spec.csi.volumeHandle);
      if (driverTraits(facts, volume.spec.csi?.driver ?? '')?.grows === 'elastic') elastic.add(className);
      const month = bytes * this.at(prices.volume(className), className ? `volumes of the class ${className}` : 'volumes without a class');
      const ref = volume.spec.claimRef;
      const claim = ref && facts.get('PersistentVolumeClaim', ref.namespace ?? '', ref.name ?? '');
      const bound = claim?.spec.volumeName === volume.metadata.name;
      const [user] = bound ? facts.podsOfClaim(claim.metadata.namespace ?? '', claim.metadata.name) : [];
      const { name } = volume.metadata;
      if (!bound) {
        this.spare('volumes', name, month, ref ? `what claimed it, ${ref.namespace}/${ref.name}, is gone` : 'nobody has claimed it');
        continue;
      }
      if (!user) {
        this.spare('volumes', `${claim.metadata.namespace}/${claim.metadata.name}`, month, 'no pod names it');
        continue;
      }
      const of = this.of(user);
      this.charge('volumes', month, of);
      const known = of.classes.get(className) ?? { bytes: 0, volumes: 0 };
      of.classes.set(className, { bytes: known.bytes + bytes, volumes: known.volumes + 1 });
    }
    for (const name of elastic)
      this.unseen.push(
        `how much lies in volumes of ${name || 'no class'}, which take what is written: they are counted by what is claimed`
      );
    if (!facts.knowsProvider) this.unseen.push('what a backend keeps without a volume of the cluster');
    // A file system in which volumes are directories is nobody's by itself.
    const shared = new Set(facts.list('Backend').map((one) => one.spec.fileSystem));
    for (const asset of facts.list('Asset')) {
      if (shared.has(asset.metadata.name)) continue;
      if (handles.has(asset.metadata.name) || asset.spec.snapshotOf !== undefined) continue;
      const other = bytesOf(asset.spec.size) * this.at(prices.volume('*'), 'what a backend keeps without a volume');
      this.spare('volumes', asset.metadata.name, other, 'its backend keeps it, and no volume names it');
    }
  }

  /** What is in the volumes of each workload, and what goes from zone to zone to get there. */
  contents(): void {
    const { facts, prices } = this;
    let known = 0;
    const seen = new Set<string>();
    for (const pod of facts.list('Pod')) {
      if (ofThePlace(pod)) continue;
      const of = this.of(pod);
      for (const { volume, asset } of mountsOf(facts, pod)) {
        // One that several mount is in nobody's way twice.
        if (!volume || !asset?.status?.fill || seen.has(volume.metadata.name)) continue;
        seen.add(volume.metadata.name);
        known += 1;
        const has = bytesOf(asset.spec.size);
        const fits = Math.max(gib, Math.ceil((fillAt(asset, facts.nowMs) * (1 + spareShare)) / gib) * gib);
        const price = prices.volume(volume.spec.storageClassName ?? '') ?? 0;
        const { month, from, to } = of.smaller ?? { month: 0, from: 0, to: 0 };
        of.smaller = { month: month + Math.max(0, has - fits) * price, from: from + has, to: to + Math.min(has, fits) };
        const zone = zoneOf(facts.get('Node', '', pod.spec.nodeName ?? ''));
        of.zones.set(zone, (of.zones.get(zone) ?? 0) + asset.status.fill.bytesPerDay);
      }
    }
    if (!known) this.unseen.push('how full volumes are, and what goes from zone to zone');
    for (const of of this.open.values()) {
      const flows = [...of.zones.values()];
      if (flows.length < 2) continue;
      // One zone has what comes in; the others get it from there.
      const across = (flows.reduce((a, b) => a + b, 0) - Math.max(...flows)) * (daysInYear / 12);
      if (across > 0) this.charge('traffic', across * this.at(prices.traffic, 'what goes between zones'), of);
    }
  }

  snapshots(): void {
    const { facts, prices } = this;
    for (const one of facts.list('VolumeSnapshotContent')) {
      const ref = one.spec.volumeSnapshotRef;
      const month = (one.status?.restoreSize ?? 0) * this.at(prices.snapshots, 'snapshots');
      const snapshot = facts.get('VolumeSnapshot', ref.namespace ?? '', ref.name ?? '');
      const source = snapshot?.spec.source.persistentVolumeClaimName;
      const [user] = source === undefined ? [] : facts.podsOfClaim(ref.namespace ?? '', source);
      if (user) this.charge('snapshots', month, this.of(user));
      else
        this.spare(
          'snapshots',
          `${ref.namespace}/${ref.name}`,
          month,
          snapshot ? 'no pod names the claim that it is of' : 'the snapshot is gone, its content is kept'
        );
    }
  }

  addresses(): void {
    const { facts, prices } = this;
    for (const one of facts.list('Service')) {
      // One that waits for its address has none to pay for.
      if (one.spec.type !== 'LoadBalancer' || !outsideAddresses(one).length) continue;
      const { namespace = '', name } = one.metadata;
      const month = this.at(prices.addresses, 'addresses');
      const { selector } = one.spec;
      const [pod] = selector && Object.keys(selector).length ? facts.podsLabelled(namespace, selector) : [];
      if (pod && !ofThePlace(pod)) this.charge('addresses', month, this.of(pod));
      else if (pod) [this.place, this.by.addresses] = [this.place + month, this.by.addresses + month];
      else this.spare('addresses', `${namespace}/${name}`, month, 'no pod answers behind it');
    }
  }
}

/** What a month of a cluster costs as it stands: by what is paid for, by workload, and what nobody uses. Nothing is rounded. */
export function billOf(facts: Facts, prices: Prices): Bill {
  const all = new Reckoning(facts, prices);
  for (const node of facts.list('Node')) all.node(node);
  all.volumes();
  all.snapshots();
  all.addresses();
  all.contents();
  const workloads = [...all.open.values()]
    .map(({ namespace, name, by, classes, smaller }) => ({
      namespace,
      name,
      by,
      total: sumOf(by),
      classes: [...classes].map(([className, one]) => ({ className, ...one })),
      smaller: smaller && smaller.month > 0 ? smaller : undefined
    }))
    .sort((a, b) => b.total - a.total || (`${a.namespace}/${a.name}` < `${b.namespace}/${b.name}` ? -1 : 1));
  return {
    total: sumOf(all.by),
    by: all.by,
    workloads,
    place: all.place,
    idle: all.idle.sort((a, b) => b.month - a.month || (a.what < b.what ? -1 : 1)),
    unpriced: [...all.unpriced].map(([what, count]) => `${what} (${plural(count, 'time')})`),
    unseen: all.unseen
  };
}
