import { kindEntries, keyOf, refOf, type Kind, type Ref } from '../model';
import { supposed, type ClaimToBe, type Supposed } from '../supposed';
import { once } from './pods';
import { hit } from './rule';
import type { DraftContext, Hit, WrittenOf } from './types';

const kinds = kindEntries.map((one) => one.kind);

/**
 * The target as if the draft were sent to it: where its members would stand, and what its claims would get. Nothing without a target; what
 * can't be read whole has no part in it, as it couldn't be sent.
 */
export const toBe = once((context: DraftContext): Supposed =>
  context.target
    ? supposed(
        context.target,
        context.written(...kinds).flatMap((on) => ('faulty' in on ? [] : [on.object]))
      )
    : { parts: [], claims: [], refused: [] }
);

/** What of the draft a reference means. */
export const writtenAs = (context: DraftContext, ref: Ref): WrittenOf<Kind> | undefined =>
  context.written(ref.kind).find((on) => keyOf(refOf(on.object)) === keyOf(ref));

/** A finding for the first claim of each object that would get no volume in a way. */
export function claimHits(context: DraftContext, gets: ClaimToBe['gets'], says: (one: ClaimToBe) => string, remedy: string): Hit[] {
  const seen = new Set<unknown>();
  return toBe(context).claims.flatMap((one) => {
    const on = one.gets === gets ? writtenAs(context, one.by) : undefined;
    // One without a class waits for a volume that somebody makes beforehand; that may come yet.
    if (!on || seen.has(on) || one.claim.spec.storageClassName === '') return [];
    seen.add(on);
    return [hit(on, ['spec'], says(one), remedy)];
  });
}
