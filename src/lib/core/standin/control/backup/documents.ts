import { z } from 'zod';

/** A text as JSON of a shape; undefined for anything else. */
function readJson<T>(shape: z.ZodType<T>, text: string): T | undefined {
  try {
    return shape.safeParse(JSON.parse(text)).data;
  } catch {
    return undefined;
  }
}

const copyDocument = z.object({
  workload: z.string(),
  engine: z.string(),
  position: z.number(),
  /** The moment that it shows, virtual ms. */
  momentMs: z.number(),
  /** SHA-256 of the tables' text. */
  checksum: z.string(),
  /** All tables in one text. */
  tables: z.string()
});
/** A copy of a workload's tables, as it lies in a bucket. */
export type CopyDocument = z.infer<typeof copyDocument>;

/** A copy out of a bucket, where anybody may have put something else: undefined then. */
export const copyIn = (text: string): CopyDocument | undefined => readJson(copyDocument, text);

const entry = z.object({ atMs: z.number().optional(), op: z.looseObject({ do: z.string() }).optional() });
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
