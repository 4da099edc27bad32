/** A place in a text or an object that a problem points to. Lines and columns count from 1. */
export interface Place {
  readonly file?: string;
  readonly line?: number;
  readonly column?: number;
  /** Path into the object, e.g. `spec.resources.requests.storage`. */
  readonly field?: string;
  /** `Kind namespace/name` of the object, where it is known. */
  readonly object?: string;
}

/** The closed list of what can be wrong with what a person hands in. */
export type ProblemCode =
  | 'yaml-syntax'
  | 'alias-bomb'
  | 'tab-indent'
  | 'too-deep'
  | 'too-large'
  | 'not-text'
  | 'unserved-version'
  | 'selector-labels'
  | 'mount-without-volume'
  | 'cluster-wide'
  | 'read-only'
  | 'not-an-object'
  | 'unknown-kind'
  | 'missing-field'
  | 'wrong-type'
  | 'bad-value'
  | 'bad-name'
  | 'bad-quantity'
  | 'duplicate-object'
  | 'nothing-to-send'
  | 'namespace-missing'
  | 'immutable-field'
  | 'claim-cannot-grow'
  | 'not-sendable'
  | 'still-used'
  | 'unfit-version'
  | 'cannot-write'
  | 'cannot-ask'
  | 'cannot-join'
  | 'bad-layout'
  | 'not-found'
  | 'later-actions';

/** Something wrong, where, and what to do about it. Collected, never thrown one by one. */
export interface Problem {
  readonly code: ProblemCode;
  readonly message: string;
  readonly remedy: string;
  readonly at: Place;
}

/** A broken precondition inside the core: a mistake of ours, not of the reader's. */
export class CoreError extends Error {
  /**
   * @param where the function that found it
   * @param rule what should have held
   * @param value what was seen instead
   */
  constructor(where: string, rule: string, value: unknown) {
    super(`${where}: ${rule}; got ${typeof value === 'string' ? value : JSON.stringify(value)}`);
    this.name = 'CoreError';
  }
}
