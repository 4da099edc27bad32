import { same, stampOf, suffix } from '../../../shared';
import { conditionOf, type Job, type Pod } from '../../../model';
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

/** Jobs: one pod at a time until one succeeds, or until too many have failed. Source: the cluster API's "Jobs", back-off limit 6. */
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
    if (!job || job.metadata.deletionTimestamp || jobState(job) !== 'running') return;
    const pods = podsOf(world, job);
    const of = (phase: string) => pods.filter((pod) => pod.status?.phase === phase).length;
    const [succeeded, failed] = [of('Succeeded'), of('Failed')];
    const active = pods.length - succeeded - failed;
    const stamp = stampOf(world.nowMs);
    const done = succeeded >= (job.spec.completions ?? 1);
    const given = !done && failed > (job.spec.backoffLimit ?? 6);
    const old = job.status?.conditions;
    const conditions = done
      ? withCondition(old, { type: 'Complete', status: 'True' }, stamp)
      : given
        ? withCondition(
            old,
            { type: 'Failed', status: 'True', reason: 'BackoffLimitExceeded', message: `${failed} pods of it have failed.` },
            stamp
          )
        : old;
    const status: Job['status'] = {
      startTime: job.status?.startTime ?? stamp,
      active,
      succeeded,
      failed,
      ...(done ? { completionTime: stamp } : {}),
      ...(conditions ? { conditions } : {})
    };
    if (!same(status, job.status)) {
      const ended = world.put({ ...job, status });
      if (done) world.event(ended, 'Completed', 'The job is done.');
      if (given) world.event(ended, 'BackoffLimitExceeded', `The job has failed ${failed} times and is given up.`, 'Warning');
    }
    if (done || given || active > 0) return;
    const name = `${job.metadata.name}-${suffix(world.seed, `${idOf(job)}#${pods.length}`)}`;
    makePod(world, {
      owner: job,
      name,
      template: job.spec.template,
      labels: { 'job-name': job.metadata.name },
      spec: { restartPolicy: 'Never' }
    });
  }
};
