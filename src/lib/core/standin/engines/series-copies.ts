import { namedIn } from './copies';

/** A row: when, of what, how much. */
export type Row = readonly [timeMs: number, device: string, value: number];

/** In the order of their times: two copies of a span may have got their rows in another one. */
export const byTime = (a: Row, b: Row): number => a[0] - b[0] || (a[1] < b[1] ? -1 : a[1] > b[1] ? 1 : a[2] - b[2]);

/** The table that a span is of: tables may have any name. */
export const tableOf = (span: string): string => span.slice(0, span.lastIndexOf('@'));
/** A span of a table: a table that is made again shares none with those of its name before. @param hours hour and slice */
export const spanOf = (table: string, nth: number | undefined, hours: string): string => `${table}@${nth ? `${nth}~` : ''}${hours}`;
/** Hour and slice of a span, and how many tables of that name were before. */
export function inSpan(span: string): { hours: string; nth: number } {
  const [first = '', second] = span.slice(span.lastIndexOf('@') + 1).split('~');
  return second === undefined ? { hours: first, nth: 0 } : { hours: second, nth: Number(first) };
}
/** What a table was made with, as a copy keeps it. */
export interface Kept {
  readonly copies: number;
}
const isRow = (row: unknown): row is Row =>
  Array.isArray(row) && row.length === 3 && typeof row[0] === 'number' && typeof row[1] === 'string' && typeof row[2] === 'number';

/** Tables and rows that a copy says; undefined for a text that is none. */
export function saidIn(text: string): { tables: Map<string, number>; spans: Map<string, readonly Row[]> } | undefined {
  const [tables, spans] = [new Map<string, number>(), new Map<string, readonly Row[]>()];
  try {
    for (const [key, value] of namedIn(text) ?? [['', '']]) {
      const [what, table, span] = JSON.parse(key) as [string, string, string | undefined];
      const read: unknown = JSON.parse(value);
      if (typeof table !== 'string') return undefined;
      const { copies } = (read ?? {}) as Partial<Kept>;
      if (what === 'table' && Number.isInteger(copies) && copies! >= 1) tables.set(table, copies!);
      else if (what === 'span' && span !== undefined && Array.isArray(read) && read.every(isRow)) spans.set(`${table}@${span}`, read);
      else return undefined;
    }
  } catch {
    return undefined;
  }
  return [...spans.keys()].every((span) => tables.has(tableOf(span))) ? { tables, spans } : undefined;
}
