import { fieldOf, shownValue, type ProblemCode } from '../shared';

/** A path into an object: names of fields and places in lists. */
export type FieldPath = readonly (string | number)[];

/** A change of the object that mends a fault for certain. */
export interface FieldMend {
  /** What is done, e.g. `Write Always`. */
  readonly says: string;
  readonly wish: { readonly set: FieldPath; readonly value: unknown } | { readonly drop: FieldPath };
}

/** What the cluster API refuses of an object: the field, why, and what to write instead. */
export interface FieldFault {
  readonly field: FieldPath;
  readonly code: ProblemCode;
  readonly message: string;
  readonly remedy: string;
  readonly mend?: FieldMend;
}

/** A place in an object, from which rules look further in. What they refuse is gathered in one list. */
export class At {
  constructor(
    readonly value: unknown,
    readonly path: FieldPath,
    readonly found: FieldFault[]
  ) {}

  /** The field of a name, or the item of a number; it may hold nothing. */
  of(...steps: readonly (string | number)[]): At {
    let { value } = this;
    for (const step of steps)
      value =
        typeof value === 'object' && value !== null && Object.hasOwn(value, step) ? (value as Record<string, unknown>)[step] : undefined;
    return new At(value, [...this.path, ...steps], this.found);
  }

  /** Whether anything stands there. */
  get there(): boolean {
    return this.value !== undefined && this.value !== null;
  }
  /** The text there; undefined where there is none. */
  get text(): string | undefined {
    return typeof this.value === 'string' ? this.value : undefined;
  }
  get number(): number | undefined {
    return typeof this.value === 'number' ? this.value : undefined;
  }
  get isTrue(): boolean {
    return this.value === true;
  }
  get isMap(): boolean {
    return typeof this.value === 'object' && this.value !== null && !Array.isArray(this.value);
  }
  /** Its items; none where it is no list. */
  get items(): At[] {
    return Array.isArray(this.value) ? this.value.map((_, i) => this.of(i)) : [];
  }
  /** Its fields with their names; none where it is no map. */
  get entries(): [string, At][] {
    const { value } = this;
    return typeof value === 'object' && value !== null && !Array.isArray(value) ? Object.keys(value).map((key) => [key, this.of(key)]) : [];
  }
  /** Which of some fields it has. */
  having(names: readonly string[]): string[] {
    return names.filter((name) => this.of(name).there);
  }

  /** Refuses what stands here. `why` goes on after the field's name, e.g. `may not be empty`. */
  refuse(why: string, remedy: string, code: ProblemCode = 'bad-value', mend?: FieldMend): void {
    this.found.push({ field: this.path, code, message: `${fieldOf(this.path)} ${why}.`, remedy, ...(mend ? { mend } : {}) });
  }
  /** A mend that takes this field out. */
  get out(): FieldMend {
    return { says: `Leave ${String(this.path.at(-1))} out`, wish: { drop: this.path } };
  }
  /** A mend that writes another value here. */
  to(value: string | number | boolean): FieldMend {
    return { says: `Write ${String(value)}`, wish: { set: this.path, value } };
  }
  /** The same, with the value that stands here. */
  refuseValue(why: string, remedy: string, code: ProblemCode = 'bad-value', mend?: FieldMend): void {
    this.refuse(`is ${shownValue(this.value)}, which ${why}`, remedy, code, mend);
  }
  /** Refuses that a field stands here at all. */
  forbid(why: string, remedy = 'Leave it out.'): void {
    if (this.there) this.refuse(why, remedy, 'bad-value', this.out);
  }
  /** Asks for something that can't be left out; an empty text counts as nothing. */
  need(example: string): boolean {
    if (this.there && this.value !== '') return true;
    this.refuse('is missing', `Add it, e.g. ${example}.`, 'missing-field');
    return false;
  }
  /** One of some texts, where anything stands. */
  oneOf(allowed: readonly string[]): void {
    if (!this.there || (typeof this.value === 'string' && allowed.includes(this.value))) return;
    const same = allowed.find((one) => one.toLowerCase() === String(this.value).toLowerCase());
    this.refuseValue(
      'is not allowed there',
      `Write one of: ${allowed.filter(Boolean).join(', ')}.`,
      'bad-value',
      same === undefined ? undefined : this.to(same)
    );
  }
  /** A number between two, where one stands there. */
  between(least: number, most = Infinity): void {
    const { number } = this;
    if (number === undefined || (number >= least && number <= most)) return;
    const range = most === Infinity ? `${least} or more` : `between ${least} and ${most}`;
    this.refuse(`is ${number}; it must be ${range}`, `Write a number ${most === Infinity ? `from ${least} on` : range}.`);
  }
  /** A text under a rule, where one stands there. `fault` says what is wrong with it. */
  follows(fault: (text: string) => string | undefined, remedy: string, code: ProblemCode = 'bad-value'): boolean {
    const { text } = this;
    const wrong = text === undefined ? undefined : fault(text);
    if (wrong === undefined) return true;
    this.refuse(`is ${shownValue(text)}, which ${wrong}`, remedy, code);
    return false;
  }
  /** At most, or exactly, one of some fields. */
  choice(names: readonly string[], needed: boolean, what: string): string | undefined {
    const given = this.having(names);
    if (given.length > 1)
      this.of(given[1]!).refuse(`stands beside ${given[0]}; ${what} takes one of them`, `Keep one: ${given.join(' or ')}.`);
    else if (!given.length && needed)
      this.refuse(`names no ${what}`, `Add one of: ${names.slice(0, 8).join(', ')}${names.length > 8 ? ', ...' : ''}.`, 'missing-field');
    return given[0];
  }
  /** Items whose names, as `of` gives them, stand there a second time. */
  unique(of: (item: At) => string | undefined, what: string): void {
    const seen = new Set<string>();
    for (const item of this.items) {
      const name = of(item);
      if (name === undefined) continue;
      if (seen.has(name)) item.refuse(`is the second ${what} ${shownValue(name)}`, 'Give each its own, or take one out.');
      seen.add(name);
    }
  }
}
