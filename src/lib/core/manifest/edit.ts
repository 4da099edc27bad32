import { isMap, isNode, isPair, isScalar, isSeq, stringify, type Pair, type Scalar, type YAMLMap, type YAMLSeq } from 'yaml';
import type { ApiObject } from '../model';
import { writeOne } from './write';
import type { Path, Writing } from './writing';

/** Characters of a text that are replaced. Offsets count from the beginning of the file. */
export interface TextEdit {
  readonly file?: string;
  readonly from: number;
  readonly to: number;
  readonly insert: string;
}

/** A wish for one object's text: a value at a path, a path gone, or a key with another name. */
export type Wish =
  | { readonly set: Path; readonly value: unknown }
  | { readonly drop: Path }
  | { readonly rename: Path; readonly to: string };

const flat = (value: unknown): string =>
  stringify(value, {
    collectionStyle: 'flow',
    lineWidth: 0,
    flowCollectionPadding: false,
    compat: 'yaml-1.1',
    aliasDuplicateObjects: false
  }).trimEnd();
const block = (value: unknown, indent: number): string =>
  stringify(value, { lineWidth: 0, compat: 'yaml-1.1', aliasDuplicateObjects: false })
    .trimEnd()
    .split('\n')
    .join(`\n${' '.repeat(indent)}`);

const isPlain = (value: unknown): boolean => typeof value !== 'object' || value === null;
const rangeOf = (node: unknown): readonly [number, number, number] => (isNode(node) && node.range ? node.range : [0, 0, 0]);
const nodeOf = (one: unknown): unknown => (isPair(one) ? one.value : one);

/** Column (from 0) at which an offset stands in its line. */
const columnOf = (text: string, offset: number): number => offset - (text.lastIndexOf('\n', offset - 1) + 1);

/** Where the text of a pair or an item ends, without the line break after it. */
function endOf(text: string, item: unknown): number {
  const value = nodeOf(item);
  let end = isNode(value) && value.range ? value.range[1] : isPair(item) ? rangeOf(item.key)[1] + 1 : 0;
  while (end > 0 && (text[end - 1] === '\n' || text[end - 1] === '\r')) end -= 1;
  return end;
}

const startOf = (item: unknown): number => rangeOf(isPair(item) ? item.key : item)[0];
/** The rest of a line after its value may hold a comment, which stays where it is. */
const lineEnd = (text: string, offset: number): number => {
  const at = text.indexOf('\n', offset);
  return at < 0 ? text.length : text[at - 1] === '\r' ? at - 1 : at;
};

function nested(steps: Path, value: unknown): unknown {
  return steps.reduceRight<unknown>((inner, step) => (typeof step === 'number' ? [inner] : { [step]: inner }), value);
}

/** A text of several lines under the mark that the old one had, as far in as its lines stood. */
function asBlock(source: string, value: string): string | undefined {
  const indent = /\n( +)\S/.exec(source)?.[1];
  const plain = /^\S/.test(value) && !/\n\n$/.test(value) && !/[^\t\n\x20-\x7e\x85\xa0-\ud7ff\ue000-\ufffd]/.test(value);
  if (indent === undefined || !plain) return undefined;
  const lines = value.replace(/\n$/, '').split('\n');
  return `${value.endsWith('\n') ? '|' : '|-'}\n${lines.map((one) => (one === '' ? '' : indent + one)).join('\n')}`;
}

/** A text in the quotes, or under the mark, that the old one had. */
function asWas(node: Scalar, value: string, source: string): string {
  if (node.type === 'BLOCK_LITERAL' || node.type === 'BLOCK_FOLDED') return asBlock(source, value) ?? JSON.stringify(value);
  if (value.includes('\n')) return JSON.stringify(value);
  if (node.type === 'QUOTE_DOUBLE') return JSON.stringify(value);
  if (node.type === 'QUOTE_SINGLE' && !value.includes('\n')) return `'${value.replace(/'/g, "''")}'`;
  return flat(value);
}

interface Cut {
  from: number;
  to: number;
  insert: string;
}

function into(text: string, holder: YAMLMap | YAMLSeq, step: string | number, value: unknown): Cut {
  const last = holder.items.at(-1);
  if (holder.flow || !last) {
    const close = rangeOf(holder)[1] - 1;
    const written = isMap(holder) ? `${flat(step)}: ${flat(value)}` : flat(value);
    return { from: close, to: close, insert: last ? `, ${written}` : written };
  }
  const end = lineEnd(text, endOf(text, last));
  const first = holder.items[0];
  if (isMap(holder)) {
    const indent = columnOf(text, startOf(first));
    return { from: end, to: end, insert: `\n${' '.repeat(indent)}${block({ [String(step)]: value }, indent)}` };
  }
  const indent = columnOf(text, rangeOf(holder)[0]);
  return { from: end, to: end, insert: `\n${' '.repeat(indent)}${block([value], indent)}` };
}

