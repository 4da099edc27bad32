import { LineCounter, isAlias, isMap, isNode, isSeq, parseAllDocuments, type Document } from 'yaml';
import type { Place, Problem } from '../shared';
import { kindEntries, kindEntry, keyOf, nameFault, nearestName, refOf, type ApiObject, type KindEntry } from '../model';
import { extraFaults } from './checks';
import { explainIssue } from './explain';

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

type Path = readonly (string | number)[];

/** Most aliases that are followed in one document; more is taken for an attack. */
const mostAliases = 100;

/** A source text with a way from a path in a document to its line and column. */
interface Source {
  readonly file: string | undefined;
  place(document: Document, path: Path): Place;
  placeAt(offset: number): Place;
}

function sourceOf(lines: LineCounter, linesBefore: number, file: string | undefined): Source {
  const placeAt = (offset: number): Place => {
    const { line, col } = lines.linePos(offset);
    return { ...(file === undefined ? {} : { file }), line: line + linesBefore, column: col };
  };
  return {
    file,
    placeAt,
    place(document, path) {
      let offset = document.range?.[0] ?? 0;
      let at: unknown = document.contents;
      if (isNode(at) && at.range) offset = at.range[0];
      for (const step of path) {
        if (isAlias(at)) at = at.resolve(document);
        if (isMap(at)) {
          const pair = at.items.find((one) => String((one.key as { value?: unknown } | null)?.value ?? one.key) === String(step));
          if (!pair) break;
          if (isNode(pair.key) && pair.key.range) offset = pair.key.range[0];
          at = pair.value;
        } else if (isSeq(at) && typeof step === 'number') {
          at = at.items[step];
          if (isNode(at) && at.range) offset = at.range[0];
        } else break;
      }
      return placeAt(offset);
    }
  };
}

