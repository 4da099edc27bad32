import { kindEntries, keyOf, refOf, type Ref } from '../model';
import { supposed, type Supposed } from '../supposed';
import { once } from './pods';
import type { DraftContext, WrittenOf } from './types';
import type { Kind } from '../model';

const kinds = kindEntries.map((one) => one.kind);

/** The target as if the draft were sent to it: where its members would stand, and what its claims would get. Nothing without a target. */
export const toBe = once((context: DraftContext): Supposed =>
  context.target
    ? supposed(
        context.target,
        context.written(...kinds).map((on) => on.object)
      )
    : { parts: [], claims: [], refused: [] }
);

/** What of the draft a reference means. */
export const writtenAs = (context: DraftContext, ref: Ref): WrittenOf<Kind> | undefined =>
  context.written(ref.kind).find((on) => keyOf(refOf(on.object)) === keyOf(ref));
