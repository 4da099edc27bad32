import { CoreError } from './errors';

/** The moment on the calendar at which every rehearsal's clock starts (virtual; made up). */
export const epochMs = 1_772_431_200_000; // 2026-03-02T06:00:00Z

// Most calls ask for the moment of the call before.
let lastMs = NaN;
let lastStamp = '';

/** A virtual moment as manifests spell times (RFC 3339, UTC, milliseconds kept). */
export function stampOf(atMs: number): string {
  if (atMs !== lastMs) {
    lastStamp = stamped(epochMs + atMs);
    lastMs = atMs;
  }
  return lastStamp;
}

/** Days of an average year of the Gregorian calendar: 97 leap days in 400 years. */
export const daysInYear = 365.2425;

const dayMs = 86_400_000;
const digits = Array.from({ length: 1_000 }, (_, i) => String(i).padStart(3, '0'));
const two = (n: number): string => digits[n]!.slice(1);
let dayOf = NaN;
let dayText = '';

/** As `Date.toISOString` has it; days are written once. */
function stamped(ms: number): string {
  const day = Math.floor(ms / dayMs);
  const left = ms - day * dayMs;
  if (left !== Math.floor(left)) return new Date(ms).toISOString();
  if (day !== dayOf) {
    const whole = new Date(day * dayMs).toISOString();
    dayText = whole.slice(0, whole.indexOf('T') + 1);
    dayOf = day;
  }
  const s = Math.floor(left / 1_000);
  return `${dayText}${two(Math.floor(s / 3_600))}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}.${digits[left % 1_000]!}Z`;
}

/** The virtual moment of a time written by {@link stampOf}; throws on a text that is no time. */
export function momentOf(stamp: string): number {
  const at = Date.parse(stamp);
  if (Number.isNaN(at)) throw new CoreError('momentOf', 'must be an RFC 3339 time', stamp);
  return at - epochMs;
}

/**
 * A duration in words for sentences.
 * @example wordsOf(95_000) // '1 min 35 s'
 */
export function wordsOf(durationMs: number): string {
  if (durationMs < 1_000) return `${Math.max(0, Math.round(durationMs))} ms`;
  const s = Math.round(durationMs / 1_000);
  if (s < 60) return `${s} s`;
  const min = Math.floor(s / 60);
  if (min < 60) return s % 60 ? `${min} min ${s % 60} s` : `${min} min`;
  const h = Math.floor(min / 60);
  if (h >= 72) return h % 24 ? `${Math.floor(h / 24)} days ${h % 24} h` : `${h / 24} days`;
  return min % 60 ? `${h} h ${min % 60} min` : `${h} h`;
}

/** A moment by the calendar, UTC: `2026-03-02 06:06:41`. */
export const dateOf = (atMs: number): string => stampOf(atMs).slice(0, 19).replace('T', ' ');

/** The clock's writing of a moment: `T+00:06:41`; what was before the clock began: `T−07:38:54`. */
export function clockOf(atMs: number): string {
  const s = Math.floor(Math.abs(atMs) / 1_000);
  const two = (n: number) => String(n).padStart(2, '0');
  return `T${atMs < 0 ? '−' : '+'}${two(Math.floor(s / 3_600))}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}`;
}
