import type { Place } from '../shared';
import type { ApiObject, Facts, Kind, KindMap } from '../model';
import type { Path, TextEdit, Wish, Written } from '../manifest';

/** How grave a finding is: `error` will not work, `warning` works until it hurts, `note` is worth knowing. */
export type Level = 'error' | 'warning' | 'note';

/** What mends a finding by one press, as changes of the text. */
export interface Mend {
  /** What the press does, e.g. `Write 100Gi`. */
  readonly says: string;
  readonly edits: readonly TextEdit[];
}

/** What the checker says about a line. */
export interface Finding {
  readonly code: string;
  readonly severity: Level;
  readonly at: Place;
  readonly message: string;
  readonly remedy: string;
  readonly mend?: Mend;
  /** House rules let it be; it counts for nothing. */
  readonly accepted?: Accepted;
}

/** Why a finding is let be. */
export interface Accepted {
  readonly reason: string;
  /** The last day on which that counts, e.g. 2027-03-31. */
  readonly until?: string;
}

/** A mend as a rule writes it: wishes for objects of the draft, objects to be added or left out, or edits of the text itself. */
export interface Repair {
  readonly says: string;
  readonly wishes?: readonly { readonly on: Written; readonly wish: Wish }[];
  readonly add?: readonly ApiObject[];
  readonly out?: readonly Written[];
  readonly edits?: readonly TextEdit[];
}

/** What a rule found. */
export interface Hit {
  readonly on: Written;
  readonly path: Path;
  readonly message: string;
  readonly remedy: string;
  readonly repair?: Repair;
}

/** An object of a known kind in the draft. */
export type WrittenOf<K extends Kind> = Written & { readonly object: KindMap[K] };

/** What rules look at: the draft, and the cluster it is meant for, where one is given. */
export interface DraftContext {
  readonly target: Facts | undefined;
  /** Kinds that the draft has objects of. */
  readonly kinds: readonly Kind[];
  /** Objects of the draft. */
  written<K extends Kind>(...kinds: K[]): WrittenOf<K>[];
  /** One object as it would stand after sending: the draft's, else the target's. */
  find<K extends Kind>(kind: K, namespace: string, name: string): KindMap[K] | undefined;
  /** All objects of a kind as they would stand after sending. */
  all<K extends Kind>(kind: K, namespace?: string): KindMap[K][];
}

/** One rule of the checker. Its examples are its test: `bad` gives this finding and no other error, `good` none. */
export interface Rule {
  readonly id: string;
  readonly level: Level;
  /** The mistake, in a few words. */
  readonly title: string;
  /** Why it hurts, and what is right. */
  readonly why: string;
  readonly bad: string;
  readonly good: string;
  /** Rules that say the same more exactly: where one of them has a finding on an object, this one has none there. */
  readonly unless?: readonly string[];
  /** Kinds of which it takes what isn't there as missing: in an export that leaves them out its findings are notes, as they can't be told. */
  readonly absent?: readonly Kind[];
  /** The demo's cluster that the examples are looked at against, where the rule needs one. */
  readonly against?: string;
  /** A bound that a house may set otherwise: what it is without that, its unit, least and most. */
  readonly threshold?: { readonly usual: number; readonly unit: 'days' | 's'; readonly range: readonly [number, number] };
  /**
   * Looks at the draft. Rules about reading have none: the reader finds their mistakes.
   * @param bound the rule's threshold, where it has one
   */
  check?(context: DraftContext, bound: number): readonly Hit[];
  /** For rules about reading: what would mend it. */
  repair?(on: {
    readonly written: Pick<Written, 'writing' | 'value'>;
    readonly path: Path;
    readonly text: string;
    readonly offset: number;
  }):
    | (Omit<Repair, 'wishes' | 'out'> & {
        readonly own?: readonly Wish[];
        readonly whole?: boolean;
      })
    | undefined;
}
