import { epochMs, momentOf, nextOf, same, stampOf } from '../../../shared';
import { refOf, type BackupPlan, type BackupRun, type Facts } from '../../../model';
import { splitKey, type ClusterAccess } from '../loop';
import { asked, type Asked } from './asking';
import { keptOf } from './retention';
import { bucketFault, engineFault, minuteOf, putFault } from './runs';

type Status = NonNullable<BackupPlan['status']>;
/** A piece of a log that lies in a bucket. */
export type LogPiece = NonNullable<Status['pieces']>[number];

/** So many missed moments are looked back for. */
const mostMissed = 100;
/** So many failed runs are kept; made up. */
const failedKept = 5;
/** How long is waited before something is taken away again that could not be; made up. */
const againMs = 60_000;

/** Runs of a plan, in the order in which they were begun. */
export const runsOf = (facts: Facts, namespace: string, plan: string): BackupRun[] =>
  facts
    .list('BackupRun', namespace)
    .filter((one) => one.spec.plan === plan)
    .sort((a, b) => (a.status?.beganMs ?? Infinity) - (b.status?.beganMs ?? Infinity) || (a.metadata.name < b.metadata.name ? -1 : 1));

/** Runs that are done, with the moment that each shows. */
export const doneOf = (runs: readonly BackupRun[]): (BackupRun & { momentMs: number; name: string })[] =>
  runs.flatMap((one) =>
    one.status?.phase === 'Done' && one.status.momentMs !== undefined
      ? [{ ...one, momentMs: one.status.momentMs, name: one.metadata.name }]
      : []
  );

function set(world: ClusterAccess, plan: BackupPlan, more: Partial<Status>): BackupPlan {
  const status = { ...plan.status, ...more };
  return same(status, plan.status ?? {}) ? plan : world.put({ ...plan, status });
}

/** Begins a run where its moment has come. */
function schedule(world: ClusterAccess, plan: BackupPlan, key: string): BackupPlan {
  const { name, namespace = '' } = plan.metadata;
  const { schedule: text, timeZone, suspend } = plan.spec;
  if (suspend) return plan;
  const since = plan.status?.scheduledMs ?? momentOf(plan.metadata.creationTimestamp ?? stampOf(world.nowMs));
  let last: number | undefined;
  let next = nextOf(text, timeZone, epochMs + since);
  for (let n = 0; next !== undefined && next - epochMs <= world.nowMs && n < mostMissed; n += 1) {
    last = next - epochMs;
    next = nextOf(text, timeZone, next);
  }
  if (next !== undefined) world.after(Math.max(1, next - epochMs - world.nowMs), key, true);
  if (last === undefined) return plan;
  const running = runsOf(world.store, namespace, name).find((one) => one.status?.phase === 'Running');
  const run = `${name}-${minuteOf(last)}`;
  if (running) world.event(plan, 'BackupStillRuns', `${running.metadata.name} still runs; the copy of this moment is left out.`, 'Warning');
  else if (!world.store.get('BackupRun', namespace, run))
    world.put({ apiVersion: 'standin.example/v1', kind: 'BackupRun', metadata: { name: run, namespace }, spec: { plan: name } });
  return set(world, plan, { scheduledMs: last });
}

/** Takes an object away from the bucket. Gives whether it is gone. */
function deleted(world: ClusterAccess, plan: BackupPlan, key: string, object: string): boolean {
  const { into } = plan.spec;
  if (!into || bucketFault(world.store, plan)) return false;
  const op = { do: 'delete', place: into.bucket, key: object };
  const got = asked(world, key, `delete-${object.split('/').at(-1)}`, { namespace: into.namespace, workload: into.store }, op);
  if (got && got.outcome !== 'acknowledged') world.after(againMs, key, true);
  return got?.outcome === 'acknowledged';
}

/** Takes away what is no longer kept, one thing after the other; what can't be taken away stays and is tried again. */
function forget(world: ClusterAccess, plan: BackupPlan, key: string): BackupPlan {
  const { name, namespace = '' } = plan.metadata;
  const runs = runsOf(world.store, namespace, name);
  const done = doneOf(runs);
  const kept = keptOf(done, plan.spec.keep, plan.spec.timeZone);
  const failed = runs.filter((one) => one.status?.phase === 'Failed');
  for (const one of failed.slice(0, Math.max(0, failed.length - failedKept))) world.drop(refOf(one));
  for (const one of done) {
    if (kept.has(one)) continue;
    if (one.status?.key !== undefined && !deleted(world, plan, key, one.status.key)) {
      world.after(againMs, key, true);
      return plan;
    }
    for (const snapshot of one.status?.snapshots ?? []) {
      const found = world.store.get('VolumeSnapshot', namespace, snapshot);
      if (found && !found.metadata.deletionTimestamp) world.remove(refOf(found));
    }
    world.event(plan, 'BackupForgotten', `${one.metadata.name} is no longer kept.`);
    world.drop(refOf(one));
  }
  const oldest = Math.min(...[...kept].map((one) => one.status?.position ?? Infinity));
  const pieces = plan.status?.pieces ?? [];
  const away = pieces.find((one) => one.to < oldest && Number.isFinite(oldest));
  if (!away || !deleted(world, plan, key, away.key)) return plan;
  world.after(1_000, key);
  return set(world, plan, { pieces: pieces.filter((one) => one !== away) });
}

