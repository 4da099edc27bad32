import type { Op } from '../site';

/** A place in a log: the number of an entry and the term it was written in. */
export interface Point {
  readonly index: number;
  readonly term: number;
}

/** An entry of a group's log. */
export interface Entry extends Point {
  readonly op?: Op;
  /** When it was written, in virtual ms, by the clock of the member that put it in order. */
  readonly atMs?: number;
  /** The members from here on. */
  readonly members?: readonly string[];
  /** The ask that is answered when the entry counts. */
  readonly ask?: string;
  /** The member that took the ask. */
  readonly taker?: string;
}

/** What a member of a group keeps in its volume. `S` is what the entries add up to. */
export interface Record<S> {
  readonly term: number;
  readonly vote?: string;
  /** Everything up to here is in the state alone, with the members as of here. */
  readonly base: Point & { readonly members: readonly string[] };
  readonly log: readonly Entry[];
  /** The state holds all entries up to this one. */
  readonly applied: number;
  readonly state: S;
  /** Somebody who takes the log away has it up to here: what follows is kept for it. */
  readonly takenUpTo?: number;
}

/** What a member has in mind while it runs. */
export interface Mind {
  readonly role: 'joining' | 'follower' | 'candidate' | 'leader';
  readonly leader?: string;
  /** A follower's: since its start it has had all that counted when it was told. */
  readonly whole?: boolean;
  readonly votes?: readonly string[];
  /** A leader's: how far each other member's log agrees with its own; undefined for those that haven't answered. */
  readonly match?: Readonly<{ [id: string]: number }>;
  /** A leader's: how far entries, and the knowledge of what counts, are on their way to each. */
  readonly sent?: Readonly<{ [id: string]: { readonly index: number; readonly commit: number } }>;
  /** A leader's: members that take the whole state just now. */
  readonly giving?: readonly string[];
  /** A leader's: members that it has missed for long enough to go on without them. */
  readonly missed?: readonly string[];
  /** Numbers of the alarms that still count. */
  readonly alarms?: Readonly<{ [name: string]: number }>;
  readonly alarmsSet?: number;
}

/** What members of a group send each other. */
export type Body =
  | { readonly is: 'ask-vote'; readonly term: number; readonly last: Point; readonly told: boolean }
  | { readonly is: 'vote'; readonly term: number; readonly granted: boolean }
  | { readonly is: 'append'; readonly term: number; readonly prev: Point; readonly entries: readonly Entry[]; readonly commit: number }
  | {
      readonly is: 'appended';
      readonly term: number;
      readonly ok: boolean;
      readonly match: number;
      readonly applied: number;
      readonly lost?: boolean;
    }
  | { readonly is: 'state'; readonly term: number; readonly record: Record<unknown> }
  | { readonly is: 'go'; readonly term: number }
  | { readonly is: 'forward'; readonly ask?: string; readonly op: Op }
  | {
      readonly is: 'done';
      readonly ask: string;
      readonly outcome: 'acknowledged' | 'refused';
      readonly says: string;
      readonly version?: number;
    }
  | { readonly is: 'alarm'; readonly name: string; readonly nth: number };

/** What makes one engine's group differ from another's. */
export interface Rules<S> {
  readonly empty: S;
  /** What the founder writes into an empty store. */
  found(id: string): S;
  /** What an entry adds. Gives the state after it, or why it doesn't count (then nothing changes). */
  apply(state: S, op: Op, entry: Point): { readonly state: S; readonly version?: number } | { readonly refused: string };
  /** Whether an entry counts: the group's members, those that have it (the leader too), those that the leader hasn't given up. */
  counts(members: readonly string[], have: readonly string[], present: readonly string[]): boolean;
  /** How many members have to agree before one of them leads. */
  electors(members: number): number;
  /** Whether any member takes writes and passes them on to the one that orders them. */
  anyTakes: boolean;
  /** Whether a member that stops in order leaves the group until it is back. */
  leavesOnStop: boolean;
  /** Higher leads where it can. */
  priority?(id: string): number;
  /** How long a member waits before it believes that the leader is gone, in ms, both ends included. */
  readonly patienceMs: readonly [number, number];
  /** How long the whole state takes to hand over, in ms. */
  givingMs(site: { seed: number }, state: S, to: string): number;
  readonly words: { readonly leader: string; readonly follower: string; readonly alone: string };
}
