import { epochMs, hash32, hex8, stableJson, wordsOf } from '../shared';
import { refOf, type ApiObject, type BackupPlan, type BackupReturn, type Facts } from '../model';
import { handsOutLog, reachedBefore, workloadRef, type World } from '../standin';
import type { Load } from './load';
import type { Back, Cause, DrillScene, Measured } from './types';

/** So much longer than its pace a log is waited for; made up. */
const moreMs = 30_000;
/** A return waits 15 min for members, and is given so long in all; made up. */
const mostBackMs = 1_800_000;
/** How often is looked whether something has come; made up. */
const lookMs = 1_000;
/** What the return of a drill is called. */
const returnName = 'drill-back';

const plansOf = (facts: Facts, namespace: string, workload: string): BackupPlan[] =>
  facts.list('BackupPlan', namespace).filter((one) => one.spec.workload === workload);

/** What is planned for a workload, in so many letters that differ where any of it does; the same for two moments that plan the same. */
export const plansPrint = (facts: Facts, namespace: string, workload: string): string =>
  hex8(
    hash32(
      stableJson(
        plansOf(facts, namespace, workload)
          .map(({ metadata, spec }) => [metadata.name, spec])
          .sort()
      )
    )
  );

/** Runs the clock until something is so, or for so long at most; in pieces, as a drill is. */
function* untilSo(world: World, is: () => boolean, mostMs: number): Generator<void> {
  for (const untilMs = world.nowMs + mostMs; world.nowMs < untilMs && !is();) {
    world.runUntil(Math.min(untilMs, world.nowMs + lookMs));
    yield;
  }
}

/** Puts a plan's copy back over the workload, as anybody would. Gives how long that took, or why it didn't come. */
function* broughtBack(world: World, workload: string, { metadata, spec }: BackupPlan, atMs: number): Generator<void, number | string> {
  if (spec.how === 'snapshots') return 'snapshots come back beside a workload only, and that was not tried';
  const namespace = metadata.namespace ?? '';
  const to = new Date(epochMs + atMs).toISOString();
  const one = {
    apiVersion: 'standin.example/v1',
    kind: 'BackupReturn',
    metadata: { name: returnName, namespace },
    spec: { plan: metadata.name, into: workload, to, over: true }
  } as ApiObject;
  const [refused] = world.act({ type: 'send', objects: [one] });
  if (refused) return refused.message;
  const status = (): BackupReturn['status'] => world.store.get('BackupReturn', namespace, returnName)?.status;
  const over = (): boolean => status()?.phase === 'Done' || status()?.phase === 'Failed';
  yield* untilSo(world, over, mostBackMs);
  const { phase, says, beganMs = 0, endedMs = 0 } = status() ?? {};
  return phase === 'Done' ? endedMs - beganMs : (says ?? 'nobody began to put it back');
}

/**
 * What a workload's plans lead back to, of what was lost by a delete: a log that is under way is waited for, and the copy is put back.
 * @param lost the acknowledged writes that can't be read any more
 * @param fromMs begin of the drill (virtual ms)
 * @param beganMs when somebody deleted, from there
 */
export function* leadsBack(
  world: World,
  { workload: { namespace, name } }: DrillScene,
  load: Load,
  lost: { readonly numbers: readonly number[]; readonly count: number },
  fromMs: number,
  beganMs: number
): Generator<void, Back | null> {
  const best = (): { plan: BackupPlan; atMs: number } | undefined =>
    plansOf(world.store, namespace, name)
      .flatMap((plan) => {
        const atMs = reachedBefore(world.store, plan, fromMs + beganMs);
        return atMs === undefined ? [] : [{ plan, atMs }];
      })
      .sort((a, b) => b.atMs - a.atMs)[0];
  const paces = plansOf(world.store, namespace, name).flatMap(({ spec }) => (spec.how === 'copy-and-log' ? spec.logEverySeconds : []));
  if (paces.length) yield* untilSo(world, () => (best()?.atMs ?? 0) >= fromMs + beganMs, Math.max(...paces) * 1_000 + moreMs);
  const found = best();
  if (!found) return null;
  const { plan, atMs } = found;
  const back = { plan: plan.metadata.name, toMs: atMs - fromMs };
  const took = yield* broughtBack(world, name, plan, atMs);
  if (typeof took === 'string') return { ...back, count: plan.spec.how === 'snapshots' ? null : 0, tookMs: null, says: took };
  const count = yield* load.cameBack(lost);
  return { ...back, count: count ?? null, tookMs: took, says: count === undefined ? 'it could not be read back' : '' };
}

/** Why something that was deleted is lost for good; undefined where it isn't. */
export function notCopied(
  { facts, workload: { namespace, name, engine } }: DrillScene,
  { back, lostCount }: Measured,
  beganMs: number
): Cause | undefined {
  if (!lostCount || back?.count === lostCount) return undefined;
  const plans = plansOf(facts, namespace, name);
  const plan = plans.find((one) => one.metadata.name === back?.plan) ?? plans[0];
  const subject = plan ? refOf(plan) : workloadRef(facts, namespace, name);
  if (!plan)
    return {
      from: 'known',
      subject,
      says: 'no plan copies it, so what somebody drops is gone on every member',
      remedy: `Write a plan that copies it through the engine${handsOutLog(engine) ? ', with its log' : ''} (sheet Backups).`
    };
  if (!back)
    return {
      from: 'known',
      subject,
      says: `${plan.metadata.name} has no copy that leads back to before the delete`,
      remedy: 'See the root line of the plan, and let it run once.'
    };
  if (back.says) return { from: 'known', subject, says: `${back.plan}: ${back.says}`, remedy: 'See the root line of the plan.' };
  return {
    from: 'known',
    subject,
    says: `${back.plan} leads back to ${wordsOf(beganMs - back.toMs)} before the delete; what was written after that is in no copy`,
    remedy: 'Let the log be taken away as well, or more often.'
  };
}
