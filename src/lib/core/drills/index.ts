import { plural, wordsOf } from '../shared';
import { isReady, refOf, type ApiObject, type Facts, type Pod, type StatefulSet } from '../model';
import { podsIn, type Workload } from '../proofs';
import { rootLine } from '../rootline';
import { enginePartOf, hangsSince, listensAt, workloadOf, type World } from '../standin';
import { derive, impossible } from './expect';
import { faultNamed, faults } from './faults';
import { canBeLoaded, Load } from './load';
import { beatsOf, measure, rowsOf } from './measure';
import type { Cause, Drill, DrillScene, Expectation, FaultId, FaultRule, Stretch, Target } from './types';

export { derive, impossible } from './expect';
export { faults, faultNamed } from './faults';
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
}

/** All faults, with what each would strike here. */
export const offers = (scene: DrillScene): Offer[] =>
  faults.map((rule) => {
    const target = canBeLoaded(scene.workload) ? rule.target(scene) : 'what its programs do is not known here';
    const { id: fault, level, title, why } = rule;
    return { fault, level, title, why, ...(typeof target === 'string' ? { not: target } : { target: target.label }) };
  });

/** Members that have to hold before and after a drill: those of the engine's parts. */
const membersIn = (facts: Facts, workload: Workload): Pod[] => podsIn(facts, workload).filter((pod) => enginePartOf(pod.spec));

const holds = (facts: Facts, pod: Pod): boolean => {
  const status = facts.get('Process', pod.metadata.namespace ?? '', pod.metadata.name)?.status;
  return isReady(pod) && !pod.metadata.deletionTimestamp && (status === undefined || status.ready) && !status?.lag;
};

/** Whether all of a workload holds: every member is ready, none is behind, and nobody hangs. */
function whole(facts: Facts, workload: Workload, names: readonly string[]): boolean {
  return names.every((name) => {
    const pod = facts.get('Pod', workload.namespace, name);
    return pod !== undefined && holds(facts, pod) && hangsSince(facts, workload.namespace, name) === undefined;
  });
}

/** Why a workload can't be drilled just now; undefined when it can. */
export function notNow({ facts, workload }: DrillScene): string | undefined {
  if (!canBeLoaded(workload)) return 'what its programs do is not known here, so nobody can write to it and read from it';
  const pods = membersIn(facts, workload);
  if (!pods.length) return 'no member runs yet';
  const away = pods.filter((pod) => !holds(facts, pod)).map((pod) => pod.metadata.name);
  return away.length ? `${away.join(', ')} ${away.length === 1 ? "doesn't" : "don't"} hold; mend that first` : undefined;
}

/** Watches members: their lanes, who else is hurt, and what breaks first. */
class Watch {
  private readonly lanes = new Map<string, Stretch[]>();
  private readonly others: Map<string, string>;
  readonly hurt = new Set<string>();
  cause: Cause | undefined;

  constructor(
    private readonly world: World,
    private readonly workload: Workload,
    readonly names: readonly string[],
    private readonly fromMs: number
  ) {
    this.others = new Map(
      world.store
        .list('Pod')
        .filter((pod) => enginePartOf(pod.spec) && isReady(pod) && !names.includes(pod.metadata.name))
        .map((pod) => [`${pod.metadata.namespace}/${pod.metadata.name}`, workloadOf(pod)])
    );
  }

  look(toMs: number, struck: boolean): void {
    const { store } = this.world;
    for (const name of this.names) {
      const pod = store.get('Pod', this.workload.namespace, name);
      const ready = pod !== undefined && isReady(pod) && hangsSince(store, this.workload.namespace, name) === undefined;
      const state = ready ? 'ready' : pod?.status?.phase === 'Running' ? 'coming' : 'away';
      const lane = this.lanes.get(name) ?? [];
      const last = lane.at(-1);
      if (last?.state === state) lane[lane.length - 1] = { ...last, toMs };
      else lane.push({ fromMs: last?.toMs ?? 0, toMs, state });
      this.lanes.set(name, lane);
    }
    if (!struck) return;
    for (const [key, workload] of this.others) {
      const [namespace = '', name = ''] = key.split('/');
      const pod = store.get('Pod', namespace, name);
      if (!pod || !isReady(pod)) this.hurt.add(`${namespace}/${workload}`);
    }
    this.cause ??= this.breaks();
  }

