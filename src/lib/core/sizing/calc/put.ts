import { askedOf, backWithinMark, longestGapMs, loseAtMostMark } from '../../backups';
import { asManifest, grownSet } from '../../manifest';
import { memberClaim, ordinalsOf, type ApiObject, type BackupPlan, type Facts, type StatefulSet } from '../../model';
import { workloadNamed, type Workload } from '../../proofs';
import { plural, quantityOf } from '../../shared';
import { decidesByMajority, enginePartOf, workloadRef } from '../../standin';
import { calculationNamed } from './list';
import { readAll, sizedBy, type Sized } from './reckon';
import { firstVolume, fullest, taken } from './take';
import { poolBehind } from './take-copies';
import { shown } from './written';
import type { CalcId, Span } from './types';

/** An answer as manifests. */
export interface Put {
  readonly objects: readonly ApiObject[];
  readonly title: string;
  /** What of the sheet stands otherwise here and isn't in the manifests; '' where all of it is. */
  readonly not: string;
}

interface Scene {
  readonly facts: Facts;
  readonly of: { readonly namespace: string; readonly name: string };
  readonly workload: Workload | undefined;
  /** What stands, as it is taken. */
  readonly now: Readonly<Record<string, string>>;
  readonly sized: Sized;
  /** A slot's value; a text where it is a range. */
  one(slot: string): number | string;
}

/** Manifests, with slots by their label that aren't in them. */
type Written = Omit<Put, 'not'> & Partial<Pick<Put, 'not'>>;

interface Way {
  /** Slots that it writes, or that tell what is seen or asked rather than how something is set up. */
  readonly writes: readonly string[];
  put(scene: Scene): Written | string;
}

const gib = 2 ** 30;
const inGib = (bytes: number): string => quantityOf(Math.ceil(bytes / gib) * gib);
const figure = ({ sized }: Scene, id: string): number => sized.figures.find((one) => one.id === id)?.value ?? NaN;

/** The set of a workload that something is written into; a text says why it can't be. */
function setOf({ workload, of }: Scene, what: string, fits: (set: StatefulSet) => boolean = () => true): StatefulSet | string {
  const set = workload?.sets.find(fits);
  if (!set) return `there are no ${what} in ${of.name}`;
  return set.metadata.ownerReferences?.length ? `an operator keeps ${of.name}: ask for it in its resource` : set;
}
const withClaims = (set: StatefulSet): boolean => (set.spec.volumeClaimTemplates?.length ?? 0) > 0;

const decides = (set: StatefulSet): boolean => decidesByMajority(enginePartOf(set.spec.template));

function members(scene: Scene, wanted: number, fits?: (set: StatefulSet) => boolean): Written | string {
  const set = setOf(scene, 'members of a set', fits);
  if (typeof set === 'string') return set;
  const { name } = set.metadata;
  if ((set.spec.replicas ?? 1) === wanted) return `as many members has ${name} already: ${wanted}`;
  return {
    objects: [asManifest({ ...set, spec: { ...set.spec, replicas: wanted } })],
    title: `${name} with ${plural(wanted, 'member')}`
  };
}

/** Claims of a set grown to a size, each: of all its templates, or of those that are named. */
function grown(
  { facts }: Scene,
  bytes: number,
  set: StatefulSet,
  templates = set.spec.volumeClaimTemplates!.map((one) => one.metadata.name)
): Written {
  const size = inGib(bytes);
  return {
    objects: grownSet(facts, set, new Map(templates.map((one) => [one, size]))),
    title: `claims of ${set.metadata.name} to ${size}`
  };
}

