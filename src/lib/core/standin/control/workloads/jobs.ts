import { momentOf, same, stampOf, suffix } from '../../../shared';
import { conditionOf, isReady, refOf, takesRoom, type Condition, type Facts, type Job, type Pod } from '../../../model';
import { idOf, itself, splitKey, withCondition, type ClusterAccess, type Loop } from '../loop';
import { controllerId, makePod } from './pods';

const podsOf = (world: ClusterAccess, job: Job): Pod[] =>
  world.store.ownedBy(job.metadata.uid ?? '').filter((one): one is Pod => one.kind === 'Pod');

/** Whether a job has ended, and how. */
export const jobState = (job: Job | undefined): 'running' | 'complete' | 'failed' =>
  conditionOf(job?.status?.conditions, 'Complete')?.status === 'True'
    ? 'complete'
    : conditionOf(job?.status?.conditions, 'Failed')?.status === 'True'
      ? 'failed'
      : 'running';

/** A job that has ended goes by itself, where it says so. Source: "Automatic Cleanup for Finished Jobs". */
function goes(world: ClusterAccess, job: Job, key: string): void {
  const { ttlSecondsAfterFinished } = job.spec;
  const ended = job.status?.conditions?.find((one) => one.type === 'Complete' || one.type === 'Failed')?.lastTransitionTime;
  if (ttlSecondsAfterFinished === undefined || ended === undefined) return;
  const left = momentOf(ended) + ttlSecondsAfterFinished * 1_000 - world.nowMs;
  if (left > 0) world.after(left, key);
  else world.remove(refOf(job));
}

/**
 * Jobs: so many pods side by side until enough have succeeded, too many have failed, or the time is up. Source: the cluster API's "Jobs".
 * Which index a pod has isn't played out.
 */
export const jobs: Loop = {
  id: 'jobs',
  watches: {
    Job: itself,
    Pod: (now, before) => {
      if (now?.status?.phase === before?.status?.phase && now) return [];
      const id = controllerId(now ?? before, 'Job');
      return id ? [id] : [];
    }
  },
  reconcile(world, key) {
    const job = world.store.get('Job', ...splitKey(key));
    if (!job || job.metadata.deletionTimestamp) return;
    if (jobState(job) !== 'running') return goes(world, job, key);
    const pods = podsOf(world, job);
    const of = (phase: string) => pods.filter((pod) => pod.status?.phase === phase).length;
    const [succeeded, failed] = [of('Succeeded'), of('Failed')];
    const running = pods.filter(takesRoom);
    const wanted = job.spec.completions ?? 1;
    const end = succeeded >= wanted ? complete : endOf(world, job, failed);
    const suspended = job.spec.suspend === true && !end;
    if (suspended || (end && end !== complete)) for (const pod of running) if (!pod.metadata.deletionTimestamp) world.remove(refOf(pod));
    const startTime = suspended ? undefined : (job.status?.startTime ?? stampOf(world.nowMs));
    const conditions = conditionsOf(world, job, suspended, end);
    const status: Job['status'] = {
      ...(startTime === undefined ? {} : { startTime }),
      active: running.length,
      succeeded,
      failed,
      ...(end === complete ? { completionTime: stampOf(world.nowMs) } : {}),
      ...(conditions ? { conditions } : {})
    };
    if (!same(status, job.status)) {
      const told = world.put({ ...job, status });
      if (end) world.event(told, end.reason, end.message, end === complete ? 'Normal' : 'Warning');
    }
    if (end || suspended) {
      if (end && job.spec.ttlSecondsAfterFinished !== undefined) world.after(Math.max(1, job.spec.ttlSecondsAfterFinished * 1_000), key);
      return;
    }
    if (job.spec.activeDeadlineSeconds !== undefined && startTime !== undefined)
      world.after(Math.max(1, momentOf(startTime) + job.spec.activeDeadlineSeconds * 1_000 - world.nowMs), key, true);
    const side = besides(job, succeeded);
    for (const pod of beyond(running, side)) world.remove(refOf(pod));
    for (let i = running.length; i < side; i += 1) {
      const name = `${job.metadata.name}-${suffix(world.seed, `${idOf(job)}#${pods.length + i - running.length}`)}`;
      const made = makePod(world, {
        owner: job,
        name,
        template: job.spec.template,
        labels: { 'job-name': job.metadata.name }
      });
      if (!made) return;
    }
  }
};

/** How many pods of a job run side by side while so many have succeeded. Source: JobSpec v1 batch, parallelism. */
export const besides = ({ spec }: Job, succeeded: number): number => Math.min(spec.parallelism ?? 1, (spec.completions ?? 1) - succeeded);

/** Those that a job ends when fewer may run side by side: first what isn't ready, then the youngest. */
function beyond(running: readonly Pod[], side: number): Pod[] {
  const active = running.filter((pod) => !pod.metadata.deletionTimestamp);
  const last = active.map((pod, nth) => ({ pod, nth })).sort((a, b) => Number(isReady(a.pod)) - Number(isReady(b.pod)) || b.nth - a.nth);
  return last.slice(0, Math.max(0, active.length - side)).map(({ pod }) => pod);
}

/** The pods of a job that end when it is as it is written: all that run where it is suspended, else those beyond what may run side by side. */
export function jobEnds(facts: Facts, job: Job): Pod[] {
  if (jobState(job) !== 'running') return [];
  const pods = facts.ownedBy(job.metadata.uid ?? '').filter((one): one is Pod => one.kind === 'Pod');
  const running = pods.filter((pod) => takesRoom(pod) && !pod.metadata.deletionTimestamp);
  return job.spec.suspend ? running : beyond(running, besides(job, pods.filter((pod) => pod.status?.phase === 'Succeeded').length));
}

interface End {
  readonly reason: string;
  readonly message: string;
}
const complete: End = { reason: 'Completed', message: 'The job is done.' };

/** Why a job is given up, if it is. Source: JobSpec v1 batch, backoffLimit (6 by default) and activeDeadlineSeconds. */
function endOf(world: ClusterAccess, job: Job, failed: number): End | undefined {
  if (failed > (job.spec.backoffLimit ?? 6))
    return { reason: 'BackoffLimitExceeded', message: `The job has failed ${failed} times and is given up.` };
  const { activeDeadlineSeconds } = job.spec;
  const started = job.status?.startTime;
  if (activeDeadlineSeconds === undefined || started === undefined || world.nowMs < momentOf(started) + activeDeadlineSeconds * 1_000)
    return undefined;
  return { reason: 'DeadlineExceeded', message: `The job was not done within ${activeDeadlineSeconds} s and is given up.` };
}

function conditionsOf(world: ClusterAccess, job: Job, suspended: boolean, end: End | undefined): Condition[] | undefined {
  const stamp = stampOf(world.nowMs);
  const old = job.status?.conditions;
  if (end === complete) return withCondition(old, { type: 'Complete', status: 'True' }, stamp);
  if (end) return withCondition(old, { type: 'Failed', status: 'True', reason: end.reason, message: end.message }, stamp);
  if (suspended || conditionOf(old, 'Suspended'))
    return withCondition(
      old,
      suspended
        ? { type: 'Suspended', status: 'True', reason: 'JobSuspended', message: 'The job is suspended.' }
        : { type: 'Suspended', status: 'False', reason: 'JobResumed', message: 'The job goes on.' },
      stamp
    );
  return old;
}
