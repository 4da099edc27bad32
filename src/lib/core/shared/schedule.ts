import { Cron } from 'croner';

const fields = 5;
/** So many moments in a row are looked at for one that the clocks don't leap over; made up. */
const mostLeaps = 100;
/** So many schedules and time zones are kept read: making a reader of either takes a hundred times as long as asking it. */
const mostRead = 500;
const readers = new Map<string, Cron>();
const calendars = new Map<string, Intl.DateTimeFormat>();
const macro = /^@(yearly|annually|monthly|weekly|daily|midnight|hourly)$/;

/** What is wrong with a schedule of five fields (or one of its short words); undefined where it is one. Source: the cluster API's "CronJob", schedule syntax. */
export function scheduleFault(text: string): string | undefined {
  if (/(^|\s)(CRON_)?TZ=/.test(text)) return 'names a time zone; that stands in timeZone';
  if (macro.test(text)) return undefined;
  if (text.trim().split(/\s+/).length !== fields) return 'has not five fields: minute, hour, day of the month, month, day of the week';
  try {
    new Cron(text, { paused: true, timezone: 'UTC' }).stop();
    return undefined;
  } catch {
    return 'is no schedule that can be read';
  }
}

/** Whether a text names a time zone that is known. Source: the IANA time zone database, as the runtime has it. */
export function isTimeZone(name: string): boolean {
  try {
    new Intl.DateTimeFormat('en', { timeZone: name });
    return name !== 'Local';
  } catch {
    return false;
  }
}

function readOnce<T>(known: Map<string, T>, key: string, read: () => T): T {
  const found = known.get(key);
  if (found !== undefined) return found;
  if (known.size >= mostRead) known.clear();
  const made = read();
  known.set(key, made);
  return made;
}

/** The day of a moment (ms of the calendar) in a time zone, as YYYY-MM-DD. Throws where there is no such zone. */
export const dayOf = (atMs: number, timeZone: string): string =>
  readOnce(
    calendars,
    timeZone,
    () => new Intl.DateTimeFormat('en-CA', { timeZone, year: 'numeric', month: '2-digit', day: '2-digit' })
  ).format(atMs);

/**
 * The next moment of a schedule after another one (ms of the calendar); undefined where none comes, or it can't be read.
 * @param timeZone UTC where none is named
 */
export function nextOf(schedule: string, timeZone: string | undefined, afterMs: number): number | undefined {
  try {
    const timezone = timeZone ?? 'UTC';
    const cron = readOnce(readers, `${timezone} ${schedule}`, () => new Cron(schedule, { paused: true, timezone }));
    // A moment that the clocks leap over is left out that day (from memory); the package would move it.
    for (let next = cron.nextRun(new Date(afterMs)), n = 0; next && n < mostLeaps; next = cron.nextRun(next), n += 1)
      if (cron.match(next)) return next.getTime();
    return undefined;
  } catch {
    return undefined;
  }
}

interface Walked {
  readonly fromMs: number;
  /** All moments after `fromMs`, as far as was looked. */
  readonly moments: number[];
  over: boolean;
}
const walked = new Map<string, Walked>();
/** So many schedules, and moments of one, are remembered. */
const most = { schedules: 100, moments: 20_000 } as const;

/**
 * The moments of a schedule after one and up to another (ms of the calendar), so many at the most; what was looked for once is remembered, as
 * the same schedules are asked for again and again while a clock moves.
 */
export function momentsOf(schedule: string, timeZone: string | undefined, afterMs: number, untilMs: number, atMost: number): number[] {
  const key = `${timeZone ?? 'UTC'} ${schedule}`;
  let known = walked.get(key);
  const end = known?.moments.at(-1);
  if (!known || afterMs < known.fromMs || (end !== undefined && afterMs > end) || known.moments.length > most.moments) {
    if (walked.size >= most.schedules) walked.clear();
    walked.set(key, (known = { fromMs: afterMs, moments: [], over: false }));
  }
  let at = known.moments.findIndex((one) => one > afterMs);
  if (at < 0) at = known.moments.length;
  for (let last = known.moments.at(-1) ?? known.fromMs; !known.over && last <= untilMs && known.moments.length - at < atMost;) {
    const next = nextOf(schedule, timeZone, last);
    if (next === undefined) known.over = true;
    else known.moments.push((last = next));
  }
  const found = known.moments.slice(at, at + atMost);
  return untilMs >= (found.at(-1) ?? 0) ? found : found.filter((one) => one <= untilMs);
}
