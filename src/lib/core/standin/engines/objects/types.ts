import type { Shard } from './drives';

/** What is put, until enough volumes have it: one object, or many for one ask. */
interface Put {
  /** The first of them. */
  readonly first: Shard;
  readonly stored: readonly string[];
  readonly says: string;
  /** How many there are, where they are many. */
  readonly count?: number;
}

/** An object on its way to a member: a shard for each of its volumes that is to have one. */
export interface Sent {
  readonly object: string;
  readonly shards: readonly (Shard | null)[];
}

/** What members of a store send each other. */
export type Body =
  | { readonly is: 'store'; readonly all: readonly Sent[]; readonly put?: string }
  | { readonly is: 'stored'; readonly put: string; readonly drives: readonly string[] }
  | { readonly is: 'got'; readonly ask: string }
  | { readonly is: 'copied'; readonly ask: string; readonly names?: readonly string[] }
  | { readonly is: 'heal'; readonly nth: number };

/** What a member has in mind while it runs. */
export interface Mind {
  readonly puts: Readonly<{ [ask: string]: Put }>;
  readonly healing?: number;
}
