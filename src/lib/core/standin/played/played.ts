/** What of a part's fields the stand-in plays out: their names, and what becomes of the others. */
export interface Played {
  /** Fields that something follows from. */
  readonly plays?: string;
  /** Fields that are kept, checked and handed out again, and nothing follows from; with what that means. */
  readonly not?: Readonly<Record<string, string>>;
}
