import type { Row } from './series-copies';

/** Where a span is kept. */
export interface SpanPlace {
  readonly nodes: readonly string[];
  /** Copies that lack something: they aren't read until they have been made anew. */
  readonly stale: readonly string[];
}

/** What the front member knows of all tables. */
export interface Catalogue {
  readonly tables: Readonly<{
    [table: string]: {
      readonly copies: number;
      readonly spans: Readonly<{ [span: string]: SpanPlace }>;
      /** How many of that name were dropped before it: part of its spans' names. */
      readonly nth?: number;
    };
  }>;
  /** How many tables of a name were dropped. */
  readonly dropped?: Readonly<{ [table: string]: number }>;
}

/** What lies in a store member's volume. */
export interface StoreDisk {
  readonly spans: Readonly<{ [span: string]: readonly Row[] }>;
}

/** Rows that are on their way, until all who keep them have answered. */
export interface Insert {
  readonly count: number;
  /** What is said once all is kept. */
  readonly says?: string;
  /** By span: nodes that haven't answered yet, and those that have. */
  readonly open: Readonly<{ [span: string]: readonly string[] }>;
  readonly done: Readonly<{ [span: string]: readonly string[] }>;
}

/** What the front member has in mind while it runs. */
export interface FrontMind {
  readonly inserts: Readonly<{ [ask: string]: Insert }>;
  readonly mending?: number;
}

/** What members send each other. */
export type Body =
  | { readonly is: 'rows'; readonly span: string; readonly rows: readonly Row[]; readonly ask: string }
  | { readonly is: 'kept'; readonly span: string; readonly ask: string }
  | { readonly is: 'late'; readonly ask: string }
  | { readonly is: 'mend'; readonly nth: number }
  | { readonly is: 'copy'; readonly span: string; readonly to: string }
  | { readonly is: 'whole'; readonly span: string; readonly rows: readonly Row[] }
  | { readonly is: 'mended'; readonly span: string }
  | { readonly is: 'forget'; readonly table: string; readonly before: number };
