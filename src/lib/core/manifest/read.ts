import { isAlias, LineCounter, parseAllDocuments, visit, type Document } from 'yaml';
import type { Place, Problem } from '../shared';
import { keyOf, kindEntries, kindEntry, nameFault, nearestName, refOf, type ApiObject, type KindEntry } from '../model';
import { extraFaults } from './checks';
import { explainIssue } from './explain';
import { longText, piecesOf } from './pieces';
import { unservedVersions } from './versions';
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
}

/** An object with faults, as far as it can be understood, for whoever looks at the rest of it. */
export interface Rough extends Written {
  /** Where its faults are; what is said of these places, or of what holds them, means nothing. */
  readonly faulty: readonly Path[];
  /** Parts were left out to understand the rest. */
  readonly cut: boolean;
}

export interface WrittenResult {
  readonly objects: readonly Written[];
  readonly problems: readonly WrittenProblem[];
  /** What the problems are in. */
  readonly rough?: readonly Rough[];
}

/** Most aliases that are followed in one document; more is taken for an attack. */
const mostAliases = 100;
/** Deepest nesting that is followed; no kind of the cluster API comes near it. */
export const deepest = 100;

/** The cluster API takes a field of null for a field left out; so do we. Throws RangeError for a value nested too deep. */
export function withoutNulls(value: unknown, depth = 0): unknown {
  if (typeof value !== 'object' || value === null) return value;
  if (depth > deepest) throw new RangeError('too deep');
  if (Array.isArray(value)) return value.map((one) => withoutNulls(one, depth + 1));
  const kept: Record<string, unknown> = {};
  for (const key in value) {
    const inner = (value as Record<string, unknown>)[key];
    if (inner !== null) kept[key] = withoutNulls(inner, depth + 1);
  }
  return kept;
}

const isRecord = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null && !Array.isArray(value);

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

function unknownKind(value: Record<string, unknown>, entry: KindEntry | undefined): Pick<Problem, 'code' | 'message' | 'remedy'> {
  const { kind, apiVersion } = value;
  const gone = unservedVersions[`${String(apiVersion)} ${String(kind)}`];
  if (entry && gone)
    return {
      code: 'unserved-version',
      message: `${String(apiVersion)} of ${entry.kind} is no longer served; clusters from ${gone} on don't know it.`,
      remedy: `Write apiVersion: ${entry.apiVersion}.`
    };
  if (entry)
    return {
      code: 'unknown-kind',
      message: `${entry.kind} is read as ${entry.apiVersion}, not as "${String(apiVersion ?? '')}".`,
      remedy: `Write apiVersion: ${entry.apiVersion}.`
    };
  if (kind === undefined)
    return {
      code: 'unknown-kind',
      message: 'The document names no kind.',
      remedy: 'Add apiVersion and kind, e.g. apiVersion: v1 and kind: Service.'
    };
  const near = kindEntries.find((one) => one.kind.toLowerCase() === String(kind).toLowerCase());
  const known = kindEntries.filter((one) => !one.derived).map((one) => one.kind);
  return {
    code: 'unknown-kind',
    message: `The kind "${String(kind)}" is not known here.`,
    remedy: near ? `Write kind: ${near.kind}.` : `Known kinds: ${known.join(', ')}.`
  };
}

type PathFault = Omit<Problem, 'at'> & { path: Path };

function nameProblems(value: Record<string, unknown>, entry: KindEntry): PathFault[] {
  const meta = isRecord(value.metadata) ? value.metadata : {};
  const faults: PathFault[] = [];
  const check = (name: unknown, path: Path, rule: KindEntry['nameRule']) => {
    if (typeof name !== 'string') return;
    const fault = nameFault(name, rule);
    if (!fault) return;
    const near = nearestName(name, rule);
    const remedy = near ? `Write "${near}", say.` : 'Choose another name.';
    faults.push({ path, code: 'bad-name', message: `The name "${name}" ${fault}.`, remedy });
  };
  check(meta.name, ['metadata', 'name'], entry.nameRule);
  if (entry.namespaced) check(meta.namespace, ['metadata', 'namespace'], 'label');
  else if (meta.namespace !== undefined)
    faults.push({
      path: ['metadata', 'namespace'],
      code: 'cluster-wide',
      message: `${entry.kind} belongs to the whole cluster, not to a namespace.`,
      remedy: 'Leave metadata.namespace out.'
    });
  return faults;
}

interface Understood {
  readonly object: ApiObject;
  readonly faulty: readonly Path[];
  readonly cut: boolean;
}

const mostCuts = 12;