/** Claims of the set, and of its template, that a claim is made by, grown to a size. */
function grownLike(scene: Scene, claim: string | undefined, bytes: number): Written | string {
  const templates = (scene.workload?.sets ?? []).flatMap((set) => (set.spec.volumeClaimTemplates ?? []).map((one) => ({ set, one })));
  const found = templates.find(({ set, one }) => ordinalsOf(set).some((nth) => memberClaim(one.metadata.name, set, nth) === claim));
  const set = setOf(scene, 'claims of a set', (one) => one === found?.set);
  if (typeof set === 'string') return set;
  return grown(scene, bytes, set, [found!.one.metadata.name]);
}

/** A schedule that comes every so many ms, at the minute and hour of another one; undefined where five fields can't say it. */
export function scheduleEvery(ms: number, like: string): string | undefined {
  const [minute = '', hour = ''] = like.trim().split(/\s+/);
  const at = /^\d+$/.test(minute) ? minute : '0';
  const oClock = /^\d+$/.test(hour) ? hour : '2';
  const minutes = ms / 60_000;
  if (!Number.isInteger(minutes) || minutes < 1) return undefined;
  if (minutes < 60) return 60 % minutes === 0 ? `*/${minutes} * * * *` : undefined;
  const hours = minutes / 60;
  if (hours < 24) return Number.isInteger(hours) && 24 % hours === 0 ? `${at} */${hours} * * *` : undefined;
  return hours === 24 ? `${at} ${oClock} * * *` : hours === 168 ? `${at} ${oClock} * * 0` : undefined;
}

const markUnits = [
  ['d', 86_400_000],
  ['h', 3_600_000],
  ['m', 60_000],
  ['s', 1_000]
] as const;
/** A length of time (ms) as marks have it; undefined where they can't. */
function markOf(ms: number): string | undefined {
  for (const [unit, each] of markUnits) {
    if (ms > 0 && ms % each === 0) return ms / each < 1e6 ? `${ms / each}${unit}` : undefined;
  }
  return undefined;
}

function plan(scene: Scene): Written | string {
  const { facts, of, one } = scene;
  const found = facts.list('BackupPlan', of.namespace).find(({ spec }) => spec.workload === of.name);
  if (!found) return `no plan copies ${of.name}: make one under Backups`;
  const values: Record<string, number> = {};
  for (const slot of ['every', 'kept', 'fullEvery', 'log', 'point', 'time']) {
    const value = one(slot);
    if (typeof value === 'string') return value;
    values[slot] = value;
  }
  const { spec } = found;
  const everyMs = values.every! * 1_000;
  const same = longestGapMs(spec.schedule, spec.timeZone, facts.nowMs) === everyMs;
  const schedule = same ? spec.schedule : scheduleEvery(everyMs, spec.schedule);
  if (schedule === undefined)
    return `a schedule can't say every ${shown('time', values.every!)}: choose minutes that divide an hour, hours that divide a day, 1 day or 7 days`;
  const { log } = values as { log: number };
  if (spec.how === 'snapshots' && log > 0) return 'snapshots have no log: choose 0 s, or another way of copying in the plan';
  if (spec.how === 'snapshots' && values.fullEvery !== 1) return 'a snapshot is always whole: choose 1';
  if (log > 0 && (!Number.isInteger(log) || log < 10 || log > 86_400)) return 'a log is taken away every 10 to 86,400 whole seconds';
  if (values.fullEvery! > 100 || values.kept! > 1_000) return 'a plan keeps at most 1,000 copies, and of 100 at least one is whole';
  const graded = spec.keep.days + spec.keep.weeks + spec.keep.months > 0;
  const how = spec.how === 'snapshots' ? spec.how : log > 0 ? 'copy-and-log' : 'copy';
  const altered: BackupPlan = {
    ...found,
    spec: {
      ...spec,
      schedule,
      how,
      ...(log > 0 ? { logEverySeconds: log } : {}),
      fullEvery: values.fullEvery!,
      // Of those that are kept by days, weeks and months the sheet says nothing.
      keep: graded ? spec.keep : { ...spec.keep, newest: values.kept! }
    }
  };
  const asked = askedOf(facts, of.namespace, of.name);
  const begins = readAll(calculationNamed('backup')!, {}) as { spans: Readonly<Record<string, Span>> };
  const wishes = [
    { mark: loseAtMostMark, seconds: values.point!, now: asked.losesMs, slot: 'point', label: 'Lost at most' },
    { mark: backWithinMark, seconds: values.time!, now: asked.backMs, slot: 'time', label: 'Back within' }
  ];
  // What nobody has asked for, and stands as the sheet begins, is no wish.
  const unasked = wishes.filter((two) => two.now === undefined && two.seconds === begins.spans[two.slot]!.low);
  const marks = wishes.filter((two) => two.seconds * 1_000 !== two.now && !unasked.includes(two));
  const ref = workloadRef(facts, of.namespace, of.name);
  const owner = facts.get(ref.kind, of.namespace, of.name);
  const written = marks.map(({ mark, seconds }) => [mark, markOf(seconds * 1_000)] as const);
  const odd = marks.find((_, i) => written[i]![1] === undefined);
  if (odd) return `what is asked for is written in whole seconds: ${shown('time', odd.seconds)} is not`;
  const marked =
    owner && marks.length
      ? [
          asManifest({
            ...owner,
            metadata: { ...owner.metadata, annotations: { ...owner.metadata.annotations, ...Object.fromEntries(written) } }
          } as ApiObject)
        ]
      : [];
  return {
    objects: [asManifest(altered), ...marked],
    title: `plan ${found.metadata.name} of ${of.name}`,
    not: [...(graded ? ['Copies kept'] : []), ...unasked.map((two) => two.label)].join(', ')
  };
}