  /** The first break of a member that doesn't hold. */
  private breaks(): Cause | undefined {
    const { store } = this.world;
    for (const name of this.names) {
      const pod = store.get('Pod', this.workload.namespace, name);
      if (!pod || isReady(pod)) continue;
      const line = rootLine(store, refOf(pod));
      const joint = line?.joints.find((one) => one.state === 'broken');
      if (!joint) continue;
      return {
        subject: refOf(pod),
        says: `${joint.joint}: ${joint.says}`,
        ...(joint.remedy ? { remedy: joint.remedy.text } : {}),
        ...(joint.remedy?.manifests ? { manifests: joint.remedy.manifests } : {})
      };
    }
    return undefined;
  }

  all(): Drill['lanes'] {
    return [...this.lanes].map(([name, stretches]) => ({ name, stretches }));
  }

  get elapsedMs(): number {
    return this.world.nowMs - this.fromMs;
  }
}

/** A set whose members' hanging a probe would find: with one at the first port where its program listens. */
function watched(set: StatefulSet): StatefulSet | undefined {
  const containers = set.spec.template.spec.containers.map((one) => {
    const [port] = listensAt(one) ?? [];
    if (port === undefined) return one;
    const probe = { tcpSocket: { port }, periodSeconds: 5, failureThreshold: 3 };
    return {
      ...one,
      readinessProbe: one.readinessProbe ?? probe,
      livenessProbe: { ...probe, initialDelaySeconds: 120, ...one.livenessProbe }
    };
  });
  const { status: _, ...bare } = set;
  const { name, namespace, labels, annotations } = set.metadata;
  return {
    ...bare,
    metadata: { name, ...(namespace ? { namespace } : {}), ...(labels ? { labels } : {}), ...(annotations ? { annotations } : {}) },
    spec: { ...set.spec, template: { ...set.spec.template, spec: { ...set.spec.template.spec, containers } } }
  };
}

/** Nobody finds out that a member hangs where no probe asks it. */
function unprobed({ facts, workload }: DrillScene, target: Target): Cause | undefined {
  const [name] = target.members;
  const pod = facts.get('Pod', workload.namespace, name ?? '');
  if (!pod) return undefined;
  const asks = pod.spec.containers.some(({ readinessProbe, livenessProbe }) =>
    [readinessProbe, livenessProbe].some((one) => one?.tcpSocket ?? one?.httpGet)
  );
  if (asks) return undefined;
  const owner = pod.metadata.ownerReferences?.[0];
  const set = owner?.kind === 'StatefulSet' ? facts.get('StatefulSet', workload.namespace, owner.name) : undefined;
  const manifest = set && watched(set);
  return {
    subject: refOf(pod),
    says: `${pod.metadata.name} answers nobody and counts as ready, so clients are led to it: no probe asks it`,
    remedy:
      'Give its container a readiness probe and a liveness probe at the port for clients: the first takes it out of the service, the second starts it again.',
    ...(manifest ? { manifests: [manifest as ApiObject] } : {})
  };
}

/** What a drill is run on, and how. */
export interface DrillAsk extends DrillScene {
  /** A copy of the world as it stands. */
  fork(): World;
  readonly fault: FaultId;
  /** What is demanded; without it what can be expected. */
  readonly demanded?: Expectation;
  readonly pace?: Partial<DrillPace>;
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
  const derived = derive(ask, target, target.end.length ? pace.faultMs : 0);
  const expectation = ask.demanded ?? derived.expectation;

  const world = ask.fork();
  const atMs = facts.nowMs;
  const names = membersIn(facts, workload).map((pod) => pod.metadata.name);
  const fromMs = world.nowMs;
  const load = new Load(world, workload, fromMs);
  const everyMs = pace.everyMs * load.slower;
  const unready = load.prepare();
  if (unready !== undefined) return `nothing can be written to it: ${unready}`;
  yield;
  const watch = new Watch(world, workload, names, fromMs);
  const notes: string[] = [];
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
  const act = (list: Target['begin']): string | undefined => list.flatMap((action) => world.act(action)).map((one) => one.message)[0];

