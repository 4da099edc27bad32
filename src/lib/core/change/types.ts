import type { Difference } from '../shared';
import type { Ref } from '../model';
import type { NotPlayed, Refusal } from '../standin';

/** One line of a change sheet. */
export interface SheetLine {
  readonly ref: Ref;
  readonly says: string;
  readonly fields?: readonly Difference[];
  readonly refusal?: Refusal;
}

/** What of an object is kept, checked and handed out again, and nothing follows from. */
export interface NotPlayedLine {
  readonly ref: Ref;
  readonly fields: readonly NotPlayed[];
}

/** One step of the order of sending, with what is waited for before the next one works. */
export interface SendStep {
  readonly refs: readonly Ref[];
  readonly then?: string;
}

/** How to get past what is immutable in a set: in steps, with the members running all the while. */
export interface WayRound {
  readonly replace: readonly Ref[];
  readonly steps: readonly string[];
  /** What would still be refused; with nothing here it works. */
  readonly refused: readonly Refusal[];
}

/** What a draft would do to a cluster as it stands now. */
export interface ChangeSheet {
  readonly nowMs: number;
  readonly new: readonly SheetLine[];
  readonly altered: readonly SheetLine[];
  readonly refused: readonly SheetLine[];
  readonly restarted: readonly SheetLine[];
  readonly lost: readonly SheetLine[];
  readonly untouched: readonly SheetLine[];
  /** What loses nothing now and will later, and members that keep their old template until somebody does more. */
  readonly later: readonly SheetLine[];
  /** Ports that become reachable from outside. */
  readonly opened: readonly SheetLine[];
  /** Sets that would be sent anew with their members kept, because something immutable in them changes; the way round. */
  readonly wayRound?: WayRound;
  /** Of what is new or altered: fields that the stand-in doesn't play out. */
  readonly notPlayed: readonly NotPlayedLine[];
  readonly order: readonly SendStep[];
}

/** Something that stands with an object and may go with it. */
export interface Companion extends SheetLine {
  /** Whether it goes unless somebody says otherwise. */
  readonly goes: boolean;
  /** Others use it, too. */
  readonly shared?: true;
  /** Data that is lost when it goes. */
  readonly lost: readonly SheetLine[];
  /** A namespace: everything in it goes with it. */
  readonly takesAll?: boolean;
}

/** What taking something away does. */
export interface RemovalSheet {
  readonly ref: Ref;
  readonly goes: readonly SheetLine[];
  readonly lost: readonly SheetLine[];
  readonly stays: readonly SheetLine[];
  /** What a removal by force risks. */
  readonly risks: readonly SheetLine[];
  /** What stands with it, each to be taken along or left. */
  readonly with: readonly Companion[];
  readonly refusal?: Refusal;
}
