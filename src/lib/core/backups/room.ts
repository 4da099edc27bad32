import { bytesOf, epochMs, momentsOf } from '../shared';
import type { BackupPlan, BackupRun, Facts } from '../model';
import {
  assetsOf,
  carriedBytes,
  chainTo,
  doneOf,
  isFar,
  keptOf,
  podsRunning,
  roomIn,
  runsOf,
  storeFacts,
  storeLayoutOf,
  withBases
} from '../standin';

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
  const volumes = podsRunning(facts, namespace, store).flatMap((pod) => assetsOf(facts, pod));
  return volumes.length ? storeLayoutOf(facts, { namespace, name: store }, Math.min(...volumes.map(roomIn))).usableBytes : undefined;
}

/** A copy that lies there, or is to come. */
interface Copy {
  readonly name: string;
  readonly momentMs: number;
  readonly bytes: number;
  readonly status: Pick<NonNullable<BackupRun['status']>, 'base'>;
}

function ahead(facts: Facts, plan: BackupPlan, overMs: number): RoomPoint[] {
  const { namespace = '', name } = plan.metadata;
  const { how, workload, schedule, timeZone, keep, suspend, fullEvery } = plan.spec;
  let done: Copy[] = doneOf(runsOf(facts, namespace, name)).map((one) => ({
    name: one.name,
    momentMs: one.momentMs,
    bytes: one.status?.bytes ?? 0,
    status: one.status ?? {}
  }));
  // What is in no volume's fill is only seen once a copy has carried it, and is taken to stay as it was.
  const weighed = done.filter((one) => one.status.base === undefined).at(-1)?.bytes ?? 0;
  // How much changes between two copies nobody can tell: as much as the last time, and all of it where there was none.
  const changes = done.filter((one) => one.status.base !== undefined).at(-1)?.bytes;
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
    const last = done.at(-1);
    const chain = last && fullEvery > 1 ? chainTo(done, last) : undefined;
    const base = chain && chain.length < fullEvery ? last!.name : undefined;
    const bytes = base === undefined ? bytesAt(momentMs) : Math.min(changes ?? Infinity, bytesAt(momentMs));
    const all = [...done, { name: `to-come-${n}`, momentMs, bytes, status: { base } }];
    const kept = withBases(keptOf(all, keep, timeZone), all);
    done = all.filter((one) => kept.has(one));
    points.push(point(momentMs));
  }
  return points;
}

/** Of many points those that take most, so that none that counts is left out, and the last. */
function thinned(points: readonly RoomPoint[]): RoomPoint[] {
  const each = Math.ceil(points.length / mostPoints);
  if (each <= 1) return [...points];
  const inner = points.slice(0, -1);
  const few = Array.from({ length: Math.ceil(inner.length / each) }, (_, i) =>
    inner.slice(i * each, (i + 1) * each).reduce((most, one) => (one.bytes > most.bytes ? one : most))
  );
  return [...few, points.at(-1)!];
}

const idOf = ({ metadata }: BackupPlan): string => `${metadata.namespace}/${metadata.name}`;
const mostOf = (points: readonly RoomPoint[]): number => Math.max(...points.map((one) => one.bytes));

/** The store that a plan copies into, with the cluster that it stands in; '' where it copies into none. */
function placeOf(facts: Facts, { spec: { into } }: BackupPlan): string {
  return into ? `${(isFar(facts, into) ? into.cluster : facts.elsewhere?.here) ?? ''}/${into.namespace}/${into.store}` : '';
}

/**
 * What the copies of all plans take for so many days, by `namespace/name`: by their schedules, their rules of keeping, and what the volumes hold
 * by then. The log behind copies isn't in it: how much that is follows from what is written over, and nothing tells that beforehand.
 */
export function roomsAhead(facts: Facts, days = aheadDays): Map<string, RoomAhead> {
  const overMs = days * dayMs;
  const seen = (at: Facts, plan: BackupPlan) => ({ plan, place: placeOf(at, plan), all: ahead(at, plan, overMs) });
  const plans = facts.list('BackupPlan').map((plan) => seen(facts, plan));
  // Plans of linked clusters that copy into the same stores fill them, too.
  const places = new Set(plans.map((one) => one.place));
  const { here = '', clusters = [] } = facts.elsewhere ?? {};
  const far = clusters.flatMap((cluster) => {
    const there = cluster === here ? undefined : facts.elsewhere!.facts(cluster);
    const all = there?.list('BackupPlan') ?? [];
    return all.filter((plan) => plan.spec.into && places.has(placeOf(there!, plan))).map((plan) => seen(there!, plan));
  });
  return new Map(
    plans.map(({ plan, place, all }) => {
      const { into } = plan.spec;
      const there = into && storeFacts(facts, into);
      const holds = into && there && storeBytes(there, into.namespace, into.store);
      const beside = into ? [...plans, ...far].filter((one) => one.plan !== plan && one.place === place) : [];
      const room: RoomAhead = {
        points: thinned(all),
        // A plan that comes more often than can be looked at is told for as long as it was.
        overMs: all.length <= mostCopies ? overMs : all.at(-1)!.atMs - facts.nowMs,
        mostBytes: mostOf(all),
        ...(holds === undefined ? {} : { storeBytes: holds }),
        othersBytes: beside.reduce((sum, one) => sum + mostOf(one.all), 0)
      };
      return [idOf(plan), room] as const;
    })
  );
}

/** As above, of one plan that stands. */
export const roomAhead = (facts: Facts, plan: BackupPlan, rooms: ReadonlyMap<string, RoomAhead> = roomsAhead(facts)): RoomAhead =>
  rooms.get(idOf(plan))!;
