import { claimsOf, isReady, nodeReady, zoneOf, type Facts, type Node, type Pod } from '../../model';
import { podsIn, seatsOf, workloadNamed, type Workload } from '../../proofs';
import { bytesOf } from '../../shared';
import {
  backendOf,
  decidesByMajority,
  driverOfClaim,
  enginePartOf,
  fillAt,
  mountsOf,
  ordinaryRecovery,
  poolNodes,
  storeLayoutOf,
  wantedOf
} from '../../standin';
import { kindFactors, nodeSpeed, volumeSpeed } from '../speed';
import { backupTaken, durabilityTaken } from './take-copies';
import { rateText, sizeText } from './texts';
import type { CalcId } from './types';

/**
 * What drills of a workload measured, in ms: from the death of a disk until what lay there was copied anew; from the loss of a member's volume
 * until it held all again.
 */
export type Tried = Readonly<Partial<Record<'disk-dead' | 'volume-lost', number>>>;

/** What was taken from what stands: texts for slots, and where they come from. */
export interface Taken {
  readonly written: Readonly<Record<string, string>>;
  /** What couldn't be taken, and stays as it is written. */
  readonly not: string;
}

const standing = (facts: Facts): Node[] => facts.list('Node').filter((one) => nodeReady(one) && !one.spec?.unschedulable);
const claimOf = (facts: Facts, pod: Pod, name: string) => facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);

/** The claim of a workload that is filled most. */
export function fullest(facts: Facts, workload: Workload) {
  const all = podsIn(facts, workload).flatMap((pod) =>
    mountsOf(facts, pod).flatMap(({ claim, volume, asset }) =>
      volume && asset?.status?.fill ? [{ claim, volume, asset, share: fillAt(asset, facts.nowMs) / bytesOf(asset.spec.size) }] : []
    )
  );
  return all.sort((a, b) => b.share - a.share)[0];
}

const bySpread = (facts: Facts, workload: Workload): Taken | string => {
  const members = podsIn(facts, workload).filter((pod) => decidesByMajority(enginePartOf(pod)));
  if (!members.length) return 'nobody of it decides by majority';
  if (seatsOf(facts, workload).length > 1) return 'its members stand in several clusters: Links says what they survive';
  const nodes = standing(facts);
  const zones = new Set(nodes.map(zoneOf).filter(Boolean)).size;
  return {
    written: { members: String(members.length), nodes: String(nodes.length), zones: String(Math.max(1, zones)) },
    not: 'what is to be survived'
  };
};

const bySlots = (facts: Facts, workload: Workload): Taken | string => {
  const pods = podsIn(facts, workload);
  const [first] = pods;
  const [claim] = first ? claimsOf(first.spec, first.metadata.name) : [];
  const driver = first && claim !== undefined ? driverOfClaim(facts, claimOf(facts, first, claim)!) : undefined;
  if (!first || !driver) return 'its members have no claims of a driver that is known';
  const nodes = standing(facts);
  const limits = nodes.flatMap(
    (node) => facts.get('CSINode', '', node.metadata.name)?.spec.drivers?.find((one) => one.name === driver)?.allocatable?.count ?? []
  );
  if (!limits.length) return `its nodes name no limit for ${driver}`;
  const mine = new Set(
    pods.flatMap((pod) => claimsOf(pod.spec, pod.metadata.name).map((one) => claimOf(facts, pod, one)?.spec.volumeName))
  );
  const others = nodes.map(
    ({ metadata: { name } }) =>
      facts
        .list('VolumeAttachment')
        .filter(({ spec }) => spec.nodeName === name && spec.attacher === driver && !mine.has(spec.source.persistentVolumeName)).length
  );
  return {
    written: {
      members: String(pods.length),
      volumes: String(Math.max(...pods.map((pod) => claimsOf(pod.spec, pod.metadata.name).length))),
      nodes: String(nodes.length),
      limit: String(Math.min(...limits)),
      taken: String(Math.max(...others))
    },
    not: ''
  };
};

const byPool = (facts: Facts): Taken | string => {
  const [one] = facts.list('Pool');
  if (!one) return 'no pool stands here';
  const nodes = poolNodes(facts, one);
  const disks = facts.list('Disk').filter(({ status }) => status?.pool === one.metadata.name && status.prepared);
  if (!nodes.length || !disks.length) return `${one.metadata.name} has no disks yet`;
  const each = Math.max(1, Math.round(disks.length / nodes.length));
  const raw = nodes.reduce((sum, node) => sum + node.bytes, 0);
  const alike = new Set(nodes.map((node) => node.bytes)).size === 1;
  return {
    written: {
      nodes: String(nodes.length),
      disks: String(each),
      size: sizeText(raw / nodes.length / each),
      copies: String(one.spec.copies),
      stored: sizeText(one.status?.storedBytes ?? 0),
      recovery: rateText(one.spec.recoveryBytesPerSecond ?? ordinaryRecovery)
    },
    not: alike ? '' : 'its nodes differ, and are taken here as if they were alike'
  };
};

const byStore = (facts: Facts, workload: Workload): Taken | string => {
  if (workload.engine !== 'object-store') return 'it is no object store';
  const [pod] = podsIn(facts, workload).filter((one) => claimsOf(one.spec, one.metadata.name).length);
  const [claim] = pod ? claimsOf(pod.spec, pod.metadata.name) : [];
  const size = pod && claim !== undefined ? claimOf(facts, pod, claim)?.status?.capacity?.storage : undefined;
  if (size === undefined) return 'its members have no volumes yet';
  const layout = storeLayoutOf(facts, workload);
  return {
    written: {
      sets: '1',
      members: String(layout.members),
      volumes: String(layout.volumesEach),
      size: sizeText(bytesOf(size)),
      parity: String(Math.round(layout.parity / layout.volumesEach))
    },
    not: 'the size of its objects'
  };
};