/** The cluster API takes a field of null for a field left out; so do we. */
function withoutNulls(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(withoutNulls);
  if (typeof value !== 'object' || value === null) return value;
  const kept: Record<string, unknown> = {};
  for (const [key, inner] of Object.entries(value)) if (inner !== null) kept[key] = withoutNulls(inner);
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

function unknownKind(value: Record<string, unknown>, entry: KindEntry | undefined): Pick<Problem, 'message' | 'remedy'> {
  const { kind, apiVersion } = value;
  if (entry) {
    return {
      message: `${entry.kind} is read as ${entry.apiVersion}, not as "${String(apiVersion ?? '')}".`,
      remedy: `Write apiVersion: ${entry.apiVersion}.`
    };
  }
  if (kind === undefined)
    return { message: 'The document names no kind.', remedy: 'Add apiVersion and kind, e.g. apiVersion: v1 and kind: Service.' };
  const near = kindEntries.find((one) => one.kind.toLowerCase() === String(kind).toLowerCase());
  return {
    message: `The kind "${String(kind)}" is not known here.`,
    remedy: near
      ? `Write kind: ${near.kind}.`
      : `Known kinds: ${kindEntries
          .filter((one) => !one.derived)
          .map((one) => one.kind)
          .join(', ')}.`
  };
}

function nameProblems(
  value: Record<string, unknown>,
  entry: KindEntry
): { field: Path; code: Problem['code']; message: string; remedy: string }[] {
  const meta = isRecord(value.metadata) ? value.metadata : {};
  const faults: { field: Path; code: Problem['code']; message: string; remedy: string }[] = [];
  const check = (name: unknown, field: Path, rule: KindEntry['nameRule']) => {
    if (typeof name !== 'string') return;
    const fault = nameFault(name, rule);
    if (!fault) return;
    const near = nearestName(name, rule);
    faults.push({
      field,
      code: 'bad-name',
      message: `The name "${name}" ${fault}.`,
      remedy: near ? `Write "${near}", say.` : 'Choose another name.'
    });
  };
  check(meta.name, ['metadata', 'name'], entry.nameRule);
  if (entry.namespaced) check(meta.namespace, ['metadata', 'namespace'], 'label');
  else if (meta.namespace !== undefined)
    faults.push({
      field: ['metadata', 'namespace'],
      code: 'bad-value',
      message: `${entry.kind} belongs to the whole cluster, not to a namespace.`,
      remedy: 'Leave metadata.namespace out.'
    });
  return faults;
}

function readOne({ value, path }: Raw, document: Document, source: Source, problems: Problem[]): ReadObject | undefined {
  const at = (field: Path): Place => ({ ...source.place(document, [...path, ...field]), field: field.join('.') });
  if (!isRecord(value)) {
    problems.push({
      code: 'not-an-object',
      message: 'A document must be a map with apiVersion, kind and metadata.',
      remedy: 'Separate documents by a line of "---" and begin each with apiVersion and kind.',
      at: source.place(document, path)
    });
    return undefined;
  }
  const entry = kindEntry(String(value.kind));
  if (!entry || entry.apiVersion !== value.apiVersion) {
    problems.push({ code: 'unknown-kind', ...unknownKind(value, entry), at: at([entry ? 'apiVersion' : 'kind']) });
    return undefined;
  }
  const before = problems.length;
  const parsed = entry.schema.safeParse(value);
  for (const issue of parsed.error?.issues ?? []) {
    const field = issue.path.map((step) => (typeof step === 'symbol' ? String(step) : step));
    problems.push({ ...explainIssue(issue, value), at: at(field) });
  }
  for (const { field, ...fault } of nameProblems(value, entry)) problems.push({ ...fault, at: at(field) });
  if (parsed.success) {
    for (const { field, ...fault } of extraFaults(parsed.data as ApiObject)) problems.push({ ...fault, at: at(field) });
  }
  if (problems.length > before || !parsed.success) return undefined;
  const object = parsed.data as ApiObject;
  const placed =
    entry.namespaced && !object.metadata.namespace
      ? ({ ...object, metadata: { ...object.metadata, namespace: 'default' } } as ApiObject)
      : object;
  return { object: placed, at: { ...source.place(document, path), object: keyOf(refOf(placed)) } };
}

function duplicates(objects: readonly ReadObject[]): Problem[] {
  const seen = new Map<string, Place>();
  const problems: Problem[] = [];
  for (const { object, at } of objects) {
    const key = keyOf(refOf(object));
    const first = seen.get(key);
    if (!first) seen.set(key, at);
    else
      problems.push({
        code: 'duplicate-object',
        message: `${key} is written twice; the first stands in line ${first.line}${first.file ? ` of ${first.file}` : ''}.`,
        remedy: 'Keep one of the two.',
        at
      });
  }
  return problems;
}

/** Reads a piece of a text: whole documents, with so many lines before them. */
function readPiece(text: string, linesBefore: number, file: string | undefined): { objects: ReadObject[]; problems: Problem[] } {
  const lines = new LineCounter();
  const problems: Problem[] = [];
  const objects: ReadObject[] = [];
  const source = sourceOf(lines, linesBefore, file);
  const documents = parseAllDocuments(text, { lineCounter: lines, merge: true, prettyErrors: false });
  for (const document of Array.isArray(documents) ? documents : []) {
    if (document.errors.length) {
      for (const error of document.errors.slice(0, 20)) {
        problems.push({
          code: 'yaml-syntax',
          message: `This is no valid YAML: ${error.message}`,
          remedy: 'Check the indentation and the quotes on this line and the one before it.',
          at: source.placeAt(error.pos[0])
        });
      }
      continue;
    }
    let value: unknown;
    try {
      value = withoutNulls(document.toJS({ maxAliasCount: mostAliases }));
    } catch (error) {
      problems.push({
        code: 'alias-bomb',
        message: `The document can't be unfolded: ${error instanceof Error ? error.message : String(error)}.`,
        remedy: `Write the repeated parts out; at most ${mostAliases} aliases are followed.`,
        at: source.place(document as Document, [])
      });
      continue;
    }
    if (value === null || value === undefined) continue;
    for (const raw of spread({ value, path: [] })) {
      const one = readOne(raw, document as Document, source, problems);
      if (one) objects.push(one);
    }
  }
  return { objects, problems };
}

/** A long text is read in pieces of about this many characters, always whole documents. */
const pieceLength = 65_536;

/** A line of three dashes begins a document wherever it stands (YAML 1.2.2, 9.1.2), so a text can be cut there. */
function piecesOf(text: string): string[] {
  if (text.length <= pieceLength) return [text];
  const pieces: string[] = [];
  let start = 0;
  for (const { index } of text.matchAll(/^---(?=[ \t\r\n]|$)/gm)) {
    if (index - start < pieceLength) continue;
    pieces.push(text.slice(start, index));
    start = index;
  }
  pieces.push(text.slice(start));
  return pieces;
}

/** Reads like {@link readManifests}, a piece at each step, so that others get their turn between. */
export function* readSteps(text: string, file?: string): Generator<void, ReadResult> {
  const objects: ReadObject[] = [];
  const problems: Problem[] = [];
  let linesBefore = 0;
  for (const piece of piecesOf(text)) {
    const read = readPiece(piece, linesBefore, file);
    for (const one of read.objects) objects.push(one);
    for (const one of read.problems) problems.push(one);
    linesBefore += piece.split('\n').length - 1;
    yield;
  }
  return { objects, problems: [...problems, ...duplicates(objects)] };
}

/**
 * Reads multi-document YAML or JSON. Every problem carries line and column; unknown fields are kept.
 * @param text the manifests; `List` objects stand for their items
 * @param file the file's name, for the places in problems
 */
export function readManifests(text: string, file?: string): ReadResult {
  const steps = readSteps(text, file);
  for (;;) {
    const step = steps.next();
    if (step.done) return step.value;
  }
}

/** Reads several files dropped together; an object may stand in one of them only. */
export function readFiles(files: readonly { name: string; text: string }[]): ReadResult {
  const read = files.map(({ name, text }) => readManifests(text, name));
  const objects = read.flatMap((one) => one.objects);
  const within = read.flatMap((one) => one.problems);
  const across = duplicates(objects).filter((one) => !within.some((other) => other.at === one.at));
  return { objects, problems: [...within, ...across] };
}
