import { dayOf, epochMs } from '../../../shared';
import type { BackupPlan } from '../../../model';
import { chainTo, type Chained } from './facts';

/** A copy that is done. */
export interface Kept {
  readonly name: string;
  /** The moment that it shows, virtual ms. */
  readonly momentMs: number;
}

interface Periods {
  readonly days: string;
  readonly weeks: string;
  readonly months: string;
}
const known = new WeakMap<Kept, Periods & Pick<Kept, 'momentMs'> & { readonly timeZone: string }>();

/** The periods of a copy; worked out once, as the same copies are looked at again with each that comes. */
function periodsIn(one: Kept, timeZone: string): Periods {
  let found = known.get(one);
  if (found?.timeZone !== timeZone || found.momentMs !== one.momentMs)
    known.set(one, (found = { ...periodsOf(one.momentMs, timeZone), momentMs: one.momentMs, timeZone }));
  return found;
}

/** The day, the week (from Monday, by its Monday's day) and the month of a moment, in a time zone. */
function periodsOf(atMs: number, timeZone: string): Periods {
  const name = dayOf(epochMs + atMs, timeZone);
  const day = new Date(`${name}T00:00:00Z`);
  const monday = new Date(day.getTime() - ((day.getUTCDay() + 6) % 7) * 86_400_000);
  return { days: name, weeks: monday.toISOString().slice(0, 10), months: name.slice(0, 7) };
}

/**
 * Which copies are kept: the newest so many, and the newest of each of the last so many days, weeks and months that have one. The newest is
 * always among them. Common practice (grandfather, father, son), no source.
 */
export function keptOf<K extends Kept>(
  done: readonly K[],
  { newest, days, weeks, months }: BackupPlan['spec']['keep'],
  timeZone = 'UTC'
): Set<K> {
  if (done.length <= newest) return new Set(done);
  const newestFirst = [...done].sort((a, b) => b.momentMs - a.momentMs || (a.name < b.name ? 1 : -1));
  const kept = new Set(newestFirst.slice(0, Math.max(1, newest)));
  for (const [period, most] of [['days', days] as const, ['weeks', weeks] as const, ['months', months] as const]) {
    const seen = new Set<string>();
    for (const one of newestFirst) {
      if (seen.size >= most) break;
      const name = periodsIn(one, timeZone)[period];
      if (seen.has(name)) continue;
      seen.add(name);
      kept.add(one);
    }
  }
  return kept;
}

/** With the copies that are kept those that they build on: without them they open to nothing. */
export function withBases<K extends Kept & Chained>(kept: ReadonlySet<K>, done: readonly K[]): Set<K> {
  return new Set([...kept].flatMap((one) => chainTo(done, one) ?? [one]));
}
