import { clockOf } from '../../shared';
import { refOf, type BackupPlan, type BackupRun, type Facts, type Mirror } from '../../model';
import { carriedBytes, carriedMs, doneOf, linkNamesFault, linkPerSecond, runByHand, runsOf } from '../../standin';
import { compact, field, lastEvent, look } from '../evidence';
import { linkRemedy } from '../over';
import type { JointRule, Look, Remedy } from '../types';

/** So long a mirror usually takes until it has all of it, in ms; made up. */
const startingMs = [2_000, 60_000] as const;

function remedyOf(facts: Facts, plan: BackupPlan, { status }: BackupRun): Remedy {
  const { into } = plan.spec;
  const link = status?.at?.kind === 'Link' && into ? linkNamesFault(facts, into.cluster ?? '') : undefined;
  if (link) return linkRemedy(facts, link);
  const text = status?.remedy ?? 'See why, and run it again.';
  return { text: `${text} Then run it again.`, manifests: [runByHand(facts, plan)], press: 'Put one more run in a draft' };
}

function copiesLook(facts: Facts, plan: BackupPlan): Look {
  const { name, namespace = '' } = plan.metadata;
  const runs = runsOf(facts, namespace, name);
  const last = runs.at(-1);
  const good = doneOf(runs).at(-1);
  const shipping = plan.status?.shipping?.says;
  const since = good ? `the last good copy shows ${clockOf(good.momentMs)}` : 'there is no good copy';
  const objects = [refOf(plan), ...(last ? [refOf(last)] : [])];
  const evidence = compact([
    field(plan, 'spec.schedule', plan.spec.schedule),
    last && field(last, 'status.phase', last.status?.phase),
    last && field(last, 'status.says', last.status?.says),
    lastEvent(facts, plan, ['LogNotTaken', 'BackupStillRuns'])
  ]);
  if (!last)
    return look('waiting', name, plan.spec.suspend ? 'it is suspended, and no copy was ever made' : 'no copy has been made yet', {
      objects,
      evidence,
      remedy: { text: 'Wait for its moment, or run it now.', manifests: [runByHand(facts, plan)], press: 'Put one more run in a draft' }
    });
  if (last.status?.phase === 'Failed')
    return look('broken', name, `${last.metadata.name} failed: ${last.status.says ?? 'nothing was said'}; ${since}`, {
      objects,
      evidence,
      remedy: remedyOf(facts, plan, last)
    });
  if (last.status?.phase !== 'Done')
    return look('settling', name, `${last.metadata.name} is under way`, {
      objects,
      evidence,
      settling: {
        sinceMs: last.status?.beganMs ?? facts.nowMs,
        normalMs: carriedMs(
          carriedBytes(facts, namespace, plan.spec.workload),
          'out',
          plan.spec.into && linkPerSecond(facts, plan.spec.into)
        )
      }
    });
  if (shipping !== undefined)
    return look('broken', name, `the log is not taken away: ${shipping}; ${since}`, {
      objects,
      evidence,
      remedy: {
        text: 'Mend what is said; the log is tried again by itself, and what the engine no longer has is a gap until the next copy.'
      }
    });
  return look('holds', name, `${last.status.says ?? 'a copy'}, as of ${clockOf(last.status.momentMs ?? 0)}`, { objects, evidence });
}

/** Whether a workload that follows another one has what was written there. */
function mirrorLook(facts: Facts, mirror: Mirror): Look {
  const { status, spec, metadata } = mirror;
  const { from, workload } = spec;
  const link = linkNamesFault(facts, from.cluster);
  const evidence = compact([field(mirror, 'status.phase', status?.phase), field(mirror, 'status.says', status?.says)]);
  const had = status?.momentMs === undefined ? 'it never held all of it' : `it holds what was written by ${clockOf(status.momentMs)}`;
  const more = { objects: [refOf(mirror)], evidence };
  const { name } = metadata;
  if (status?.phase === 'Behind') {
    const remedy = link ? linkRemedy(facts, link) : { text: status.remedy ?? 'It tries again by itself.' };
    return look('broken', name, `${workload} can't follow: ${status.says}; ${had}`, { ...more, remedy });
  }
  if (status?.phase === 'Promoted') return look('holds', name, status.says, more);
  if (status?.phase !== 'Follows') {
    const settling = { sinceMs: status?.sinceMs ?? facts.nowMs, normalMs: startingMs };
    return look('settling', name, `${workload} takes over what ${from.workload} of ${from.cluster} holds`, { ...more, settling });
  }
  return look('holds', name, `${workload} follows ${from.workload} of ${from.cluster}: ${had}`, more);
}

/** Is there a good copy, and does the next one come about? */
export const copies = {
  id: 'copies' as const,
  shared: true,
  title: 'Copies',
  why: 'Members that agree lose the same rows together when somebody drops them by mistake. Only a copy that lies elsewhere, is made again and again, and has been put back once, brings them back.',
  perClaim: false,
  look: ({ facts, plan, mirror, over }) =>
    plan ? copiesLook(over?.home ?? facts, plan) : mirror && mirrorLook(over?.home ?? facts, mirror)
} satisfies JointRule;