  const beganMs = watch.elapsedMs + pace.leadMs;
  yield* until(beganMs);
  const fault = load.troubled();
  if (fault !== undefined) return `the load doesn't run even before the fault: ${fault}`;
  const refused = act(target.begin);
  if (refused !== undefined) return `the fault can't be put in: ${refused}`;
  struck = true;
  if (ask.fault === 'member-hangs') watch.cause = unprobed(ask, target);
  const lasts = target.end.length ? pace.faultMs : 0;
  const endedMs = beganMs + lasts;
  yield* until(endedMs);
  const stuck = act(target.end);
  if (stuck !== undefined) notes.push(`The fault could not be ended as planned: ${stuck}`);
  // Load goes on until everything has held for a while.
  let heldSince: number | undefined;
  while (watch.elapsedMs < endedMs + pace.mostAfterMs) {
    yield* until(watch.elapsedMs + lookMs);
    heldSince = whole(world.store, workload, names) && load.troubled() === undefined ? (heldSince ?? watch.elapsedMs) : undefined;
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
  if (!lost) notes.push('What was acknowledged could not be read back at the end: what of it is lost is unseen, and counted as all.');
  else if (lost.count && !lost.numbers.length) notes.push('Rows of this engine carry no numbers: how many are lost is known, not which.');
  const wholeMs = heldSince === undefined ? null : Math.max(0, heldSince - endedMs);
  const times = { beganMs, endedMs, loadUntilMs, everyMs };
  const count = load.tally('write').acknowledged;
  const measured = measure(load, times, lost ?? { numbers: [], count }, wholeMs);
  const others = [...watch.hurt].sort();
  const rows = rowsOf(expectation, measured, others, target.wide === true);
  const ok = rows.every((one) => one.ok);
  const better = ok && derived.goesOn === false && target.lasting && measured.writesPauseMs < lasts / 2;
  const state = !ok ? 'worse' : better ? 'better' : 'expected';
  const cause = causeOf(ask, target, { load, seen: watch.cause, beganMs, lost: measured.lostCount, worse: !ok });
  notes.push(...impossible(derived, expectation, target, lasts).map((one) => `By arithmetic ${one}.`));
  return {
    fault: ask.fault,
    target: target.label,
    atMs,
    beganMs,
    endedMs,
    overMs: loadUntilMs,
    state,
    says: sentence(rule, target, measured, expectation, rows),
    derived,
    expectation,
    measured,
    rows,
    beatMs,
    beats: beatsOf(load, loadUntilMs, beatMs),
    lanes: watch.all(),
    others,
    ...(cause ? { cause } : {}),
    notes,
    begin: target.begin,
    end: target.end
  };
}

/** Why it hurt: what of the promise was given away, else the first break, else what clients were told. */
function causeOf(
  { facts, workload }: DrillScene,
  target: Target,
  { load, seen, beganMs, lost, worse }: { load: Load; seen: Cause | undefined; beganMs: number; lost: number; worse: boolean }
): Cause | undefined {
  const [name] = target.members;
  const pod = facts.get('Pod', workload.namespace, name ?? '');
  const waits = podsIn(facts, workload)
    .map((one) => facts.get('Process', workload.namespace, one.metadata.name)?.spec.options.synchronous)
    .find((one) => one !== undefined);
  if (lost && workload.engine === 'primary-standby-sql' && Number(waits) === 0 && pod)
    return {
      subject: refOf(pod),
      says: 'a commit waits for no standby (synchronous: 0), so what the standbys lacked went with the primary',
      remedy: 'Let a commit wait for one standby: it costs a round trip, and nothing acknowledged is lost with one member.'
    };
  if (seen ?? !worse) return seen;
  const failed = load.failedFrom(beganMs);
  const subject = pod ?? podsIn(facts, workload)[0];
  return (
    failed &&
    subject && {
      subject: refOf(subject),
      says: `${failed.failed} of ${failed.asked} things that were asked failed; mostly: ${failed.says}`
    }
  );
}

const inWords = {
  'writes-pause': '',
  'reads-pause': 'reads paused',
  lost: '',
  steady: 'something failed for',
  whole: 'members took until they held again:',
  others: 'hurt beside it:'
} as const;

function sentence(rule: FaultRule, { label }: Target, got: Drill['measured'], asked: Expectation, rows: Drill['rows']): string {
  const pause = got.writesPauseMs === 0 ? 'writes went on' : `writes paused ${wordsOf(got.writesPauseMs)}`;
  const allowed = asked.writesPauseMs === undefined || got.writesPauseMs === 0 ? '' : `, ${wordsOf(asked.writesPauseMs)} were allowed`;
  const lost = got.lostCount
    ? `${plural(got.lostCount, 'acknowledged write')} of ${got.writes.acknowledged} lost`
    : 'nothing acknowledged is lost';
  const more = rows.filter((one) => !one.ok && inWords[one.id]).map((one) => `${inWords[one.id]} ${one.measured}`);
  return `${label}, ${rule.title}: ${pause}${allowed}; ${[lost, ...more].join('; ')}.`;
}

/** Runs a drill at once. */
export function drilled(ask: DrillAsk): Drill | string {
  const run = runDrill(ask);
  for (;;) {
    const step = run.next();
    if (step.done) return step.value;
  }
}
