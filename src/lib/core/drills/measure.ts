import { wordsOf } from '../shared';
import type { Load } from './load';
import type { Beat, Expectation, Measured, Row } from './types';

interface Times {
  readonly beganMs: number;
  readonly endedMs: number;
  /** The last operation was asked before this. */
  readonly loadUntilMs: number;
  /** Between two operations of a kind. */
  readonly everyMs: number;
}

/** The longest time without a good answer, beyond what lies between two operations anyway. */
function pauseOf(load: Load, kind: 'write' | 'read', { beganMs, loadUntilMs, everyMs }: Times): number {
  const good = load.operations.filter((one) => one.kind === kind && load.good(one)).map((one) => one.answeredMs!);
  const moments = [beganMs, ...good.filter((atMs) => atMs > beganMs).sort((a, b) => a - b)];
  if (moments.at(-1)! < loadUntilMs) moments.push(loadUntilMs);
  let longest = 0;
  for (let i = 1; i < moments.length; i += 1) longest = Math.max(longest, moments[i]! - moments[i - 1]!);
  return longest > 3 * everyMs ? longest - everyMs : 0;
}

/**
 * How long after a change (the fault's begin, and its end) something that was asked still failed, the longer of the two; null where things
 * failed up to the end of the load.
 */
function steadyOf(load: Load, { beganMs, endedMs, loadUntilMs }: Times): number | null {
  const after = (fromMs: number, toMs: number): number => {
    const bad = load.operations.filter((one) => one.askedMs >= fromMs && one.askedMs < toMs && !load.good(one));
    return bad.length ? bad.at(-1)!.askedMs - fromMs + 1 : 0;
  };
  const late = after(endedMs, loadUntilMs);
  if (late > 0 && endedMs + late > loadUntilMs - 5_000) return null;
  return Math.max(late, endedMs > beganMs ? after(beganMs, endedMs) : 0);
}

/** Figures of a drill out of what its load saw. */
export function measure(
  load: Load,
  times: Times,
  lost: { numbers: number[]; count: number } | undefined,
  { wholeMs, healMs, back }: Pick<Measured, 'wholeMs' | 'back'> & { readonly healMs: number | null | undefined }
): Measured {
  return {
    writesPauseMs: pauseOf(load, 'write', times),
    readsPauseMs: pauseOf(load, 'read', times),
    lost: lost?.numbers.slice(0, 50) ?? [],
    lostCount: lost?.count ?? null,
    ...(back === undefined ? {} : { back }),
    steadyMs: steadyOf(load, times),
    wholeMs,
    ...(healMs === undefined ? {} : { healMs }),
    writes: load.tally('write'),
    reads: load.tally('read'),
    staleReads: load.operations.filter(load.stale).length
  };
}

/** Operations by when they were asked. */
export function beatsOf(load: Load, overMs: number, beatMs: number): Beat[] {
  const beats = Array.from({ length: Math.ceil(overMs / beatMs) }, (_, i) => ({
    fromMs: i * beatMs,
    writes: 0,
    writesFailed: 0,
    reads: 0,
    readsFailed: 0
  }));
  for (const one of load.operations) {
    const beat = beats[Math.min(beats.length - 1, Math.floor(one.askedMs / beatMs))]!;
    const good = load.good(one);
    if (one.kind === 'write') beat[good ? 'writes' : 'writesFailed'] += 1;
    else beat[good ? 'reads' : 'readsFailed'] += 1;
  }
  return beats;
}

/** How many acknowledged writes are lost for good; null: unseen. */
export function goneOf({ lostCount, back }: Measured): number | null {
  if (lostCount === null || back?.count === null) return lostCount === 0 ? 0 : null;
  return lostCount - (back?.count ?? 0);
}

const orNever = (ms: number | null): string => (ms === null ? 'not seen' : ms === 0 ? 'at once' : wordsOf(ms));
const pause = (ms: number): string => (ms === 0 ? 'none' : wordsOf(ms));

/** What was expected beside what was measured. */
export function rowsOf(expected: Expectation, got: Measured, others: readonly string[], wide: boolean): Row[] {
  const within = (most: number | undefined, ms: number | null): boolean => most === undefined || (ms !== null && ms <= most);
  const gone = goneOf(got);
  const most = (ms: number | undefined): string => (ms === undefined ? 'not asked for' : ms === 0 ? 'none' : wordsOf(ms));
  return [
    {
      id: 'writes-pause',
      expected: most(expected.writesPauseMs),
      measured: pause(got.writesPauseMs),
      ok: within(expected.writesPauseMs, got.writesPauseMs)
    },
    {
      id: 'reads-pause',
      expected: most(expected.readsPauseMs),
      measured: pause(got.readsPauseMs),
      ok: within(expected.readsPauseMs, got.readsPauseMs)
    },
    {
      id: 'lost',
      expected: got.back === undefined ? `${expected.lost}` : `${expected.lost} for good`,
      measured: gone === null ? 'unseen' : `${gone.toLocaleString('en')} of ${got.writes.acknowledged.toLocaleString('en')}`,
      ok: gone !== null && gone <= expected.lost
    },
    { id: 'steady', expected: most(expected.steadyMs), measured: orNever(got.steadyMs), ok: within(expected.steadyMs, got.steadyMs) },
    { id: 'whole', expected: most(expected.wholeMs), measured: orNever(got.wholeMs), ok: within(expected.wholeMs, got.wholeMs) },
    {
      id: 'others',
      expected: wide ? 'who stands there' : 'nobody',
      measured: others.join(', ') || 'nobody',
      ok: wide || others.length === 0
    }
  ];
}
