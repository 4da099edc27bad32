import type { Shard } from './drives';

/** An object that is being put, until enough volumes have it. */
interface Put {
  readonly object: string;
  readonly shards: readonly Shard[];
  readonly stored: readonly string[];
  readonly says: string;
  /** The ask that it is one of many puts for. */
  readonly of?: string;
}

/** What members of a store send each other. */
export type Body =
  | { readonly is: 'store'; readonly object: string; readonly shards: readonly (Shard | null)[]; readonly put?: string }
  | { readonly is: 'stored'; readonly put: string; readonly drives: readonly string[] }
  | { readonly is: 'got'; readonly ask: string }
  | { readonly is: 'copied'; readonly ask: string }
  | { readonly is: 'heal'; readonly nth: number };

/** What a member has in mind while it runs. */
export interface Mind {
  readonly puts: Readonly<{ [ask: string]: Put }>;
  readonly healing?: number;
  /** Asks that need many puts: how many are still to be stored, and what is said then. */
  readonly many?: Readonly<{ [ask: string]: { readonly left: number; readonly says: string; readonly count: number } }>;
}