const ways: Readonly<Record<CalcId, Way>> = {
  spread: {
    writes: ['members'],
    put(scene) {
      const wanted = figure(scene, 'fewest');
      return Number.isFinite(wanted) ? members(scene, wanted, decides) : 'no number of members survives that';
    }
  },
  slots: {
    writes: ['members', 'taken'],
    put(scene) {
      const wanted = scene.one('members');
      if (typeof wanted === 'string') return wanted;
      const { sets = [], deployments = [] } = scene.workload ?? {};
      if (sets.length + deployments.length > 1) return `${scene.of.name} is made of several sets: node fit writes how many each has`;
      const out = figure(scene, 'out');
      return out > 0 ? `${out} of ${plural(wanted, 'member')} would find no slot` : members(scene, wanted);
    }
  },
  pool: {
    writes: ['copies', 'recovery', 'stored'],
    put(scene) {
      const [pool] = scene.facts.list('Pool');
      if (!pool) return 'no pool stands here';
      const [copies, recovery] = [scene.one('copies'), scene.one('recovery')];
      if (typeof copies === 'string') return copies;
      if (typeof recovery === 'string') return recovery;
      return {
        objects: [asManifest({ ...pool, spec: { ...pool.spec, copies, recoveryBytesPerSecond: recovery } })],
        title: `${pool.metadata.name} with ${plural(copies, 'copy', 'copies')}`
      };
    }
  },
  store: {
    writes: ['size', 'sets', 'members', 'volumes', 'parity'],
    put(scene) {
      const { now, one } = scene;
      const odd = ['sets', 'members', 'volumes', 'parity'].filter((slot) => String(one(slot)) !== now[slot]);
      if (odd.length) return 'its members, volumes and parity are laid out once: another layout is a new store, written by its brief';
      const size = one('size');
      if (typeof size === 'string') return size;
      const set = setOf(scene, 'claims of a set', withClaims);
      return typeof set === 'string' ? set : grown(scene, size, set);
    }
  },
  broker: {
    writes: ['has', 'rate'],
    put(scene) {
      const set = setOf(scene, 'brokers with claims', (one) => withClaims(one) && enginePartOf(one.spec.template)?.part === 'broker');
      if (typeof set === 'string') return set;
      const { length } = set.spec.volumeClaimTemplates!;
      return grown(scene, figure(scene, 'disk') / length, set);
    }
  },
  speed: {
    writes: ['size'],
    put(scene) {
      const needs = figure(scene, 'needs');
      if (Number.isNaN(needs)) return 'no size of its volumes gives more than they have: another ceiling is met first, or none is';
      return grownLike(scene, scene.workload && firstVolume(scene.facts, scene.workload)?.claim, needs);
    }
  },
  fill: {
    writes: ['size', 'used', 'grows', 'left', 'cool'],
    put: (scene) => grownLike(scene, scene.workload && fullest(scene.facts, scene.workload)?.claim, figure(scene, 'next'))
  },
  durability: {
    writes: ['mayFail', 'heal', 'disks'],
    put(scene) {
      const away = scene.one('mayFail');
      if (typeof away === 'string') return away;
      const disks = scene.one('disks');
      // As many disks as there are members go along with them; those of a pool are of the ground.
      const left = (its: number) => (String(disks) === scene.now.disks || disks === its ? {} : { not: 'Disks of a group' });
      const pool = scene.workload && poolBehind(scene.facts, scene.workload);
      if (pool) {
        if (away > 4) return 'a pool keeps five copies at most, so four disks may be away';
        return {
          objects: [asManifest({ ...pool, spec: { ...pool.spec, copies: away + 1 } })],
          title: `${pool.metadata.name} with ${plural(away + 1, 'copy', 'copies')}`,
          ...left(NaN)
        };
      }
      if (scene.workload?.engine === 'object-store')
        return 'its parity is laid out once: another layout is a new store, written by its brief';
      const found = members(scene, 2 * away + 1, decides);
      return typeof found === 'string' ? found : { ...found, ...left(2 * away + 1) };
    }
  },
  backup: { writes: ['every', 'kept', 'fullEvery', 'log', 'point', 'time', 'bytes', 'rate', 'backRate'], put: plan }
};

