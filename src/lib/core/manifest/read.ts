import type { FieldMend } from '../validation';
import { isAlias, isScalar, LineCounter, parseAllDocuments, visit, type Document, type Node } from 'yaml';
import type { Place, Problem } from '../shared';
import { keyOf, refOf, type ApiObject } from '../model';
import { deepest, isRecord, judge, withoutNulls, type PathFault, type Understood } from './judge';
import { longText, piecesOf } from './pieces';
import { Writing, type Path } from './writing';

/** One object as it was written, and where. */
export interface ReadObject {
  readonly object: ApiObject;
  readonly at: Place;
}

/** What reading gives: the right objects, and all that is wrong with the others. Nothing is thrown. */
export interface ReadResult {
  readonly objects: readonly ReadObject[];
  readonly problems: readonly Problem[];
}

/** An object together with its writing, for whoever wants to change the text. */
export interface Written extends ReadObject {
  readonly writing: Writing;
  /** As it was written: before namespaces were filled in. */
  readonly value: Readonly<Record<string, unknown>>;
}

/** A problem together with the writing of the object it was found in. */
export interface WrittenProblem extends Problem {
  readonly writing?: Writing;
  readonly path?: Path;
  readonly value?: Readonly<Record<string, unknown>>;
  /** It was found when parts of the object had been left out: what mends it can't look at the whole. */
  readonly hidden?: boolean;
  /** What mends it for certain. */
  readonly mend?: FieldMend;
}

/** An object with faults, as far as it can be understood, for whoever looks at the rest of it. */
export interface Rough extends Written {
  /** Where its faults are; what is said of these places, or of what holds them, means nothing. */
  readonly faulty: readonly Path[];
  /** Parts were left out to understand the rest. */
  readonly cut: boolean;
}

/** Objects of a text with the places of their fields, and what is wrong with it. */
export interface WrittenResult {
  readonly objects: readonly Written[];
  readonly problems: readonly WrittenProblem[];
  /** What the problems are in. */
  readonly rough?: readonly Rough[];
}

/** Most aliases that are followed in one document; more is taken for an attack. */
const mostAliases = 100;

interface Raw {
  readonly value: unknown;
  readonly path: Path;
}

/** A `List` (or any `...List`) stands for its items. */
function spread({ value, path }: Raw): Raw[] {
  if (isRecord(value) && typeof value.kind === 'string' && value.kind.endsWith('List') && Array.isArray(value.items)) {
    return value.items.flatMap((item, i) => spread({ value: item, path: [...path, 'items', i] }));
  }
  return [{ value, path }];
}

interface ReadPiece {
  readonly objects: readonly { object: ApiObject; value: Record<string, unknown>; writing: Writing }[];
  readonly rough: readonly (Understood & { value: Record<string, unknown>; writing: Writing })[];
  readonly problems: readonly { fault: PathFault; writing: Writing; offset?: number; value?: Record<string, unknown> }[];
}

function syntaxFault(message: string, text: string, offset: number): PathFault {
  const start = text.lastIndexOf('\n', offset - 1) + 1;
  const line = text.slice(start, text.indexOf('\n', start) < 0 ? undefined : text.indexOf('\n', start));
  if (/^[ ]*\t/.test(line))
    return {
      path: [],
      code: 'tab-indent',
      message: 'This line is indented with a tab, which YAML does not allow.',
      remedy: 'Indent with spaces.'
    };
  return {
    path: [],
    code: 'yaml-syntax',
    message: `This is no valid YAML: ${message}`,
    remedy: 'Check the indentation and the quotes on this line and the one before it.'
  };
}

const tooDeep: PathFault = {
  path: [],
  code: 'too-deep',
  message: `The document is nested more than ${deepest} levels deep.`,
  remedy: 'No kind of the cluster API is nested like that; look for brackets or dashes that were never closed.'
};

/** Deepest indentation and most brackets in a row; tells before parsing whether a text would overrun the stack. */
export function overNested(text: string): boolean {
  let open = 0;
  let most = 0;
  for (let i = 0; i < text.length; i += 1) {
    const code = text.charCodeAt(i);
    if (code === 91 || code === 123) most = Math.max(most, (open += 1));
    else if (code === 93 || code === 125) open = Math.max(0, open - 1);
    else if (code === 45 && text.charCodeAt(i + 1) === 32) {
      let run = 0;
      while (text.charCodeAt(i) === 45 && text.charCodeAt(i + 1) === 32) [run, i] = [run + 1, i + 2];
      most = Math.max(most, run);
      i -= 1;
    }
    if (most > deepest * 5) return true;
  }
  return false;
}

/** So many lines and entries of flow lists and maps one document may have; the largest that a cluster takes come to a third of it. */
const mostMarks = 60_000;