/** What is left of a value when the parts that its kind doesn't take are left out; undefined where too little is. */
function withoutFaults(value: Record<string, unknown>, entry: KindEntry, wrong: readonly Path[]): Understood | undefined {
  const left = withoutNulls(value) as Record<string, unknown>;
  const faulty: Path[] = [];
  let paths = wrong;
  for (let turn = 0; turn < mostCuts; turn += 1) {
    for (const path of paths) {
      let at = path;
      // What is missing can't be left out; what lacks it can.
      while (at.length > 1 && at.reduce<unknown>((node, step) => (node as Record<string, unknown> | undefined)?.[step], left) === undefined)
        at = at.slice(0, -1);
      if (at.length < 2) return undefined;
      const holder = at.slice(0, -1);
      const node = holder.reduce<unknown>((one, step) => (one as Record<string, unknown>)[step], left);
      if (Array.isArray(node)) node.splice(Number(at.at(-1)), 1);
      else delete (node as Record<string, unknown>)[at.at(-1)!];
      // Further items have other places now, so nothing is said of the list.
      faulty.push(Array.isArray(node) ? holder : at);
    }
    const parsed = entry.schema.safeParse(left);
    if (parsed.success) return { object: parsed.data as ApiObject, faulty: [...faulty, ...wrong], cut: true };
    paths = parsed.error.issues.slice(0, 1).map((one) => one.path as Path);
  }
  return undefined;
}

/** What an object's value is worth: the object, or all that is wrong with it and what can be understood all the same. */
export function judge(value: unknown): { object?: ApiObject; faults: PathFault[]; rough?: Understood } {
  if (!isRecord(value))
    return {
      faults: [
        {
          path: [],
          code: 'not-an-object',
          message: 'A document must be a map with apiVersion, kind and metadata.',
          remedy: 'Separate documents by a line of "---" and begin each with apiVersion and kind.'
        }
      ]
    };
  const entry = kindEntry(String(value.kind));
  if (!entry || entry.apiVersion !== value.apiVersion)
    return { faults: [{ path: [entry ? 'apiVersion' : 'kind'], ...unknownKind(value, entry) }] };
  const parsed = entry.schema.safeParse(value);
  const faults: PathFault[] = (parsed.error?.issues ?? []).map((issue) => ({
    path: issue.path.map((step) => (typeof step === 'symbol' ? String(step) : step)),
    ...explainIssue(issue, value)
  }));
  faults.push(...nameProblems(value, entry));
  if (parsed.success) faults.push(...extraFaults(parsed.data as ApiObject).map(({ field, ...fault }) => ({ ...fault, path: field })));
  const placed = (object: ApiObject) =>
    entry.namespaced && !object.metadata.namespace
      ? ({ ...object, metadata: { ...object.metadata, namespace: 'default' } } as ApiObject)
      : object;
  if (!faults.length && parsed.success) return { object: placed(parsed.data as ApiObject), faults };
  const wrong = faults.map((one) => one.path);
  const issues = (parsed.error?.issues ?? []).slice(0, 1).map((one) => one.path as Path);
  const rough = parsed.success ? { object: parsed.data as ApiObject, faulty: wrong, cut: false } : withoutFaults(value, entry, issues);
  if (!rough) return { faults };
  // What the schema hid is said at once.
  const hidden = rough.cut ? extraFaults(rough.object).filter((one) => !touches(one.field, rough.faulty)) : [];
  return {
    faults: [...faults, ...hidden.map(({ field, ...fault }) => ({ ...fault, path: field }))],
    rough: { ...rough, object: placed(rough.object), faulty: [...rough.faulty, ...wrong] }
  };
}

/** Whether a place is one of some others, lies within one, or holds one. */
export const touches = (path: Path, others: readonly Path[]): boolean =>
  others.some((other) => {
    const both = Math.min(path.length, other.length);
    return path.slice(0, both).every((step, i) => step === other[i]);
  });

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
  let documents: Document[];
  try {
    const parsed = parseAllDocuments(text, { lineCounter: lines, merge: true, prettyErrors: false });
    documents = Array.isArray(parsed) ? (parsed as Document[]) : [];
  } catch {
    return { objects, rough: [], problems: [{ fault: tooDeep, writing: fallback(), offset: 0 }] };
  }
  for (const document of documents) {
    const writing = new Writing(document, text, lines, [], undefined);
    for (const error of document.errors.slice(0, 20)) {
      problems.push({ fault: syntaxFault(error.message, text, error.pos[0]), writing, offset: error.pos[0] });
    }
    const got = valueOf(document);
    if (document.errors.length) {
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
