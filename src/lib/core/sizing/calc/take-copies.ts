import { askedOf, figuresOf, longestGapMs } from '../../backups';
import { claimsOf, type Facts } from '../../model';
import { podsIn, seatsOf, type Workload } from '../../proofs';
import { listed, majorityOf } from '../../shared';
import {
  backendOf,
  carriedMs,
  decidesByMajority,
  driverOfClaim,
  enginePartOf,
  ordinaryRecovery,
  healAfterMs,
  poolNodes,
  storeLayoutOf
} from '../../standin';
import type { Taken, Tried } from './take';
import { rateText, sizeText, timeText } from './texts';

/** The pool of disks behind a workload's volumes; undefined where there is none. */
export function poolBehind(facts: Facts, workload: Workload) {
  for (const pod of podsIn(facts, workload)) {
    for (const name of claimsOf(pod.spec, pod.metadata.name)) {
      const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
      const driver = claim && driverOfClaim(facts, claim);
      const pool = facts.get('Pool', '', backendOf(facts, driver ?? '')?.spec.pool ?? '');
      if (pool) return pool;
    }
  }
  return undefined;
}

const yearly = 'how many disks fail in a year';

/**
 * Disks and what of them may be away, from what stands: disks of the pool behind a workload, volumes of an object store, or members that each
 * have all of it (what was acknowledged lies on a majority of them at least).
 */
export function durabilityTaken(facts: Facts, workload: Workload, tried?: Tried): Taken | string {
  const heal = (by: keyof Tried, otherwiseMs?: number): { readonly written: Record<string, string>; readonly says: string } => {
    const ms = tried?.[by];
    const from = by === 'disk-dead' ? 'the drill "disk dies"' : 'the drill "volume lost"';
    const text = (all: number) => ({ heal: timeText(Math.max(1_000, Math.round(all / 1_000) * 1_000)) });
    if (ms !== undefined) return { written: text(ms), says: `the time is what ${from} measured` };
    return otherwiseMs === undefined
      ? { written: {}, says: `the time is not taken: ${from} measures it` }
      : { written: text(otherwiseMs), says: `the time is reckoned from what is stored; ${from} measures it` };
  };
  const given = (disks: number, mayFail: number, { written, says }: ReturnType<typeof heal>, more = ''): Taken => ({
    written: { groups: '1', disks: String(disks), mayFail: String(mayFail), ...(disks < 2 ? { batch: String(disks) } : {}), ...written },
    not: listed([yearly, 'several that go at once', ...(more ? [more] : [])]) + `; ${says}`
  });
  const pool = poolBehind(facts, workload);
  if (pool) {
    const disks = facts.list('Disk').filter(({ spec, status }) => status?.pool === pool.metadata.name && status.prepared && !spec.dead);
    if (!poolNodes(facts, pool).length || !disks.length) return `${pool.metadata.name} has no disks yet`;
    const { copies, recoveryBytesPerSecond: speed = ordinaryRecovery } = pool.spec;
    const each = ((pool.status?.storedBytes ?? 0) * copies) / disks.length;
    return given(
      disks.length,
      copies - 1,
      copies > 1 ? heal('disk-dead', healAfterMs + (each / speed) * 1_000) : { written: {}, says: 'with one copy nothing is made good' },
      'that disks of one node hold no two copies of a piece'
    );
  }
  if (workload.engine === 'object-store') {
    const layout = storeLayoutOf(facts, workload);
    return given(layout.volumes, layout.parity, heal('volume-lost'));
  }
  if (seatsOf(facts, workload).length > 1) return 'its members stand in several clusters: Links says what they survive';
  const members = podsIn(facts, workload).filter((pod) => decidesByMajority(enginePartOf(pod)));
  if (!members.length) return 'nobody of it decides by majority, and no pool of disks stands behind it';
  if (workload.engine === 'log-broker') return 'its topics have copies of their own, each as many as it asks for';
  return given(members.length, members.length - majorityOf(members.length), heal('volume-lost'));
}

const seconds = (ms: number): number => ms / 1_000;

/** What copies a workload: its plan, what it carries and at which speed, and what is asked of it. */
export function backupTaken(facts: Facts, workload: Workload): Taken | string {
  const plans = facts.list('BackupPlan', workload.namespace).filter((one) => one.spec.workload === workload.name);
  const [plan] = plans;
  if (!plan) return 'no plan copies it: make one under Backups';
  const { how, logEverySeconds, fullEvery, keep, schedule, timeZone, suspend } = plan.spec;
  const { bytes } = figuresOf(facts, plan);
  const gapMs = suspend ? undefined : longestGapMs(schedule, timeZone, facts.nowMs);
  const asked = askedOf(facts, workload.namespace, workload.name);
  const rate = (way: 'out' | 'back'): Record<string, string> => {
    if (how === 'snapshots' || bytes <= 0) return {};
    const [least, most] = carriedMs(bytes, way);
    return { [way === 'out' ? 'rate' : 'backRate']: `${rateText(bytes / seconds(most))} to ${rateText(bytes / seconds(least))}` };
  };
  const graded = keep.days + keep.weeks + keep.months > 0;
  const not = [
    'what changes a day',
    'what starts on the way back',
    ...(bytes > 0 ? [] : ['what is copied, for nothing lies there yet']),
    ...(gapMs === undefined ? [`how often, for ${suspend ? 'it is suspended' : 'its schedule never comes'}`] : []),
    ...(how === 'snapshots' ? ['speeds: snapshots lie where volumes lie'] : []),
    ...(graded ? ['copies kept, for some are kept by days, weeks and months'] : []),
    ...(asked.losesMs === undefined || asked.backMs === undefined ? ['what is asked for'] : [])
  ];
  return {
    written: {
      ...(bytes > 0 ? { bytes: sizeText(Math.round(bytes)) } : {}),
      ...(gapMs === undefined ? {} : { every: timeText(gapMs) }),
      ...rate('out'),
      ...(graded ? {} : { kept: String(keep.newest) }),
      fullEvery: String(fullEvery),
      log: how === 'copy-and-log' ? timeText(logEverySeconds * 1_000) : '0 s',
      ...rate('back'),
      ...(asked.losesMs === undefined ? {} : { point: timeText(asked.losesMs) }),
      ...(asked.backMs === undefined ? {} : { time: timeText(asked.backMs) })
    },
    not: not.join('; ') + (plans.length > 1 ? `; it is ${plan.metadata.name}, one of ${plans.length} plans` : '')
  };
}
