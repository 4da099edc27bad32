import type { Entry, Point, Record } from './types';

/** Where a member's log ends. */
export function lastOf<S>({ log, base }: Record<S>): Point {
  const last = log[log.length - 1];
  return last ? { index: last.index, term: last.term } : { index: base.index, term: base.term };
}

/** The entry of a number, if the log still holds it. */
export const entryAt = <S>({ log, base }: Record<S>, index: number): Entry | undefined => log[index - base.index - 1];

/** The term of an entry; undefined where the log doesn't reach, or no longer. */
export const termAt = <S>(record: Record<S>, index: number): number | undefined =>
  index === record.base.index ? record.base.term : entryAt(record, index)?.term;

/** The members as the log has them last, whether that counts yet or not. Source: Ongaro and Ousterhout, Raft (2014), section 6. */
export function membersOf<S>({ log, base }: Record<S>): readonly string[] {
  for (let i = log.length - 1; i >= 0; i -= 1) if (log[i]!.members) return log[i]!.members!;
  return base.members;
}

/** Whether a log that ends at one point holds at least as much as one that ends at another. Source: Raft, section 5.4.1. */
export const asFar = (a: Point, b: Point): boolean => a.term > b.term || (a.term === b.term && a.index >= b.index);

/** Entries that a log keeps beyond what the state holds, so that a member that was away a short while needn't take it whole. */
const keptEntries = 64;
/** No more than so many are kept for somebody who takes the log away; made up. */
const mostUntaken = 5_000;

/** Lets go of old entries that the state holds. */
export function trimmed<S>(record: Record<S>): Record<S> {
  const { log, base, applied } = record;
  const taken = record.takenUpTo === undefined ? applied : Math.max(record.takenUpTo, lastOf(record).index - mostUntaken);
  const surplus = Math.min(applied - base.index, log.length - keptEntries, taken - base.index);
  if (surplus < keptEntries) return record;
  const cut = log.slice(0, surplus);
  const members = membersOf({ ...record, log: cut });
  const { index, term } = cut[cut.length - 1]!;
  return { ...record, base: { index, term, members }, log: log.slice(surplus) };
}