interface Shipment {
  readonly got: Asked;
  readonly from: number;
  readonly fromMs: number;
}

/** Takes the engine's log away, piece by piece. */
function ship(world: ClusterAccess, plan: BackupPlan, key: string): void {
  const { name, namespace = '' } = plan.metadata;
  const everyMs = plan.spec.logEverySeconds * 1_000;
  const newest = doneOf(runsOf(world.store, namespace, name)).at(-1);
  if (!newest || plan.spec.suspend) return;
  const hands = world.memory<Shipment>('logHands');
  const { pieces = [], shipping } = plan.status ?? {};
  const last = pieces.at(-1);
  // After a gap the log begins anew at the newest copy.
  const position = newest.status!.position ?? 0;
  const broken = last !== undefined && shipping?.says !== undefined && position > last.to;
  const from = last === undefined || broken ? position : last.to;
  const fromMs = last === undefined || broken ? newest.momentMs : last.toMs;
  const over = (says?: string, more: Partial<Status> = {}) => {
    hands.delete(key);
    if (says !== undefined) world.event(plan, 'LogNotTaken', `${says}.`, 'Warning');
    set(world, plan, { ...more, shipping: { atMs: world.nowMs, ...(says === undefined ? {} : { says }) } });
    world.after(everyMs, key, true);
  };
  let hand = hands.get(key);
  if (!hand) {
    const dueMs = (shipping?.atMs ?? newest.status!.endedMs ?? 0) + (shipping ? everyMs : 0);
    if (world.nowMs < dueMs) return world.after(dueMs - world.nowMs, key, true);
    const fault = engineFault(world.store, plan) ?? bucketFault(world.store, plan);
    if (fault) return over(fault.says);
    const got = asked(world, key, 'log', { namespace, workload: plan.spec.workload }, { do: 'log', version: from });
    if (!got) return;
    if (got.outcome !== 'acknowledged') return over(`the log was not handed out: ${got.says ?? 'nobody answered'}`);
    if ((got.version ?? 0) < from)
      return over(`the log went back from position ${from} to ${got.version ?? 0}: what lay between was lost with the member that led`);
    hand = { got, from, fromMs };
    hands.set(key, hand);
  }
  const { got } = hand;
  const to = got.version ?? hand.from;
  const toMs = got.answeredMs ?? world.nowMs;
  // Where nothing was written the last piece reaches further.
  if (last && to === hand.from && last.to === to && !broken)
    return over(undefined, { pieces: [...pieces.slice(0, -1), { ...last, toMs }] });
  const fault = bucketFault(world.store, plan);
  if (fault) return over(fault.says);
  const object = `${namespace}.${name}/log-${hand.from}-${to}-${Math.round(toMs / 1_000)}`;
  const { namespace: at, store, bucket } = plan.spec.into!;
  const op = { do: 'put', place: bucket, key: object, value: JSON.stringify(got.rows ?? []) };
  const put = asked(world, key, 'ship', { namespace: at, workload: store }, op);
  if (!put) return;
  if (put.outcome !== 'acknowledged') return over(putFault(world.store, plan, put).says);
  over(undefined, { pieces: [...pieces, { key: object, from: hand.from, to, fromMs: hand.fromMs, toMs, checksum: got.checksum ?? '' }] });
}

/** Follows a plan: begins its runs, takes the log away, and forgets what is no longer kept. */
export function reconcilePlan(world: ClusterAccess, key: string, id: string): void {
  const [namespace, name] = splitKey(id);
  const plan = world.store.get('BackupPlan', namespace, name);
  if (!plan || plan.metadata.deletionTimestamp) {
    world.memory<Shipment>('logHands').delete(key);
    return;
  }
  const scheduled = schedule(world, plan, key);
  const left = forget(world, scheduled, key);
  if (left.spec.how === 'copy-and-log') ship(world, left, key);
}
