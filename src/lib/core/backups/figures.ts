import { epochMs, momentOf, momentsOf, nextOf } from '../shared';
import type { BackupPlan, BackupReturn, Facts } from '../model';
import { carriedBytes, carriedMs, chainTo, doneOf, linkPerSecond, runsOf, stepSpans, workloadRef } from '../standin';

/** What somebody asks of a workload, written on its set (annotations, invented): `5m`, `2h`, `1d`. */
export const loseAtMostMark = 'standin.example/lose-at-most';
/** How soon it has to be back, written in the same way. */
export const backWithinMark = 'standin.example/back-within';

/** What was asked for, in ms; left out where nothing was, or where it can't be read. */
export interface Asked {
  readonly losesMs?: number;
  readonly backMs?: number;
  /** Marks that can't be read, as they stand. */
  readonly odd: readonly string[];
}

const units = { s: 1_000, m: 60_000, h: 3_600_000, d: 86_400_000 } as const;

/** A length of time as `90s`, `5m`, `2h` or `1d`, in ms; undefined for anything else. */
export function lengthMs(text: string): number | undefined {
  const [, count, unit] = /^([1-9]\d{0,5})([smhd])$/.exec(text) ?? [];
  return count === undefined ? undefined : Number(count) * units[unit as keyof typeof units];
}

/** What was asked of a workload, by the marks on whoever makes its members. */
export function askedOf(facts: Facts, namespace: string, name: string): Asked {
  const ref = workloadRef(facts, namespace, name);
  const marks = facts.get(ref.kind, namespace, name)?.metadata.annotations;
  const odd: string[] = [];
  const read = (mark: string): number | undefined => {
    const text = marks?.[mark];
    const ms = text === undefined ? undefined : lengthMs(text);
    if (text !== undefined && ms === undefined) odd.push(`${mark}: ${text}`);
    return ms;
  };
  const [losesMs, backMs] = [read(loseAtMostMark), read(backWithinMark)];
  return { ...(losesMs === undefined ? {} : { losesMs }), ...(backMs === undefined ? {} : { backMs }), odd };
}

/** So many moments of a schedule are looked at for the longest time between two: more than a year of daily ones. */
const mostLooked = 400;

/** The longest time between two moments of a schedule, in ms; undefined where fewer than two come. */
export function longestGapMs(schedule: string, timeZone: string | undefined, nowMs: number): number | undefined {
  const moments = momentsOf(schedule, timeZone, epochMs + nowMs, Infinity, mostLooked + 1);
  const gaps = moments.slice(1).map((one, i) => one - moments[i]!);
  return gaps.length ? Math.max(...gaps) : undefined;
}

/** What a plan is good for. */
export interface Figures {
  /** The most that can be lost, in ms of writes, while all runs as planned; undefined where the schedule never comes, or is suspended. */
  readonly losesMs: number | undefined;
  /** What would be lost if it happened now: since the moment that the last good copy, or the log, shows. Undefined without a good copy. */
  readonly losesNowMs: number | undefined;
  /** The worse of the two: what could be lost. Undefined: everything. */
  readonly couldLoseMs: number | undefined;
  /** How long it is carried back, computed: between the two. Starting members isn't in it. */
  readonly backMs: readonly [number, number];
  /** How long the last return that was done took, begin to proof. */
  readonly measuredMs: number | undefined;
  /** What a copy carries at this moment, in bytes; with snapshots what the newest of them ask for, all together, or 0 before there are any. */
  readonly bytes: number;
}

/** Returns that went back to a plan's copies, oldest first. */
export const returnsOf = (facts: Facts, namespace: string, plan: string): BackupReturn[] =>
  facts
    .list('BackupReturn', namespace)
    .filter((one) => one.spec.plan === plan)
    .sort((a, b) => (a.status?.beganMs ?? Infinity) - (b.status?.beganMs ?? Infinity));

/** Claims that were made from a plan's snapshots and are bound. */
export function claimsBack(facts: Facts, plan: BackupPlan): string[] {
  const namespace = plan.metadata.namespace ?? '';
  const snapshots = new Set(runsOf(facts, namespace, plan.metadata.name).flatMap((one) => one.status?.snapshots ?? []));
  return facts
    .list('PersistentVolumeClaim', namespace)
    .filter(
      ({ spec, status }) => status?.phase === 'Bound' && spec.dataSource?.kind === 'VolumeSnapshot' && snapshots.has(spec.dataSource.name)
    )
    .map((one) => one.metadata.name);
}

/** The moment that can be gone back to last: of the newest good copy, or of the log behind it. */
export function latestMs(facts: Facts, plan: BackupPlan): number | undefined {
  const good = doneOf(runsOf(facts, plan.metadata.namespace ?? '', plan.metadata.name)).at(-1);
  if (!good) return undefined;
  const shipped = plan.spec.how === 'copy-and-log' ? (plan.status?.pieces?.at(-1)?.toMs ?? 0) : 0;
  return Math.max(good.momentMs, shipped);
}

/** The figures of a plan as it stands. Recovery point: the longest gap of its schedule and the copy's own time; with the log its pace. */
export function figuresOf(facts: Facts, plan: BackupPlan): Figures {
  const { namespace = '', name } = plan.metadata;
  const { schedule, timeZone, suspend, how, workload, into, logEverySeconds } = plan.spec;
  const all = doneOf(runsOf(facts, namespace, name));
  const newest = all.at(-1);
  const chain = (newest && chainTo(all, newest)) ?? [];
  // A copy of changes alone says nothing of the whole; it comes back with all that it builds on.
  const weighed = (newest?.status?.base === undefined ? newest : chain[0])?.status?.bytes ?? 0;
  const later = chain.slice(1).reduce((sum, one) => sum + (one.status?.bytes ?? 0), 0);
  const bytes = how === 'snapshots' ? weighed : Math.max(weighed, carriedBytes(facts, namespace, workload));
  const overLink = into && linkPerSecond(facts, into);
  const out = how === 'snapshots' ? stepSpans.copying.drawMs : carriedMs(bytes, 'out', overLink);
  const gap = suspend ? undefined : longestGapMs(schedule, timeZone, facts.nowMs);
  const losesMs = gap === undefined ? undefined : how === 'copy-and-log' ? logEverySeconds * 1_000 + 5_000 : gap + out[1];
  const latest = latestMs(facts, plan);
  const done = returnsOf(facts, namespace, name)
    .filter((one) => one.status?.phase === 'Done')
    .at(-1)?.status;
  const losesNowMs = latest === undefined ? undefined : Math.max(0, facts.nowMs - latest);
  return {
    losesMs,
    losesNowMs,
    couldLoseMs: losesMs === undefined || losesNowMs === undefined ? undefined : Math.max(losesMs, losesNowMs),
    // Claims are made from snapshots beside each other, as any other.
    backMs: how === 'snapshots' ? stepSpans.provisioning.normalMs : carriedMs(bytes + later, 'back', overLink),
    measuredMs: done?.endedMs === undefined ? undefined : done.endedMs - done.beganMs,
    bytes
  };
}

/** When a plan's next run comes, in virtual ms; undefined where none does. */
export function nextRunMs(facts: Facts, { spec, metadata }: BackupPlan): number | undefined {
  if (spec.suspend) return undefined;
  const since = Math.max(facts.nowMs, momentOf(metadata.creationTimestamp ?? '1970-01-01T00:00:00Z'));
  const next = nextOf(spec.schedule, spec.timeZone, epochMs + since);
  return next === undefined ? undefined : next - epochMs;
}
