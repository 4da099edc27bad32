import type { AskObject } from '../model';
import { standingPrint } from '../proofs';
import { plural, wordsOf } from '../shared';
import { takesNoWrites, wayFault, type World } from '../standin';
import { leadsBack, notCopied, plansPrint } from './back';
import { supposedIn } from './supposed';
import { causeOf, unprobed } from './causes';
import { derive, impossible } from './expect';
import { dropName, faultNamed, faults } from './faults';
import { canBeLoaded, Load } from './load';
import { beatsOf, goneOf, measure, rowsOf } from './measure';
import { outageName } from './striking';
import { holds, membersIn, membersOver, Watch, whole } from './watch';
import type { Drill, DrillScene, Expectation, FaultId, FaultRule, Target } from './types';

export { derive, impossible } from './expect';
export { plansPrint } from './back';
export { supposedIn } from './supposed';
export { goneOf } from './measure';
export { faults, faultNamed } from './faults';
export { Load } from './load';
export * from './types';

/** How a drill is run; times in ms of the clock. All made up: long enough to see what follows, short enough to be run often. */
export interface DrillPace {
  /** Load before the fault. */
  readonly leadMs: number;
  /** How long the fault lasts. */
  readonly faultMs: number;
  /** Once all members hold again, the load goes on for so long. */
  readonly calmMs: number;
  /** After the fault's end no longer than this is waited for. */
  readonly mostAfterMs: number;
  /** Between two writes, and between two reads. */
  readonly everyMs: number;
}
/** The pace where nobody says otherwise. */
export const usualPace: DrillPace = { leadMs: 20_000, faultMs: 180_000, calmMs: 30_000, mostAfterMs: 900_000, everyMs: 500 };

/** So much of the drill is looked at together in its chart. */
const beatMs = 5_000;
/** How often members are looked at. */
const lookMs = 1_000;

/** What can be drilled on a workload, and why the rest can't. */
export interface Offer {
  readonly fault: FaultId;
  readonly level: FaultRule['level'];
  readonly title: string;
  readonly why: string;
  /** What it would strike; undefined where it can't happen here. */
  readonly target?: string;
  readonly not?: string;
  /** Whether it lasts for a while, or for as long as its work takes; what is done at once doesn't. */
  readonly lasts?: boolean;
  /** It takes what the load writes away: copies count, and a fork without the load shows nothing. */
  readonly deletes?: boolean;
}

/** All faults, with what each would strike here. */
export const offers = (scene: DrillScene): Offer[] =>
  faults.map((rule) => {
    const target = canBeLoaded(scene.workload) ? rule.target(scene) : 'what its programs do is not known here';
    const { id: fault, level, title, why } = rule;
    return {
      fault,
      level,
      title,
      why,
      ...(typeof target === 'string'
        ? { not: target }
        : { target: target.label, lasts: target.end.length > 0, deletes: target.deletes === true })
    };
  });

/** Whether clients come to a workload from outside. */
export const hasWayIn = ({ facts, workload }: DrillScene): boolean =>
  membersIn(facts, workload).some((pod) => wayFault(facts, pod, 'outside') === undefined);

/** Why a workload can't be drilled just now; undefined when it can. */
export function notNow({ facts, workload }: DrillScene): string | undefined {
  if (!canBeLoaded(workload)) return 'what its programs do is not known here, so nobody can write to it and read from it';
  const follows = takesNoWrites(facts, workload.namespace, workload.name);
  if (follows) return follows;
  const left = (['Outage', 'Emptying'] as const).find((kind) => facts.get(kind, '', outageName));
  if (left) return `the fault of a drill stands here (${left} ${outageName}); take it away first`;
  if (!membersIn(facts, workload).length) return 'no member runs yet';
  const away = membersOver(facts, workload).flatMap(({ pod, seat }) => (holds(seat.facts, pod) ? [] : [pod.metadata.name]));
  return away.length ? `${away.join(', ')} ${away.length === 1 ? "doesn't" : "don't"} hold; mend that first` : undefined;
}

/** What a drill is run on, and how. */
export interface DrillAsk extends DrillScene {
  /** A copy of the world as it stands. */
  fork(): World;
  readonly fault: FaultId;
  /** What is demanded; without it what can be expected. */
  readonly demanded?: Expectation;
  readonly pace?: Partial<DrillPace>;
  /** Where clients come from; left out: from inside. */
  readonly way?: 'inside' | 'outside';
}

/**
 * Puts a fault in on a fork, under load, and measures what follows; in pieces, so that others get their turn between.
 * @returns how it came out, or why it can't be tried
 */
