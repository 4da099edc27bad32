import { bytesOf, epochMs, momentsOf } from '../shared';
import type { BackupPlan, Facts } from '../model';
import { assetsOf, carriedBytes, doneOf, enginePartOf, keptOf, podsRunning, roomIn, runsOf, storeLayout } from '../standin';

/** What a plan's copies take from a moment on (virtual ms). */
export interface RoomPoint {
  readonly atMs: number;
  readonly copies: number;
  readonly bytes: number;
}

/** The room that copies take from now on, and where they lie. */
export interface RoomAhead {
  /** As it is now, then after each copy that comes; of many that come between two, the one that takes most. */
  readonly points: readonly RoomPoint[];
  /** How far it looks ahead, in ms. */
  readonly overMs: number;
  /** The most that they take in that time, in bytes. */
  readonly mostBytes: number;
  /** What the store holds in all, in bytes; undefined where copies lie with the volumes, or the store can't be seen. */
  readonly storeBytes?: number;
  /** The most that the copies of other plans take in the same store, in bytes. */
  readonly othersBytes: number;
}

/** So far is looked ahead; asked for by the design. */
export const aheadDays = 90;
const dayMs = 86_400_000;
/** More copies than these aren't looked at one by one: an hourly plan comes to 2,160. */
const mostCopies = 2_400;
/** So many points are enough for a curve. */
const mostPoints = 180;

/** What the copies of snapshots ask for: the sizes of all that members have mounted. */
const sizesOf = (facts: Facts, namespace: string, workload: string): number =>
  podsRunning(facts, namespace, workload)
    .flatMap((pod) => assetsOf(facts, pod))
    .reduce((sum, one) => sum + bytesOf(one.spec.size), 0);

/** What an object store holds, by its volumes and parity; undefined where nothing of it runs. */
export function storeBytes(facts: Facts, namespace: string, store: string): number | undefined {
  const pods = podsRunning(facts, namespace, store).filter((pod) => enginePartOf(pod)?.part === 'member');
  const volumes = pods.flatMap((pod) => assetsOf(facts, pod));
  const each = pods[0] ? assetsOf(facts, pods[0]).length : 0;
  if (!each) return undefined;
  const parity = Number(facts.get('Process', namespace, pods[0]!.metadata.name)?.spec.options.parity ?? 1);
  return storeLayout(pods.length, each, Math.min(...volumes.map(roomIn)), Math.min(parity, Math.floor(pods.length / 2))).usableBytes;
}

function ahead(facts: Facts, plan: BackupPlan, overMs: number): RoomPoint[] {
  const { namespace = '', name } = plan.metadata;
  const { how, workload, schedule, timeZone, keep, suspend } = plan.spec;
  let done = doneOf(runsOf(facts, namespace, name)).map((one) => ({
    name: one.name,
    momentMs: one.momentMs,
    bytes: one.status?.bytes ?? 0
  }));
  // What is in no volume's fill is only seen once a copy has carried it, and is taken to stay as it was.
  const weighed = done.at(-1)?.bytes ?? 0;
  const bytesAt = (atMs: number): number =>
    how === 'snapshots'
      ? Math.max(weighed, sizesOf(facts, namespace, workload))
      : Math.max(weighed, carriedBytes(facts, namespace, workload, atMs));
  const point = (atMs: number): RoomPoint => ({ atMs, copies: done.length, bytes: done.reduce((sum, one) => sum + one.bytes, 0) });
  const points = [point(facts.nowMs)];
  const untilMs = facts.nowMs + overMs;
  const moments = suspend ? [] : momentsOf(schedule, timeZone, epochMs + facts.nowMs, epochMs + untilMs, mostCopies);
  for (const [n, moment] of moments.entries()) {
    const momentMs = moment - epochMs;
    const all = [...done, { name: `to-come-${n}`, momentMs, bytes: bytesAt(momentMs) }];
    const kept = keptOf(all, keep, timeZone);
    done = all.filter((one) => kept.has(one));
    points.push(point(momentMs));
  }
  return points;
}

/** Of many points those that take most, so that none that counts is left out. */
function thinned(points: readonly RoomPoint[]): RoomPoint[] {
  const each = Math.ceil(points.length / mostPoints);
  if (each <= 1) return [...points];
  return Array.from({ length: Math.ceil(points.length / each) }, (_, i) =>
    points.slice(i * each, (i + 1) * each).reduce((most, one) => (one.bytes > most.bytes ? one : most))
  );
}

/**
 * What a plan's copies take for so many days, by its schedule, its rule of keeping, and what the volumes hold by then. The log behind copies
 * isn't in it: how much that is follows from what is written over, and nothing tells that beforehand.
 */
export function roomAhead(facts: Facts, plan: BackupPlan, days = aheadDays): RoomAhead {
  const all = ahead(facts, plan, days * dayMs);
  const { into } = plan.spec;
  const holds = into && storeBytes(facts, into.namespace, into.store);
  const most = (points: readonly RoomPoint[]): number => Math.max(...points.map((one) => one.bytes));
  const others = into
    ? facts
        .list('BackupPlan')
        .filter(({ metadata, spec }) => {
          const same = metadata.name === plan.metadata.name && metadata.namespace === plan.metadata.namespace;
          return !same && spec.into?.store === into.store && spec.into.namespace === into.namespace;
        })
        .map((one) => most(ahead(facts, one, days * dayMs)))
    : [];
  // A plan that comes more often than can be looked at is told for as long as it was.
  const complete = all.length <= mostCopies;
  return {
    points: thinned(all),
    overMs: complete ? days * dayMs : all.at(-1)!.atMs - facts.nowMs,
    mostBytes: most(all),
    ...(holds === undefined ? {} : { storeBytes: holds }),
    othersBytes: others.reduce((sum, one) => sum + one, 0)
  };
}
