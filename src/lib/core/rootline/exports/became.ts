import { keyOf, type Facts, type Ref } from '../../model';
import { scopeIn } from '../../exports';
import { whatIsWrong, type Wrong, type WrongView } from './wrong';

/** What became of somebody who was wrong in one export or the other. */
export interface Became {
  readonly ref: Ref;
  readonly title: string;
  readonly says: string;
  /** What was said of it before, where that was something else. */
  readonly was?: string;
  readonly sinceMs?: number;
}

/** Two exports of one cluster beside each other: who was mended, who broke, who waits on the same still. */
export interface WhatBecame {
  readonly mended: readonly Became[];
  readonly broke: readonly Became[];
  readonly still: readonly Became[];
  /** Wrong before, and not to be told from the later export: gone, not exported, or silent about itself. */
  readonly unseen: readonly Became[];
  /** Wrong now, of kinds that the earlier export doesn't hold: since when can't be told from it. */
  readonly fresh: readonly Became[];
}

function byWaiter({ items }: WrongView): Map<string, { ref: Ref; cause: Wrong }> {
  const found = new Map<string, { ref: Ref; cause: Wrong }>();
  for (const cause of items) for (const ref of cause.waits) if (!found.has(keyOf(ref))) found.set(keyOf(ref), { ref, cause });
  return found;
}

const became = ({ ref, cause }: { ref: Ref; cause: Wrong }, was?: Wrong): Became => ({
  ref,
  title: cause.title,
  says: cause.says,
  ...(was && was.says !== cause.says ? { was: `${was.title}: ${was.says}` } : {}),
  ...(cause.sinceMs === undefined ? {} : { sinceMs: cause.sinceMs })
});

/** Lays what is wrong in an earlier export beside what is wrong in a later one. */
export function whatBecame(before: Facts, after: Facts): WhatBecame {
  const [old, now] = [byWaiter(whatIsWrong(before)), byWaiter(whatIsWrong(after))];
  const gone = [...old].filter(([key]) => !now.has(key)).map(([, one]) => one);
  // Kinds that aren't known here stand beside the store. One that says nothing of itself any more can't be told to be well.
  const telling = scopeIn(after).others.filter((one) => one.conditions?.length || one.tells?.phase !== undefined);
  const others = new Set(telling.map((one) => keyOf(one as unknown as Ref)));
  const stands = ({ ref }: { ref: Ref }) => after.get(ref.kind, ref.namespace, ref.name) !== undefined || others.has(keyOf(ref));
  const come = [...now].filter(([key]) => !old.has(key)).map(([, one]) => one);
  const held = ({ ref }: { ref: Ref }) => scopeIn(before).of(ref.kind, ref.namespace) === 'contained';
  return {
    mended: gone.filter(stands).map((one) => became(one)),
    unseen: gone.filter((one) => !stands(one)).map((one) => became(one)),
    broke: come.filter(held).map((one) => became(one)),
    fresh: come.filter((one) => !held(one)).map((one) => became(one)),
    still: [...now].flatMap(([key, one]) => (old.has(key) ? [became(one, old.get(key)!.cause)] : []))
  };
}