export function* runDrill(ask: DrillAsk): Generator<void, Drill | string> {
  const { facts, workload } = ask;
  const pace = { ...usualPace, ...ask.pace };
  const rule = faultNamed(ask.fault);
  if (!rule) return `there is no fault ${ask.fault}`;
  const away = notNow(ask);
  if (away !== undefined) return away;
  const target = rule.target(ask);
  if (typeof target === 'string') return target;
  const derived = derive(ask, target, target.end.length && !target.stages ? pace.faultMs : 0);
  const expectation = ask.demanded ?? derived.expectation;

  const world = ask.fork();
  const atMs = facts.nowMs;
  const supposed = supposedIn(facts, workload);
  const walk = target.walk ?? emptyingWords;
  const names = membersOver(facts, workload).map(({ pod }) => pod.metadata.name);
  const fromMs = world.nowMs;
  const load = new Load(world, workload, fromMs, ask.way);
  const everyMs = pace.everyMs * load.slower * (target.stages ? 2 : 1);
  const unready = load.prepare();
  if (unready !== undefined) return `nothing can be written to it: ${unready}`;
  yield;
  const watch = new Watch(world, workload, names, fromMs);
  const notes: string[] = [];
  /** Places where the work couldn't be done. */
  const stuck: string[] = [];
  let healMs: number | null | undefined;
  let struck = false;
  let nextLook = watch.elapsedMs;
  let nextAsk = watch.elapsedMs;
  const step = (untilMs: number): void => {
    const toMs = Math.min(untilMs, nextAsk, nextLook);
    world.runUntil(fromMs + toMs);
    load.gather();
    if (toMs >= nextAsk && toMs < untilMs) {
      load.write();
      load.read();
      nextAsk += everyMs;
    }
    if (toMs >= nextLook) {
      watch.look(toMs, struck);
      nextLook += lookMs;
    }
  };
  function* until(ms: number): Generator<void> {
    for (let n = 1; watch.elapsedMs < ms; n += 1) {
      step(ms);
      if (n % 40 === 0) yield;
    }
  }
  const place = target.in === undefined ? world : world.abroad(target.in);
  if (!place) return `there is no cluster ${target.in}`;
  const act = (list: Target['begin']): string | undefined => list.flatMap((action) => place.act(action)).map((one) => one.message)[0];

  const beganMs = watch.elapsedMs + pace.leadMs;
  yield* until(beganMs);
  const fault = load.troubled();
  if (fault !== undefined) return `the load doesn't run even before the fault: ${fault}`;
  struck = true;
  if (ask.fault === 'member-hangs') watch.cause = unprobed(ask, target);
  const stands = () => whole(world.store, workload, names.length) && load.troubled() === undefined;
  /** Goes on until something is so, or for so long at most. */
  function* untilSo(is: () => boolean, mostMs: number): Generator<void> {
    for (const end = watch.elapsedMs + mostMs; watch.elapsedMs < end && !is();) yield* until(watch.elapsedMs + lookMs);
  }
  if (target.stages) {
    for (const stage of target.stages) {
      const refused = act(stage.begin);
      if (refused !== undefined) return `${stage.label} can't be taken: ${refused}`;
      const fromMs = watch.elapsedMs;
      yield* untilSo(() => stage.left(world.store) === undefined, stage.mostMs);
      const left = stage.left(world.store);
      if (stage.heals) healMs = left === undefined ? watch.elapsedMs - fromMs : null;
      if (left === undefined) {
        notes.push(`${stage.label} ${walk.done} after ${wordsOf(watch.elapsedMs - fromMs)}.`);
        act(stage.work);
        yield* until(watch.elapsedMs + stage.workMs);
      } else stuck.push(`${stage.label} ${walk.undone} within ${wordsOf(stage.mostMs)}: ${left}.`);
      act(left === undefined ? stage.end : stage.end.filter((one) => one.type !== 'remove' || world.store.find(one.ref)));
      yield* untilSo(stands, stage.mostMs);
    }
  } else {
    const refused = act(target.begin);
    if (refused !== undefined) return `the fault can't be put in: ${refused}`;
    yield* until(beganMs + (target.end.length ? pace.faultMs : 0));
    const unended = act(target.end);
    if (unended !== undefined) notes.push(`The fault could not be ended as planned: ${unended}`);
  }
  const endedMs = target.stages || target.end.length ? watch.elapsedMs : beganMs;
  const lasts = endedMs - beganMs;
  // Load goes on until everything has held for a while.
  let heldSince: number | undefined;
  while (watch.elapsedMs < endedMs + pace.mostAfterMs) {
    yield* until(watch.elapsedMs + lookMs);
    heldSince = stands() ? (heldSince ?? watch.elapsedMs) : undefined;
    const least = Math.max(beganMs + 60_000, endedMs + pace.calmMs);
    if (heldSince !== undefined && watch.elapsedMs - heldSince >= pace.calmMs && watch.elapsedMs >= least) break;
  }
  const loadUntilMs = watch.elapsedMs;
  nextAsk = Infinity;
  for (const most = watch.elapsedMs + 35_000; load.waiting && watch.elapsedMs < most;) step(Math.min(most, watch.elapsedMs + 500));
  yield;
  const reading = load.lost();
  let lost: { numbers: number[]; count: number } | undefined;
  for (;;) {
    const piece = reading.next();
    if (piece.done) {
      lost = piece.value;
      break;
    }
    yield;
  }
  if (!lost) notes.push('What was acknowledged could not be read back at the end: what of it is lost is unseen.');
  else if (lost.count && !lost.numbers.length) notes.push('Rows of this engine carry no numbers: how many are lost is known, not which.');
  let back: Drill['measured']['back'];
  if (target.deletes) {
    const dropped = world.store.find({ kind: 'Ask', namespace: workload.namespace, name: dropName }) as AskObject | undefined;
    if (dropped?.status?.outcome !== 'acknowledged')
      return `the fault can't be put in: ${dropped?.status?.says ?? 'nobody answered who wanted to drop it'}`;
    if (lost) back = yield* leadsBack(world, ask, load, lost, fromMs, beganMs);
  }
  const wholeMs = heldSince === undefined ? null : Math.max(0, heldSince - endedMs);
  const times = { beganMs, endedMs, loadUntilMs, everyMs };
  const measured = measure(load, times, lost, { wholeMs, healMs, back });
  const others = [...watch.hurt].sort();
  const rows = rowsOf(expectation, measured, others, target.wide === true);
  const ok = rows.every((one) => one.ok);
  const better = ok && derived.goesOn === false && target.lasting && measured.writesPauseMs < lasts / 2;
  const state = !ok || stuck.length ? 'worse' : better ? 'better' : 'expected';
  const cause = target.deletes
    ? notCopied(ask, measured, beganMs)
    : causeOf(ask, target, { load, seen: watch.cause, beganMs, lost: measured.lostCount, worse: state === 'worse' });
  notes.push(...impossible(derived, expectation, target, lasts).map((one) => `By arithmetic ${one}.`));
  return {
    fault: ask.fault,
    target: target.label,
    ...(ask.way === 'outside' ? { way: ask.way } : {}),
    atMs,
    beganMs,
    endedMs,
    overMs: loadUntilMs,
    state,
    says: sentence(rule, target, measured, expectation, rows, stuck),
    derived,
    expectation,
    measured,
    rows,
    beatMs,
    beats: beatsOf(load, loadUntilMs, beatMs),
    lanes: watch.all(),
    others,
    ...(cause ? { cause } : {}),
    stands: standingPrint(facts, workload),
    ...(target.deletes ? { plans: plansPrint(facts, workload.namespace, workload.name) } : {}),
    ...(supposed.length ? { supposed } : {}),
    notes: [...stuck, ...notes],
    ...(target.in === undefined ? {} : { in: target.in }),
    begin: target.begin,
    end: target.end
  };
}

