import { epochMs, momentOf, nextOf, stampOf } from '../../../shared';
import { refOf, type BackupPlan } from '../../../model';
import { splitKey, type ClusterAccess } from '../loop';
import { asked, dropAsks } from './asking';
import { bucketFault, doneOf, runsOf, storeOf, type Bucket } from './facts';
import { keptOf, withBases } from './retention';
import { note, ship } from './shipping';

/** So many missed moments are looked back for; made up. */
const mostMissed = 100;
/** So many failed runs are kept; made up. */
const failedKept = 5;
/** How long is waited before something is taken away again that could not be; made up. */
const againMs = 60_000;

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
  // The calendar's minute is part of its name, so that no moment gets two.
  const run = `${name}-${Math.round((epochMs + last) / 60_000)}`;
  if (running) world.event(plan, 'BackupStillRuns', `${running.metadata.name} still runs; the copy of this moment is left out.`, 'Warning');
  else if (!world.store.get('BackupRun', namespace, run))
    world.put({ apiVersion: 'standin.example/v1', kind: 'BackupRun', metadata: { name: run, namespace }, spec: { plan: name } });
  return note(world, plan, { scheduledMs: last });
}

/** Takes an object away from the bucket where it lies. Gives whether it is gone; what is not is tried again. */
function deleted(world: ClusterAccess, key: string, object: string, into: Bucket): boolean {
  const op = { do: 'delete', place: into.bucket, key: object };
  const got = bucketFault(world.store, into) ? undefined : asked(world, key, `delete-${object.split('/').at(-1)}`, storeOf(into), op);
  if (got?.outcome === 'acknowledged') return true;
  world.after(againMs, key, true);
  return false;
}

/** Takes away what is no longer kept, one thing after the other; what can't be taken away stays and is tried again. */
function forget(world: ClusterAccess, plan: BackupPlan, key: string): BackupPlan {
  const { name, namespace = '' } = plan.metadata;
  const runs = runsOf(world.store, namespace, name);
  const done = doneOf(runs);
  const kept = withBases(keptOf(done, plan.spec.keep, plan.spec.timeZone), done);
  const failed = runs.filter((one) => one.status?.phase === 'Failed');
  for (const one of failed.slice(0, Math.max(0, failed.length - failedKept))) world.drop(refOf(one));
  for (const one of done) {
    if (kept.has(one)) continue;
    const { key: object, into, snapshots = [] } = one.status!;
    if (object !== undefined && into && !deleted(world, key, object, into)) return plan;
    for (const snapshot of snapshots) {
      const found = world.store.get('VolumeSnapshot', namespace, snapshot);
      if (found && !found.metadata.deletionTimestamp) world.remove(refOf(found));
    }
    world.event(plan, 'BackupForgotten', `${one.metadata.name} is no longer kept.`);
    world.drop(refOf(one));
  }
  const pieces = plan.status?.pieces ?? [];
  const oldestMs = Math.min(...[...kept].map((one) => one.momentMs));
  const away = kept.size ? pieces.find((one) => one.toMs <= oldestMs) : undefined;
  if (!away || !deleted(world, key, away.key, away.into)) return plan;
  world.after(1_000, key);
  return note(world, plan, { pieces: pieces.filter((one) => one !== away) });
}

/** Follows a plan: begins its runs, takes the log away, and forgets what is no longer kept. */
export function reconcilePlan(world: ClusterAccess, key: string, id: string): void {
  const plan = world.store.get('BackupPlan', ...splitKey(id));
  if (!plan) {
    world.memory('logHands').delete(key);
    world.memory('lastCopies').delete(id);
    return dropAsks(world, key);
  }
  const left = forget(world, schedule(world, plan, key), key);
  if (left.spec.how === 'copy-and-log') ship(world, left, key);
}
