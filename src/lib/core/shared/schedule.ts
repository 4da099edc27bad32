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