/** Whether a document would take too long to read: lines, and commas of what is written in brackets. */
function overLong(text: string): boolean {
  if (text.length < mostMarks) return false;
  let marks = 0;
  for (let i = 0; i < text.length; i += 1) {
    const code = text.charCodeAt(i);
    if ((code === 10 || code === 44) && (marks += 1) > mostMarks) return true;
  }
  return false;
}

const tooLong: PathFault = {
  path: [],
  code: 'too-large',
  message: `One document has more than ${mostMarks.toLocaleString('en')} lines or entries.`,
  remedy: 'Split it into several documents with lines of "---", or leave out what is no manifest.'
};

/** A key that a map holds twice, with where it stands the second time. The parser's own look for it takes the square of their number. */
function doubledKeys(document: Document): { key: string; at: number }[] {
  const found: { key: string; at: number }[] = [];
  visit(document, {
    Map(_, map) {
      const keys = new Set<unknown>();
      for (const { key } of map.items) {
        if (!isScalar(key) || key.value === '<<') continue;
        if (keys.has(key.value)) found.push({ key: String(key.value), at: (key as Node).range?.[0] ?? 0 });
        keys.add(key.value);
      }
    }
  });
  return found;
}

function aliasCount(document: Document): number {
  let count = 0;
  visit(document, (_, node) => void (count += isAlias(node) ? 1 : 0));
  return count;
}

function valueOf(document: Document): { value: unknown } | { fault: PathFault } {
  try {
    return { value: withoutNulls(document.toJS({ maxAliasCount: mostAliases })) };
  } catch (error) {
    if (error instanceof RangeError && aliasCount(document) === 0) return { fault: tooDeep };
    return {
      fault: {
        path: [],
        code: 'alias-bomb',
        message: `The document can't be unfolded: ${error instanceof Error ? error.message : String(error)}.`,
        remedy: `Write the repeated parts out; at most ${mostAliases} aliases are followed.`
      }
    };
  }
}

/** Reads a piece of a text: whole documents. Places in it count from the piece's own beginning. */
function readPiece(text: string): ReadPiece {
  const lines = new LineCounter();
  const problems: { fault: PathFault; writing: Writing; offset?: number; value?: Record<string, unknown> }[] = [];
  const objects: { object: ApiObject; value: Record<string, unknown>; writing: Writing }[] = [];
  const understood: ReadPiece['rough'][number][] = [];
  const fallback = () => new Writing({ contents: null } as never, text, lines, [], undefined);
  if (overNested(text)) return { objects, rough: [], problems: [{ fault: tooDeep, writing: fallback(), offset: 0 }] };
  if (overLong(text)) return { objects, rough: [], problems: [{ fault: tooLong, writing: fallback(), offset: 0 }] };
  let documents: Document[];
  try {
    const parsed = parseAllDocuments(text, { lineCounter: lines, merge: true, prettyErrors: false, uniqueKeys: false });
    documents = Array.isArray(parsed) ? (parsed as Document[]) : [];
  } catch {
    return { objects, rough: [], problems: [{ fault: tooDeep, writing: fallback(), offset: 0 }] };
  }
  for (const document of documents) {
    const writing = new Writing(document, text, lines, [], undefined);
    for (const error of document.errors.slice(0, 20)) {
      problems.push({ fault: syntaxFault(error.message, text, error.pos[0]), writing, offset: error.pos[0] });
    }
    const doubled = document.errors.length ? [] : doubledKeys(document);
    for (const { key, at } of doubled.slice(0, 20))
      problems.push({ fault: syntaxFault(`the key "${key.slice(0, 80)}" stands twice in one map`, text, at), writing, offset: at });
    const got = valueOf(document);
    if (document.errors.length || doubled.length) {
      // Of what is being written nothing is said, but that it is there.
      const value = 'value' in got && isRecord(got.value) ? got.value : undefined;
      const mine = value && judge(value);
      const object = mine?.object ?? mine?.rough?.object;
      if (value && object) understood.push({ object, faulty: [[]], cut: true, value, writing });
    } else if ('fault' in got) problems.push({ fault: got.fault, writing });
    else if (got.value !== null && got.value !== undefined) {
      for (const { value, path } of spread({ value: got.value, path: [] })) {
        const mine = writing.within(path);
        const { object, faults, rough } = judge(value);
        const record = isRecord(value) ? value : undefined;
        for (const fault of faults) problems.push({ fault, writing: mine, ...(record ? { value: record } : {}) });
        if (object && record) objects.push({ object, value: record, writing: mine });
        if (rough && record) understood.push({ ...rough, value: record, writing: mine });
      }
    }
  }
  return { objects, rough: understood, problems };
}

