import { hash32, hex8, stableJson, wordsOf } from '../shared';
import type { Facts } from '../model';
import { workloadRef, reachedBefore, type World } from '../standin';
import type { Workload } from '../proofs';
import type { Load } from './load';
import type { Back, Cause, DrillScene, Measured } from './types';

/** So much longer than its pace a log is waited for; made up. */
const moreMs = 30_000;

const plansOf = (facts: DrillScene['facts'], { namespace, name }: Workload) =>
  facts.list('BackupPlan', namespace).filter((one) => one.spec.workload === name);

/** What is planned for a workload, in so many letters that differ where any of it does; the same for two moments that plan the same. */
export function plansPrint(facts: Facts, namespace: string, workload: string): string {
  const plans = facts.list('BackupPlan', namespace).filter((one) => one.spec.workload === workload);
  return hex8(hash32(stableJson(plans.map(({ metadata, spec }) => [metadata.name, spec]).sort())));
}

/**
 * What a workload's plans lead back to, of what was lost by a delete; a log that is under way is waited for. In pieces, as a drill is.
 * @param fromMs begin of the drill (virtual ms)
 * @param beganMs when somebody deleted, from there
 */
export function* leadsBack(
  world: World,
  workload: Workload,
  load: Load,
  lost: readonly number[],
  fromMs: number,
  beganMs: number
): Generator<void, Back | null> {
  const best = (): { plan: string; atMs: number } | undefined =>
    plansOf(world.store, workload)
      .flatMap((plan) => {
        const atMs = reachedBefore(world.store, plan, fromMs + beganMs);
        return atMs === undefined ? [] : [{ plan: plan.metadata.name, atMs }];
      })
      .sort((a, b) => b.atMs - a.atMs)[0];
  const paces = plansOf(world.store, workload).map((one) => (one.spec.how === 'copy-and-log' ? one.spec.logEverySeconds * 1_000 : 0));
  const untilMs = world.nowMs + Math.max(0, ...paces) + moreMs;
  while (paces.some((one) => one > 0) && world.nowMs < untilMs && (best()?.atMs ?? 0) < fromMs + beganMs) {
    world.runUntil(Math.min(untilMs, world.nowMs + 5_000));
    yield;
  }
  const found = best();
  if (!found) return null;
  const toMs = found.atMs - fromMs;
  return { plan: found.plan, toMs, count: load.acknowledgedBy(lost, toMs) };
}

/** Why something that was deleted is lost for good; undefined where it isn't. */
export function notCopied({ facts, workload }: DrillScene, { back, lostCount }: Measured, beganMs: number): Cause | undefined {
  if (!lostCount || back?.count === lostCount) return undefined;
  const subject = workloadRef(facts, workload.namespace, workload.name);
  const [plan] = plansOf(facts, workload);
  if (!plan)
    return {
      from: 'known',
      subject,
      says: 'no plan copies it, so what somebody drops is gone on every member',
      remedy: 'Write a plan that copies it through the engine, with its log (sheet Backups).'
    };
  if (!back)
    return {
      from: 'known',
      subject: { kind: 'BackupPlan', namespace: workload.namespace, name: plan.metadata.name },
      says: `${plan.metadata.name} has no copy that leads back to before the delete`,
      remedy: 'See the root line of the plan, and let it run once.'
    };
  return {
    from: 'known',
    subject: { kind: 'BackupPlan', namespace: workload.namespace, name: back.plan },
    says: `${back.plan} leads back to ${wordsOf(beganMs - back.toMs)} before the delete; what was written after that is in no copy`,
    remedy: 'Let the log be taken away as well, or more often.'
  };
}