function setCut(writing: Writing, path: Path, value: unknown): Cut | undefined {
  const { text } = writing;
  const { node, pair, steps } = writing.find(path);
  if (steps === path.length && isNode(node) && node.range) {
    const [from, to] = [node.range[0], Math.max(node.range[0], endOf(text, node))];
    if (isScalar(node) && node.range[0] === node.range[1]) return { from, to, insert: ` ${flat(value)}` };
    if (isScalar(node) && typeof value === 'string') return { from, to, insert: asWas(node, value, text.slice(from, to)) };
    if (isPlain(value) || (!isScalar(node) && (node as YAMLMap).flow)) return { from, to, insert: flat(value) };
    if (isScalar(node)) return { from, to, insert: flat(value) };
    return { from, to, insert: block(value, columnOf(text, from)) };
  }
  const rest = path.slice(steps);
  const [next, ...deeper] = rest;
  if (next !== undefined && (isMap(node) || isSeq(node))) return into(text, node, next, nested(deeper, value));
  // A key without a value, or a value that can't hold more: it is written anew.
  if (pair && isNode(pair.key) && pair.key.range) {
    const keyEnd = pair.key.range[1];
    const colon = text.indexOf(':', keyEnd) + 1;
    const to = isNode(node) && node.range ? Math.max(colon, node.range[1]) : colon;
    return { from: colon, to, insert: ` ${flat(nested(rest, value))}` };
  }
  return undefined;
}

function dropCut(writing: Writing, path: Path): Cut | undefined {
  const { text } = writing;
  const parent = writing.find(path.slice(0, -1)).node;
  if (!isMap(parent) && !isSeq(parent)) return undefined;
  const last = path.at(-1);
  const items = parent.items as unknown[];
  const i = isSeq(parent)
    ? Number(last)
    : items.findIndex((one) => String(((one as Pair).key as { value?: unknown })?.value) === String(last));
  const mine = items[i];
  if (mine === undefined) return undefined;
  if (items.length === 1) return { from: rangeOf(parent)[0], to: endOf(text, parent), insert: isMap(parent) ? '{}' : '[]' };
  const next = items[i + 1];
  if (next !== undefined) return { from: startOf(mine), to: startOf(next), insert: '' };
  return { from: endOf(text, items[i - 1]), to: endOf(text, mine), insert: '' };
}

function cutOf(writing: Writing, wish: Wish): Cut | undefined {
  if ('set' in wish) return setCut(writing, wish.set, wish.value);
  if ('drop' in wish) return dropCut(writing, wish.drop);
  const { pair, steps } = writing.find(wish.rename);
  if (!pair || steps < wish.rename.length || !isNode(pair.key) || !pair.key.range) return undefined;
  return { from: pair.key.range[0], to: pair.key.range[1], insert: wish.to };
}

/**
 * The edits that carry wishes out in the text an object was read from: as little as possible is touched, so that comments, order and
 * layout stay. A wish that can't be carried out gives no edit.
 */
export function editsOf(writing: Writing, wishes: readonly Wish[]): TextEdit[] {
  return wishes.flatMap((wish) => {
    const cut = cutOf(writing, wish);
    if (!cut) return [];
    const { file, offsetBefore } = writing;
    return [{ ...(file === undefined ? {} : { file }), from: cut.from + offsetBefore, to: cut.to + offsetBefore, insert: cut.insert }];
  });
}

/** The edit that takes a whole object out of its file. */
export function dropObject(writing: Writing): TextEdit[] {
  if (writing.prefix.length) return editsOf(writing.within([]), [{ drop: writing.prefix }]);
  const { document, text, offsetBefore, file } = writing;
  const [from, , to] = document.range ?? [0, 0, text.length];
  const start = text.lastIndexOf('---', from) >= 0 && text.slice(0, from).trim() === '---' ? 0 : from;
  return [{ ...(file === undefined ? {} : { file }), from: start + offsetBefore, to: to + offsetBefore, insert: '' }];
}

/** The edit that puts objects at the end of a text. */
export function appendObjects(text: string, objects: readonly ApiObject[], file?: string): TextEdit {
  const body = objects.map((one) => writeOne(one)).join('---\n');
  const empty = text.trim() === '';
  const insert = empty ? body : `${text.endsWith('\n') ? '' : '\n'}---\n${body}`;
  return { ...(file === undefined ? {} : { file }), from: empty ? 0 : text.length, to: text.length, insert };
}

/** A text with edits carried out. Edits that overlap are left out, later ones first. */
export function applyEdits(text: string, edits: readonly TextEdit[]): string {
  const sorted = [...edits].map((one, i) => ({ ...one, i })).sort((a, b) => a.from - b.from || a.i - b.i);
  let out = '';
  let at = 0;
  for (const { from, to, insert } of sorted) {
    if (from < at) continue;
    out += text.slice(at, from) + insert;
    at = to;
  }
  return out + text.slice(at);
}
