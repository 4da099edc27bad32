import type { At } from './at';
import { schedule } from './workloads';

/** How long a plan's name may be: names of runs and snapshots begin with it. Made up. */
const longestPlan = 100;

/** A plan of copies: a schedule as CronJobs have them, and a bucket where the copies need one. The stand-in's own. */
export function backupPlan(at: At): void {
  const spec = at.of('spec');
  schedule(spec);
  const copies = spec.of('how').text;
  if (copies !== undefined && copies !== 'snapshots' && !spec.of('into').there)
    spec.of('into').refuse('is missing: copies through the engine need a bucket', 'Name namespace, store and bucket.', 'missing-field');
  if (copies === 'snapshots' && spec.of('into').there)
    spec.of('into').refuse('has no meaning for snapshots, which lie where their volumes lie', 'Leave it out.');
  if (copies === 'snapshots') {
    spec.of('seal').forbid('has no meaning for snapshots, which lie where their volumes lie');
    const every = spec.of('fullEvery');
    // 1 is what every plan has that says nothing.
    if (typeof every.value === 'number' && every.value > 1) every.forbid('has no meaning for snapshots: a driver takes them as it does');
  }
  const name = at.of('metadata', 'name');
  if ((name.text?.length ?? 0) > longestPlan)
    name.refuse(`has ${name.text!.length} characters; a plan's name may have ${longestPlan}`, 'Shorten it.', 'bad-name');
}

const stamp = /^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)$/;

/** A copy that is put back. The stand-in's own. */
export function backupReturn(at: At): void {
  const to = at.of('spec', 'to');
  if (to.text !== undefined)
    to.follows(
      (text) => (stamp.test(text) && Number.isFinite(Date.parse(text)) ? undefined : 'is no moment'),
      'Write one as in 2026-03-02T14:31:59Z (RFC 3339).'
    );
}