const byBroker = (facts: Facts, workload: Workload): Taken | string => {
  if (workload.engine !== 'log-broker') return 'it is no log broker';
  const brokers = wantedOf(facts, workload, 'broker');
  const pods = podsIn(facts, workload).filter((one) => enginePartOf(one)?.part === 'broker' && isReady(one));
  const [pod] = pods;
  if (!pod) return 'none of its brokers is ready';
  const has = claimsOf(pod.spec, pod.metadata.name).reduce(
    (sum, claim) => sum + bytesOf(claimOf(facts, pod, claim)?.status?.capacity?.storage ?? 0),
    0
  );
  // What comes in lies on all of them together, so many times as there are copies: those of its topics, where they are alike.
  const filled = pods.flatMap((one) => mountsOf(facts, one).flatMap(({ asset }) => asset?.status?.fill ?? []));
  const daily = filled.reduce((sum, one) => sum + one.bytesPerDay, 0);
  const asked = new Set(
    facts.list('Topic', workload.namespace).flatMap(({ spec }) => (spec.workload === workload.name ? [spec.copies] : []))
  );
  const [copies] = asked.size === 1 ? asked : [];
  const rate = copies !== undefined && daily > 0 ? rateText(daily / copies / 86_400) : undefined;
  return {
    written: {
      brokers: String(brokers),
      has: sizeText(has),
      ...(copies === undefined ? {} : { copies: String(copies) }),
      ...(rate === undefined ? {} : { rate })
    },
    not: `${[...(copies === undefined ? ['copies'] : []), ...(rate === undefined ? ['what comes in'] : []), 'messages', 'time'].join(', ')} and readers`
  };
};

/** The first volume of a workload that is mounted, with the pod that mounts it. */
export function firstVolume(facts: Facts, workload: Workload) {
  const [pod] = podsIn(facts, workload).filter((one) => one.spec.nodeName && claimsOf(one.spec, one.metadata.name).length);
  const [first] = pod ? mountsOf(facts, pod) : [];
  return pod && first?.volume && first.asset ? { pod, claim: first.claim, volume: first.volume, asset: first.asset } : undefined;
}

const bySpeed = (facts: Facts, workload: Workload): Taken | string => {
  const first = firstVolume(facts, workload);
  if (!first) return 'its members have no volumes yet';
  const { pod, volume, asset } = first;
  const backend = backendOf(facts, volume.spec.csi?.driver ?? '');
  const card = backend?.spec.speed;
  if (!card) return 'the backend of its volumes says nothing of speed';
  const kind = asset.spec.parameters?.speed ?? 'steady';
  const factor = kindFactors[kind] ?? 1;
  const { mbps } = volumeSpeed(backend, bytesOf(asset.spec.size) / 2 ** 30, kind)!;
  const node = nodeSpeed(facts.get('Node', '', pod.spec.nodeName ?? ''));
  return {
    written: {
      size: sizeText(bytesOf(asset.spec.size)),
      base: String(card.baseIops * factor),
      perGib: String(card.iopsPerGib * factor),
      most: String(card.mostIops * factor),
      ...(mbps > 0 ? { flow: `${Number(mbps.toFixed(1))} MB/s` } : {}),
      ...(node ? { nodeIops: String(node.iops), nodeFlow: `${node.mbps} MB/s` } : {})
    },
    not: `what is asked for, and the time of one${node ? '' : '; the node says nothing of its speed'}`
  };
};

const byFill = (facts: Facts, workload: Workload): Taken | string => {
  const one = fullest(facts, workload);
  if (!one) return 'nothing is known of how its volumes fill';
  const backend = backendOf(facts, one.volume.spec.csi?.driver ?? '');
  const zone = backend?.spec.zones.find((two) => two.name === one.asset.spec.zone);
  const used = backend ? facts.usedOf(backend.metadata.name).get(one.asset.spec.zone)?.sizeBytes : undefined;
  return {
    written: {
      size: sizeText(bytesOf(one.asset.spec.size)),
      used: sizeText(Math.round(fillAt(one.asset, facts.nowMs))),
      grows: sizeText(Math.round(one.asset.status!.fill!.bytesPerDay)),
      ...(zone ? { left: sizeText(Math.max(0, bytesOf(zone.capacity) - (used ?? 0))) } : {}),
      ...(backend?.spec.growEverySeconds ? { cool: `${backend.spec.growEverySeconds} s` } : {})
    },
    not: `the step of a growth; it is ${one.claim}, the fullest`
  };
};

const ways: Readonly<Record<Exclude<CalcId, 'pool'>, (facts: Facts, workload: Workload, tried?: Tried) => Taken | string>> = {
  spread: bySpread,
  slots: bySlots,
  store: byStore,
  broker: byBroker,
  speed: bySpeed,
  fill: byFill,
  durability: durabilityTaken,
  backup: backupTaken
};

/** From what a calculation is filled: from a workload, or from the place itself. */
export const takenOf = (id: CalcId): 'workload' | 'place' => (id === 'pool' ? 'place' : 'workload');

/**
 * Fills slots from what stands; a text says why that can't be.
 * @param tried what drills of the workload measured
 */
export function taken(
  facts: Facts,
  id: CalcId,
  of: { readonly namespace: string; readonly name: string } | undefined,
  tried?: Tried
): Taken | string {
  if (!facts.knowsProvider && id !== 'spread') return 'an export does not show what it takes for that';
  if (id === 'pool') return byPool(facts);
  const workload = of && workloadNamed(facts, of.namespace, of.name);
  return workload ? ways[id](facts, workload, tried) : 'there is no such workload';
}