const emptyingWords = { all: 'emptied and worked on', noun: 'node', done: 'was empty', undone: 'could not be emptied' } as const;

const inWords = {
  'writes-pause': '',
  'reads-pause': 'reads paused',
  lost: '',
  steady: 'something failed for',
  whole: 'members took until they held again:',
  others: 'hurt beside it:'
} as const;

/** How much of what somebody deleted is in no copy; nothing for other faults. */
function forGood(got: Drill['measured']): string {
  if (got.back === undefined || got.lostCount === null) return '';
  const gone = goneOf(got);
  if (gone === null) return ', and whether for good is unseen';
  if (gone > 0) return gone === got.lostCount ? ', and no copy brought them back' : `, ${gone} of them for good`;
  return `, and ${got.back!.plan} brought all of them back in ${wordsOf(got.back!.tookMs!)}`;
}

function sentence(
  rule: FaultRule,
  { label, stages, walk = emptyingWords }: Target,
  got: Drill['measured'],
  asked: Expectation,
  rows: Drill['rows'],
  stuck: readonly string[]
): string {
  const pause = got.writesPauseMs === 0 ? 'writes went on' : `writes paused ${wordsOf(got.writesPauseMs)}`;
  const allowed = asked.writesPauseMs === undefined || got.writesPauseMs === 0 ? '' : `, ${wordsOf(asked.writesPauseMs)} were allowed`;
  const lost =
    got.lostCount === null
      ? 'what is lost could not be seen'
      : got.lostCount
        ? `${plural(got.lostCount, 'acknowledged write')} of ${got.writes.acknowledged} lost${forGood(got)}`
        : 'nothing acknowledged is lost';
  const more = rows.filter((one) => !one.ok && inWords[one.id]).map((one) => `${inWords[one.id]} ${one.measured}`);
  const what = stages ? `${label}, ${walk.all}` : `${label}, ${rule.title}`;
  const held = stuck.length ? [`${plural(stuck.length, walk.noun)} ${walk.undone}`] : [];
  return `${what}: ${pause}${allowed}; ${[lost, ...held, ...more].join('; ')}.`;
}

/** Runs a drill at once. */
export function drilled(ask: DrillAsk): Drill | string {
  const run = runDrill(ask);
  for (;;) {
    const step = run.next();
    if (step.done) return step.value;
  }
}
