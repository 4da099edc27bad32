import { epochMs, momentOf, nextOf, same, stampOf } from '../../../shared';
import { ownerOf, refOf, type CronJob, type Job } from '../../../model';
import { quotaShut } from '../../admit/limits';
import { controllerId } from './pods';
import { jobState } from './jobs';
import { idOf, itself, splitKey, type ClusterAccess, type Loop } from '../loop';

/** How many done and failed jobs are kept where nothing is said. Source: CronJobSpec v1 batch, history limits. */
const usualKept = { complete: 3, failed: 1 };
/** Beyond so many missed moments nothing is begun any more. Source: the cluster API's "CronJob", limitations. */
const mostMissed = 100;

const jobsOf = (world: ClusterAccess, cron: CronJob): Job[] =>
  world.store.ownedBy(cron.metadata.uid ?? '').filter((one): one is Job => one.kind === 'Job');

/** The last moment that has come since a job was begun; and whether too many have been missed. */
function due(world: ClusterAccess, cron: CronJob): { atMs: number; tooMany: boolean } | undefined {
  const { schedule, timeZone, startingDeadlineSeconds: deadline } = cron.spec;
  const since = momentOf(cron.status?.lastScheduleTime ?? cron.metadata.creationTimestamp ?? stampOf(0));
  const from = deadline === undefined ? since : Math.max(since, world.nowMs - deadline * 1_000);
  let last: number | undefined;
  for (let next = nextOf(schedule, timeZone, epochMs + from), n = 0; next !== undefined && next - epochMs <= world.nowMs; n += 1) {
    last = next - epochMs;
    if (n >= mostMissed) return { atMs: last, tooMany: true };
    next = nextOf(schedule, timeZone, next);
  }
  return last === undefined ? undefined : { atMs: last, tooMany: false };
}

/** A job of the moment; its name follows from that, so that no moment gets two. Source: "CronJob", job names. */
function begin(world: ClusterAccess, cron: CronJob, atMs: number): boolean {
  const { name, namespace } = cron.metadata;
  const { metadata, spec } = cron.spec.jobTemplate;
  const job: Job = {
    apiVersion: 'batch/v1',
    kind: 'Job',
    metadata: {
      name: `${name}-${Math.round((epochMs + atMs) / 60_000)}`,
      ...(namespace === undefined ? {} : { namespace }),
      ...(metadata?.labels ? { labels: metadata.labels } : {}),
      annotations: { ...metadata?.annotations, 'batch.kubernetes.io/cronjob-scheduled-timestamp': stampOf(atMs) },
      ownerReferences: [ownerOf(cron)]
    },
    spec
  };
  if (world.store.find(refOf(job))) return true;
  const shut = quotaShut(world.store, job);
  if (shut) {
    world.event(cron, 'FailedCreate', `${job.metadata.name} can't be made: ${shut.message}. ${shut.remedy}`, 'Warning');
    return false;
  }
  world.put(job);
  world.event(cron, 'SuccessfulCreate', `Made job ${job.metadata.name}.`);
  return true;
}

function forget(world: ClusterAccess, jobs: readonly Job[], state: 'complete' | 'failed', most: number): void {
  const done = jobs.filter((one) => jobState(one) === state).sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));
  for (const one of done.slice(0, Math.max(0, done.length - most))) world.remove(refOf(one));
}

/** Begins jobs by the clock. Source: the cluster API's "CronJob". */
export const cronJobs: Loop = {
  id: 'cron-jobs',
  watches: {
    CronJob: itself,
    Job: (now, before) => {
      const id = now && before && jobState(now) === jobState(before) ? undefined : controllerId(now ?? before, 'CronJob');
      return id ? [id] : [];
    }
  },
  reconcile(world, key) {
    const cron = world.store.get('CronJob', ...splitKey(key));
    if (!cron || cron.metadata.deletionTimestamp) return;
    const { spec } = cron;
    const running = () => jobsOf(world, cron).filter((one) => jobState(one) === 'running' && !one.metadata.deletionTimestamp);
    const found = spec.suspend ? undefined : due(world, cron);
    let { lastScheduleTime } = cron.status ?? {};
    if (found?.tooMany)
      world.event(
        cron,
        'TooManyMissedTimes',
        `More than ${mostMissed} moments were missed; nothing is begun until startingDeadlineSeconds is set or shorter.`,
        'Warning'
      );
    else if (found) {
      const active = running();
      if (spec.concurrencyPolicy === 'Forbid' && active.length)
        world.event(cron, 'JobAlreadyActive', `${active[0]!.metadata.name} still runs, and only one may at a time.`);
      else {
        if (spec.concurrencyPolicy === 'Replace') for (const one of active) world.remove(refOf(one));
        if (begin(world, cron, found.atMs)) lastScheduleTime = stampOf(found.atMs);
      }
    }
    const jobs = jobsOf(world, cron);
    forget(world, jobs, 'complete', spec.successfulJobsHistoryLimit ?? usualKept.complete);
    forget(world, jobs, 'failed', spec.failedJobsHistoryLimit ?? usualKept.failed);
    const done = jobs.flatMap((one) => (jobState(one) === 'complete' ? (one.status?.completionTime ?? []) : [])).sort();
    const lastSuccessfulTime = done.at(-1) ?? cron.status?.lastSuccessfulTime;
    const active = running().map((one) => ({
      apiVersion: 'batch/v1',
      kind: 'Job',
      namespace: one.metadata.namespace ?? '',
      name: one.metadata.name,
      uid: one.metadata.uid ?? ''
    }));
    const status: CronJob['status'] = {
      ...(active.length ? { active } : {}),
      ...(lastScheduleTime === undefined ? {} : { lastScheduleTime }),
      ...(lastSuccessfulTime === undefined ? {} : { lastSuccessfulTime })
    };
    if (!same(status, cron.status ?? {})) world.put({ ...cron, status });
    const next = spec.suspend ? undefined : nextOf(spec.schedule, spec.timeZone, epochMs + world.nowMs);
    if (next !== undefined) world.after(Math.max(1, next - epochMs - world.nowMs), idOf(cron), true);
  }
};