/**
 * The answer of a calculation as manifests, for what it is about; a text says why it can't be one.
 * @param of the workload; left out for what is taken from the place itself
 */
export function put(
  facts: Facts,
  id: CalcId,
  of: { readonly namespace: string; readonly name: string } | undefined,
  written: Readonly<Record<string, string>>
): Put | string {
  const calc = calculationNamed(id)!;
  const sized = sizedBy(calc, written);
  const labelOf = (slot: string): string => calc.slots.find((two) => two.id === slot)!.label;
  if ('faults' in sized) {
    const [[slot, fault] = ['', '']] = Object.entries(sized.faults);
    return slot ? `${labelOf(slot)}: ${fault}` : fault.replace(/\.$/, '');
  }
  const { spans } = readAll(calc, written) as { spans: Readonly<Record<string, Span>> };
  const workload = of && workloadNamed(facts, of.namespace, of.name);
  if (id !== 'pool' && !workload) return 'there is no such workload';
  // Of what nothing can be taken, the sheet's slots say nothing.
  const now = taken(facts, id, of);
  if (typeof now === 'string') return now;
  const one = (slot: string): number | string => {
    const { low, high } = spans[slot]!;
    return low === high ? low : `${labelOf(slot)} is a range: write one value`;
  };
  const found = ways[id].put({ facts, of: of ?? { namespace: '', name: '' }, workload, now: now.written, sized, one });
  if (typeof found === 'string') return found;
  const stands = readAll(calc, { ...written, ...now.written });
  const left =
    'spans' in stands
      ? calc.slots.filter(({ id: slot }) => {
          const [is, was] = [spans[slot]!, stands.spans[slot]!];
          return !ways[id].writes.includes(slot) && (is.low !== was.low || is.high !== was.high);
        })
      : [];
  return { ...found, not: [...(found.not ? [found.not] : []), ...left.map((two) => two.label)].join(', ') };
}
