import { epochMs } from '../../../shared';
import type { BackupPlan } from '../../../model';

/** A copy that is done. */
export interface Kept {
  readonly name: string;
  /** The moment that it shows, virtual ms. */
  readonly momentMs: number;
}

/** The day, the week (from Monday, by its Monday's day) and the month of a moment, in a time zone. */
function periodsOf(atMs: number, timeZone: string): { daily: string; weekly: string; monthly: string } {
  const parts = new Intl.DateTimeFormat('en-CA', { timeZone, year: 'numeric', month: '2-digit', day: '2-digit' }).format(epochMs + atMs);
  const day = new Date(`${parts}T00:00:00Z`);
  const monday = new Date(day.getTime() - ((day.getUTCDay() + 6) % 7) * 86_400_000);
  return { daily: parts, weekly: monday.toISOString().slice(0, 10), monthly: parts.slice(0, 7) };
}

/**
 * Which copies are kept: the last so many, and the newest of each of the last so many days, weeks and months that have one. The newest is
 * always among them. Common practice (grandfather, father, son), no source.
 */
export function keptOf<K extends Kept>(
  done: readonly K[],
  { last, daily, weekly, monthly }: BackupPlan['spec']['keep'],
  timeZone = 'UTC'
): Set<K> {
  const newestFirst = [...done].sort((a, b) => b.momentMs - a.momentMs || (a.name < b.name ? 1 : -1));
  const kept = new Set(newestFirst.slice(0, Math.max(1, last)));
  for (const [period, most] of [['daily', daily] as const, ['weekly', weekly] as const, ['monthly', monthly] as const]) {
    const seen = new Set<string>();
    for (const one of newestFirst) {
      if (seen.size >= most) break;
      const name = periodsOf(one.momentMs, timeZone)[period];
      if (seen.has(name)) continue;
      seen.add(name);
      kept.add(one);
    }
  }
  return kept;
}
