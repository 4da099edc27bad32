import type { ApiObject, Facts } from '../model';

/** One question of a blueprint: a slot in its sentence. Answers are text. */
export interface Question {
  readonly id: string;
  readonly label: string;
  readonly kind: 'name' | 'domain' | 'count' | 'size' | 'choice' | 'class' | 'text';
  readonly start: string;
  /** Least and most of a count. */
  readonly range?: readonly [number, number];
  /** Of a choice: value and word. */
  readonly options?: readonly (readonly [value: string, word: string])[];
}

/** A reader's answers by the ids of their questions; always texts. */
export type Answers = Readonly<Record<string, string>>;

/** What is wrong with an answer, and what would be right. */
export interface AnswerFault {
  readonly question: string;
  readonly message: string;
}

/** A figure that follows from the answers. */
export interface Figure {
  readonly label: string;
  readonly value: string;
  readonly note?: string;
}

/** Something worth knowing before it is sent. */
export interface Remark {
  readonly state: 'holds' | 'settling' | 'broken';
  readonly says: string;
}

/** One member of the drawing beside the questions: what stands where, as bars of words. */
export interface DrawnRow {
  readonly name: string;
  readonly parts: readonly { readonly word: string; readonly kind: 'data' | 'parity' | 'member' | 'first' | 'none' }[];
}

/** A choice and its neighbours, side by side, where one figure moves. */
export interface Ladder {
  readonly title: string;
  readonly rows: readonly { readonly label: string; readonly share: number; readonly says: string; readonly chosen: boolean }[];
}

/** A kind of workload: its questions, and what they come to. */
export interface Blueprint {
  readonly id: string;
  readonly title: string;
  /** What it is for, in one sentence. */
  readonly says: string;
  readonly questions: readonly Question[];
  /**
   * The questions as sentences: texts, and ids of questions in braces, e.g. `It has {members} members.` What only counts after a certain
   * answer stands in brackets behind it: `[reach=outside: called {domain}]`.
   */
  readonly sentence: string;
  faults?(answers: Answers, facts: Facts): AnswerFault[];
  /** @param secret gives a new random value (>= 128 bits) for a name */
  objects(answers: Answers, secret: (name: string) => string): ApiObject[];
  figures(answers: Answers): Figure[];
  drawn?(answers: Answers): DrawnRow[];
  ladder?(answers: Answers): Ladder;
}
