import { factsIn, type Facts } from '../model';
import { Load } from '../drills';
import { workloadNamed } from '../proofs';
import { lineSentence, rootLine } from '../rootline';
import type { World } from '../standin';
import type { Move, MovePlan, MoveWait } from './plan';
import { came } from './waits';

/** How a step came out on the fork. */
export interface TriedStep {
  readonly says: string;
  readonly cluster: string;
  readonly tookMs: number;
  readonly state: 'holds' | 'broken' | 'waiting';
  /** Why it didn't come to its end. */
  readonly why?: string;
}

/** How a whole move came out. */
export interface TriedMove {
  readonly state: 'holds' | 'broken';
  readonly steps: readonly TriedStep[];
  readonly tookMs: number;
  /** The longest time between two writes that counted, less what lies between them anyway; at least as long as writers were told to stand still (ms). */
  readonly pauseMs: number;
  readonly writes: { readonly asked: number; readonly acknowledged: number; readonly refused: number; readonly unknown: number };
  /** Acknowledged writes that are not there at the end; undefined where nobody could tell. */
  readonly lost?: number;
}

/** Between two writes, where each isn't a piece of work; made up. */
const everyMs = 1_000;
/** How often it is looked whether a step is through, in ms; made up. */
const passMs = 500;
/** Writers write for so long before the first step and after the last; made up. */
const calmMs = 10_000;
/** No step is waited for longer than this, in ms. Made up; above the quarter of an hour that members in several clusters may take. */
const patienceMs = (wait: MoveWait | undefined): number => (wait?.is === 'operated' ? 1_500_000 : 600_000);
/** Why what is waited for hasn't come, by the root line of what stands there. */
function whyNot(home: Facts, { namespace, workload, engine }: Move, wait: MoveWait): string {
  const facts = factsIn(home, wait.cluster);
  const ref = 'mirror' in wait ? ({ kind: 'Mirror', namespace, name: wait.mirror } as const) : undefined;
  const kind = wait.is === 'operated' ? 'DocumentSet' : 'StatefulSet';
  const line = facts && (ref ? rootLine(facts, ref) : rootLine(facts, { kind, namespace, name: workload }));
  return line ? lineSentence(line) : `Nothing of ${workload} (${engine}) stands in ${wait.cluster}.`;
}

/** Longest time from an acknowledged write to the next one, less the pace of writing. */
function longestGap(load: Load, paceMs: number): number {
  const counted = load.operations
    .filter((one) => one.kind === 'write' && one.answer?.outcome === 'acknowledged')
    .map((one) => one.answeredMs!)
    .sort((a, b) => a - b);
  return counted.reduce((most, at, i) => (i ? Math.max(most, at - counted[i - 1]! - paceMs) : most), 0);
}

/**
 * Carries a move out, on worlds that are thrown away, while a client writes once a second: in the old cluster until it is told to stop, in
 * the new one from then on. At the end everything that counted is read in the new one.
 * @param world the workload's cluster, one of an estate's fork
 */
export function tryMove(world: World, move: Move, plan: MovePlan): TriedMove {
  const at = (cluster: string): World => world.company!.worlds.at(cluster, world.nowMs)!;
  const fromMs = world.nowMs;
  const load = new Load(world, workloadNamed(world.store, move.namespace, move.workload)!, fromMs);
  let why = load.prepare();
  const paceMs = everyMs * load.slower;
  let writing = true;
  /** When writers were told to stand still, and how long it took until one of theirs counted again. */
  let [stoodMs, stillMs] = [Infinity, 0];
  let nextMs = world.nowMs;
  const pass = (untilMs: number) => {
    while (world.nowMs < untilMs) {
      const stopMs = Math.min(untilMs, writing ? nextMs : untilMs);
      if (stopMs > world.nowMs) world.runUntil(stopMs);
      load.gather();
      if (writing && world.nowMs >= nextMs) {
        load.write();
        nextMs = world.nowMs + paceMs;
      }
    }
    load.gather();
  };
  pass(world.nowMs + calmMs);
  why ??= load.troubled() ?? (load.tally('write').acknowledged ? undefined : 'nobody answers');
  if (why !== undefined) {
    const [first, ...rest] = plan.steps.map(({ says, cluster }): TriedStep => ({ says, cluster, tookMs: 0, state: 'waiting' }));
    const steps: TriedStep[] = [{ ...first!, state: 'broken', why: `nothing can be written to it even before: ${why}` }, ...rest];
    return { state: 'broken', steps, tookMs: 0, pauseMs: 0, writes: load.tally('write') };
  }
  const steps: TriedStep[] = [];
  for (const step of plan.steps) {
    const beganMs = world.nowMs;
    const { says, cluster } = step;
    if (steps.some((one) => one.state === 'broken')) {
      steps.push({ says, cluster, tookMs: 0, state: 'waiting' });
      continue;
    }
    if (step.writers === 'stop') {
      writing = false;
      stoodMs = world.nowMs - fromMs;
      // What is under way still comes to count.
      for (let tries = 0; load.waiting && tries < 60; tries += 1) pass(world.nowMs + passMs);
    }
    const sentMs = world.nowMs;
    const refusals = step.sends ? at(step.cluster).act({ type: 'send', objects: step.sends }) : [];
    why = refusals[0]?.message;
    for (let done: boolean | string = false; why === undefined && step.wait && done !== true;) {
      pass(world.nowMs + passMs);
      done = came(world.store, move, step.wait, sentMs);
      if (typeof done === 'string') why = done;
      else if (!done && world.nowMs - sentMs > patienceMs(step.wait)) why = whyNot(world.store, move, step.wait);
    }
    if (why === undefined && step.writers === 'go') {
      const there = at(move.to);
      const workload = workloadNamed(there.store, move.namespace, move.workload);
      if (workload) load.goTo(there, workload);
      writing = true;
      nextMs = world.nowMs;
      // It has come there once something that is written there counts.
      const goneMs = world.nowMs - fromMs;
      const counted = () => workload && load.operations.find((one) => one.kind === 'write' && one.askedMs >= goneMs && load.good(one));
      for (const until = world.nowMs + patienceMs(step.wait); !counted() && world.nowMs < until;) pass(world.nowMs + passMs);
      const first = counted();
      if (first) stillMs = Math.max(0, first.answeredMs! - stoodMs);
      else why = `nothing that is written there counts: ${load.troubled() ?? 'nobody answers'}`;
    }
    const tookMs = world.nowMs - beganMs;
    steps.push({ says, cluster, tookMs, state: why === undefined ? 'holds' : 'broken', ...(why === undefined ? {} : { why }) });
  }
  const tookMs = world.nowMs - fromMs - calmMs;
  pass(world.nowMs + calmMs);
  const broken = steps.some((one) => one.state === 'broken');
  let lost: number | undefined;
  if (!broken) {
    const reading = load.lost();
    let step = reading.next();
    while (!step.done) step = reading.next();
    lost = step.value?.count;
  }
  const writes = load.tally('write');
  return {
    state: broken ? 'broken' : 'holds',
    steps,
    tookMs,
    pauseMs: Math.round(Math.max(stillMs, longestGap(load, paceMs))),
    writes,
    ...(lost === undefined ? {} : { lost })
  };
}
