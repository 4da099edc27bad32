import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { z } from 'zod';
import { digestOf } from '../../shared';
import type { Answer } from './site';

/** What has a name and a value: rows, files, images. */
type Named = readonly (readonly [string, string])[];

/** All of it in one text, sorted by name, as a copy keeps it. */
export const textOfNamed = (rows: Named): string => JSON.stringify([...rows].sort(([a], [b]) => (a < b ? -1 : 1)));

/** What such a text holds; undefined for a text that is none, or names something twice. */
export function namedIn(text: string): [string, string][] | undefined {
  try {
    const rows: unknown = JSON.parse(text);
    const fits = (row: unknown): boolean => Array.isArray(row) && row.length === 2 && row.every((one) => typeof one === 'string');
    if (!Array.isArray(rows) || !rows.every(fits)) return undefined;
    const named = rows as [string, string][];
    return new Set(named.map(([name]) => name)).size === named.length ? named : undefined;
  } catch {
    return undefined;
  }
}

/** A name of something that lies in a place (topic, bucket, table): what it is, the place, and what tells it from others there. */
export const placedKey = (what: string, place: string, ...more: readonly (string | number)[]): string =>
  JSON.stringify([what, place, ...more]);

/** Whether something lies in a place, by such a name. */
export function isPlacedIn(key: string, place: string): boolean {
  try {
    const read: unknown = JSON.parse(key);
    return Array.isArray(read) && read[1] === place;
  } catch {
    return false;
  }
}

/** SHA-256 over such a text: two that hold the same have the same. */
export const sumOf = (text: string): string => bytesToHex(digestOf(utf8ToBytes(text)));

/** A copy of all that a member holds, handed out. @param what `tables`, `files`, `images`; @param says how much that is, e.g. `3 files` */
export const handedOut = (by: string, what: string, rows: Named, says: string, version?: number): Answer => {
  const text = textOfNamed(rows);
  return {
    outcome: 'acknowledged',
    by,
    says,
    rows: [[what, text]],
    count: rows.length,
    ...(version === undefined ? {} : { version }),
    checksum: sumOf(text)
  };
};

/** Why a copy isn't taken where something lies already. @param says how much that is */
export const wouldOverwrite = (says: string): string => `it holds ${says} of its own, which would be overwritten`;

/** A text as JSON of a shape; undefined for anything else. */
export function readJson<T>(shape: z.ZodType<T>, text: string): T | undefined {
  try {
    return shape.safeParse(JSON.parse(text)).data;
  } catch {
    return undefined;
  }
}

const text = z.string().optional();
const entry = z.object({
  atMs: z.number().optional(),
  op: z.looseObject({ do: z.string(), place: text, key: text, value: text, count: z.number().optional() }).optional()
});
const piece = z.array(z.tuple([z.string(), z.string()]));

/** An entry of a log, as it lies in a bucket. */
export type LogEntry = z.infer<typeof entry> & { readonly index: number };

/** The entries of a piece of a log out of a bucket; undefined where somebody put something else there. */
export function entriesIn(text: string): LogEntry[] | undefined {
  const found = readJson(piece, text)?.map(([index, one]) => ({ index: Number(index), read: readJson(entry, one) }));
  return found?.every(({ read, index }) => read && Number.isSafeInteger(index))
    ? found.map(({ index, read }) => ({ index, ...read! }))
    : undefined;
}
