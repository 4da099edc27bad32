import papa from 'papaparse';
import { plural } from '../shared';
import { calculationNamed, readAll, shown, type SlotFaults, type Values } from './calc';

/** A table of what was measured elsewhere, as it was read: heads, and rows of texts. */
export interface Table {
  readonly heads: readonly string[];
  readonly rows: readonly (readonly string[])[];
}

const mostRows = 5_000;
const mostColumns = 60;

/** Reads comma-separated values (RFC 4180; also with semicolons or tabs) whose first line names the columns. A text says why it is none. */
export function readTable(text: string): Table | string {
  const { data, errors } = papa.parse<string[]>(text.replace(/^\uFEFF/, ''), { skipEmptyLines: 'greedy' });
  const quotes = errors.find((one) => one.type === 'Quotes');
  if (quotes) return `line ${(quotes.row ?? 0) + 1}: a quotation mark is not closed, or something stands behind it`;
  const [heads = [], ...rows] = data;
  if (heads.length < 2 || !rows.length) return 'a table has a line with the names of its columns, at least two, and at least one line more';
  if (heads.length > mostColumns) return `it has ${heads.length} columns, and ${mostColumns} are read at most`;
  if (rows.length > mostRows)
    return `it has ${rows.length.toLocaleString('en')} lines, and ${mostRows.toLocaleString('en')} are read at most`;
  return { heads: heads.map((one, i) => one.trim() || `column ${i + 1}`), rows };
}

/** Which column is what; columns by their place, from 0. */
export interface Columns {
  /** Operations a second that were done. */
  readonly operations: number;
  /** Time of one operation, and what its figures are counted in (s each); left out: not measured. */
  readonly time?: { readonly column: number; readonly seconds: number };
}

/** What was measured at one point, beside what is reckoned for as many operations. */
export interface MeasuredPoint {
  /** In the text, from 1; heads are line 1. */
  readonly line: number;
  readonly operations: number;
  /** Share of the first ceiling. */
  readonly share: number;
  /** Seconds; undefined where none was measured. */
  readonly time: number | undefined;
  /** Seconds, waiting included; Infinity at the ceiling and above. */
  readonly reckoned: number;
}

/** A measurement beside the sheet. */
export interface Measured {
  readonly points: readonly MeasuredPoint[];
  readonly says: readonly string[];
  /** Lines that couldn't be read, with why. */
  readonly left: readonly string[];
}

/** A figure as people and programs write it; NaN where it is none. A comma is the thousands' mark, or the decimal one where it can't be that. */
function numberIn(text: string): number {
  const bare = text.trim();
  const plain = /^\d{1,3}(,\d{3})+(\.\d+)?$/.test(bare) ? bare.replaceAll(',', '') : /^\d+,\d+$/.test(bare) ? bare.replace(',', '.') : bare;
  return /^\d+(\.\d+)?(e[+-]?\d+)?$/i.test(plain) ? Number(plain) : NaN;
}

const saidLines = 8;

/**
 * Holds a measurement of a volume against what the sheet of its speed reckons: how near it came to the ceiling, and how long one operation took.
 * @param written slots of the speed sheet; what is measured stands for the operations asked for
 */
export function measuredBeside(
  { heads, rows }: Table,
  columns: Columns,
  written: Readonly<Record<string, string>>
): Measured | { readonly faults: SlotFaults } {
  const calc = calculationNamed('speed')!;
  const read = readAll(calc, written);
  if ('faults' in read) return read;
  const values: Values = Object.fromEntries(Object.entries(read.spans).map(([id, { low, high }]) => [id, (low + high) / 2]));
  const { least, most } = calc.slots.find((one) => one.id === 'asked')!;
  const points: MeasuredPoint[] = [];
  const left: string[] = [];
  rows.forEach((row, i) => {
    const line = i + 2;
    const operations = numberIn(row[columns.operations] ?? '');
    const raw = columns.time && numberIn(row[columns.time.column] ?? '');
    if (!(operations >= least && operations <= most)) {
      left.push(`line ${line}: ${heads[columns.operations]} is no number above 0`);
      return;
    }
    if (raw !== undefined && !(raw > 0 && raw < 1e12)) {
      left.push(`line ${line}: ${heads[columns.time!.column]} is no number above 0`);
      return;
    }
    const found = calc.reckon({ ...values, asked: operations });
    points.push({
      line,
      operations,
      share: found.used!,
      time: raw === undefined ? undefined : raw * columns.time!.seconds,
      reckoned: found.latency!
    });
  });
  const unread = left.length > saidLines ? [...left.slice(0, saidLines), `and ${plural(left.length - saidLines, 'line')} more`] : left;
  return { points, says: saidOf(points), left: unread };
}

/** A measurement differs from what is reckoned where it is off by more than this. Made up. */
const alike = 0.25;

function saidOf(points: readonly MeasuredPoint[]): string[] {
  if (!points.length) return ['Nothing in it could be read.'];
  const top = points.reduce((a, b) => (b.operations > a.operations ? b : a));
  const ceiling = top.operations / top.share;
  const said = [
    top.share > 1.02
      ? `${shown('each-second', top.operations)} were done, and the sheet's first ceiling is ${shown('each-second', ceiling)}: the volume gives more than its card says, or what was measured did not reach it (a cache).`
      : `${shown('each-second', top.operations)} were done at most, ${shown('share', top.share)} of the sheet's first ceiling of ${shown('each-second', ceiling)}.`
  ];
  const timed = points.filter((one) => one.time !== undefined && Number.isFinite(one.reckoned));
  if (!timed.length) return said;
  const ratios = timed.map((one) => one.time! / one.reckoned).sort((a, b) => a - b);
  const middle = ratios[Math.floor(ratios.length / 2)]!;
  said.push(
    Math.abs(middle - 1) <= alike
      ? `Times are as reckoned: in the middle ${shown('number', middle)} times what the sheet says.`
      : `One operation took ${shown('number', middle)} times what the sheet says, in the middle: write the time of one alone as it was measured.`
  );
  return said;
}