/** Pieces that were read before, so that a key struck in one document doesn't read the others anew. Oldest go first. */
const remembered = new Map<string, ReadPiece>();
const mostRemembered = 3_000;

function readRemembered(text: string): ReadPiece {
  let known = remembered.get(text);
  if (known) remembered.delete(text);
  else known = readPiece(text);
  remembered.set(text, known);
  if (remembered.size > mostRemembered)
    for (const oldest of remembered.keys()) {
      remembered.delete(oldest);
      break;
    }
  return known;
}

const fieldText = (path: Path): string =>
  path.reduce<string>((text, step) => (typeof step === 'number' ? `${text}[${step}]` : text ? `${text}.${step}` : String(step)), '');

function duplicates(objects: readonly Written[]): WrittenProblem[] {
  const seen = new Map<string, Place>();
  const problems: WrittenProblem[] = [];
  for (const { object, at, writing, value } of objects) {
    const key = keyOf(refOf(object));
    const first = seen.get(key);
    if (!first) seen.set(key, at);
    else
      problems.push({
        code: 'duplicate-object',
        message: `${key} is written twice; the first stands in line ${first.line}${first.file ? ` of ${first.file}` : ''}.`,
        remedy: 'Keep one of the two.',
        at,
        writing,
        value,
        path: []
      });
  }
  return problems;
}

function* piecesRead(text: string, file?: string): Generator<void, { objects: Written[]; problems: WrittenProblem[]; rough: Rough[] }> {
  const objects: Written[] = [];
  const rough: Rough[] = [];
  const problems: WrittenProblem[] = [];
  const short = text.length <= longText;
  let since = 0;
  for (const piece of piecesOf(text)) {
    const read = short ? readRemembered(piece.text) : readPiece(piece.text);
    for (const one of read.objects) {
      const writing = one.writing.shifted(piece.linesBefore, piece.offsetBefore, file);
      objects.push({ object: one.object, value: one.value, writing, at: { ...writing.place([]), object: keyOf(refOf(one.object)) } });
    }
    for (const one of read.rough) {
      const writing = one.writing.shifted(piece.linesBefore, piece.offsetBefore, file);
      rough.push({ ...one, writing, at: { ...writing.place([]), object: keyOf(refOf(one.object)) } });
    }
    for (const { fault, offset, value, ...one } of read.problems) {
      const writing = one.writing.shifted(piece.linesBefore, piece.offsetBefore, file);
      const { path, ...rest } = fault;
      const place = offset === undefined ? writing.place(path) : writing.placeAt(offset);
      problems.push({
        ...rest,
        at: { ...place, ...(path.length ? { field: fieldText(path) } : {}) },
        writing,
        path,
        ...(value ? { value } : {})
      });
    }
    since += piece.text.length;
    if (since > 32_768) {
      since = 0;
      yield;
    }
  }
  return { objects, problems, rough };
}

/** Several files together, each object with its writing; a piece at each step, so that others get their turn between. */
export function* writtenSteps(files: readonly { name?: string | undefined; text: string }[]): Generator<void, WrittenResult> {
  const objects: Written[] = [];
  const problems: WrittenProblem[] = [];
  const rough: Rough[] = [];
  for (const { name, text } of files) {
    const read = yield* piecesRead(text, name);
    for (const one of read.objects) objects.push(one);
    for (const one of read.problems) problems.push(one);
    for (const one of read.rough) rough.push(one);
  }
  return { objects, problems: [...problems, ...duplicates(objects)], rough };
}

function whole<T>(steps: Generator<void, T>): T {
  for (;;) {
    const step = steps.next();
    if (step.done) return step.value;
  }
}

/** {@link writtenSteps} in one go. */
export const readWritten = (files: readonly { name?: string | undefined; text: string }[]): WrittenResult => whole(writtenSteps(files));

/** What was read, without the writing: plain data. */
export const plainResult = ({ objects, problems }: WrittenResult): ReadResult => ({
  objects: objects.map(({ object, at }) => ({ object, at })),
  problems: problems.map(({ code, message, remedy, at }) => ({ code, message, remedy, at }))
});

/** Reads like {@link readManifests}, a piece at each step, so that others get their turn between. */
export function* readSteps(text: string, file?: string): Generator<void, ReadResult> {
  return plainResult(yield* writtenSteps([{ text, name: file }]));
}

/**
 * Reads multi-document YAML or JSON. Every problem carries line and column; unknown fields are kept.
 * @param text the manifests; `List` objects stand for their items
 * @param file the file's name, for the places in problems
 */
export const readManifests = (text: string, file?: string): ReadResult => whole(readSteps(text, file));

/** Reads several files dropped together; an object may stand in one of them only. */
export const readFiles = (files: readonly { name: string; text: string }[]): ReadResult => plainResult(readWritten(files));
