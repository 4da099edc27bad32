import type { Path } from '../manifest';

/** Where a cursor stands in a manifest that may be half written: told from lines and indentations, not from a parse. */
export interface Cursor {
  readonly kind: string | undefined;
  /** Path of what the cursor is in: for a key its map, for a value the field. */
  readonly path: Path;
  readonly mode: 'key' | 'value' | 'comment';
  /** What is written of the word so far, and where it begins. */
  readonly word: string;
  readonly from: number;
  readonly indent: number;
  /** Keys that the map has already. */
  readonly siblings: ReadonlySet<string>;
  /** The document holds nothing yet but the word. */
  readonly empty: boolean;
  /** Text of the document that the cursor is in. */
  readonly document: string;
}

interface Entry {
  readonly indent: number;
  step: string | number;
}

const keyPattern = /^(?:"([^"]+)"|'([^']+)'|([^\s"'#:{[&*!|>%@`-][^:#]*?|-[^\s:#][^:#]*?))\s*:(?=\s|$)/;

/** Takes one line in: what it opens is put on the stack. Gives what is left of it after dashes and a key. */
function take(stack: Entry[], line: string): { indent: number; rest: string; key?: string; depth: number } {
  let indent = /^ */.exec(line)![0].length;
  let rest = line.slice(indent);
  while (/^-(?=\s|$)/.test(rest)) {
    while (stack.length && stack.at(-1)!.indent > indent) stack.pop();
    const top = stack.at(-1);
    if (top && top.indent === indent && typeof top.step === 'number') top.step += 1;
    else stack.push({ indent, step: 0 });
    const dash = /^-\s*/.exec(rest)![0];
    const skipped = rest.length > dash.length ? dash.length : Math.max(2, dash.length);
    indent += skipped;
    rest = rest.slice(dash.length);
  }
  const found = keyPattern.exec(rest);
  if (!found) return { indent, rest, depth: stack.length };
  while (stack.length && stack.at(-1)!.indent >= indent) stack.pop();
  const key = (found[1] ?? found[2] ?? found[3])!;
  stack.push({ indent, step: key });
  return { indent, rest: rest.slice(found[0].length), key, depth: stack.length - 1 };
}

/** Finds out where the cursor stands. */
export function cursorAt(text: string, offset: number): Cursor {
  const before = text.slice(0, offset);
  const marks = [...before.matchAll(/^---.*$/gm)].at(-1);
  const start = marks ? Math.min(before.length, marks.index + marks[0].length + 1) : 0;
  const next = /^---/m.exec(text.slice(offset));
  const document = text.slice(start, next ? offset + next.index : text.length);
  const lineStart = before.lastIndexOf('\n') + 1;
  const stack: Entry[] = [];
  const keys = new Map<string, Set<string>>();
  let blockUnder = -1;
  const note = (line: string): ReturnType<typeof take> | undefined => {
    const indent = /^ */.exec(line)![0].length;
    if (!line.trim() || line.trim().startsWith('#')) return undefined;
    if (blockUnder >= 0 && indent > blockUnder) return undefined;
    blockUnder = -1;
    const taken = take(stack, line);
    if (taken.key !== undefined) {
      const at = JSON.stringify(stack.slice(0, -1).map((one) => one.step));
      keys.set(at, (keys.get(at) ?? new Set()).add(taken.key));
    }
    if (/[|>][+-]?\d*\s*$/.test(taken.rest)) blockUnder = taken.indent;
    return taken;
  };
  for (const line of text.slice(start, Math.max(start, lineStart)).split('\n')) note(line);
  const inBlock = blockUnder >= 0;
  const current = text.slice(Math.max(start, lineStart), offset);
  const here = take(stack, current);
  const lead = current.length - here.rest.length;
  const inValue = here.key !== undefined || /^\s*-\s/.test(current.slice(0, lead));
  let path: Path;
  let mode: Cursor['mode'];
  if (here.key !== undefined) {
    path = stack.map((one) => one.step);
    mode = 'value';
  } else {
    while (
      stack.length &&
      stack.at(-1)!.indent >= here.indent &&
      !(typeof stack.at(-1)!.step === 'number' && stack.at(-1)!.indent < here.indent)
    )
      stack.pop();
    path = stack.map((one) => one.step);
    mode = 'key';
  }
  const word = /[^\s,[\]{}"']*$/.exec(here.rest)![0];
  if (current.includes('#') && /(^|\s)#/.test(current)) mode = 'comment';
  if (inBlock && /^ */.exec(current)![0].length > blockUnder) mode = 'comment';
  // The lines after the cursor may hold more keys of the same map.
  const after = text
    .slice(offset, start + document.length)
    .split('\n')
    .slice(1);
  for (const line of after) note(line);
  return {
    kind: /^kind:[ \t]*["']?(\w+)/m.exec(document)?.[1],
    path,
    mode: mode === 'key' && inValue ? 'key' : mode,
    word,
    from: offset - word.length,
    indent: here.indent,
    siblings: keys.get(JSON.stringify(path)) ?? new Set(),
    empty: document.replace(word, '').trim() === '',
    document
  };
}

/** The path of the key or value under a point, for what a field means. */
export function pathUnder(text: string, offset: number): { kind: string | undefined; path: Path; onKey: boolean } | undefined {
  const lineStart = text.lastIndexOf('\n', offset - 1) + 1;
  const lineEnd = text.indexOf('\n', offset) < 0 ? text.length : text.indexOf('\n', offset);
  const line = text.slice(lineStart, lineEnd);
  const found = keyPattern.exec(line.replace(/^\s*(?:-\s+)*/, ''));
  const colon = found ? lineStart + line.indexOf(found[0]) + found[0].length : -1;
  const at = cursorAt(text, found && offset < colon ? colon : offset);
  if (at.mode === 'comment') return undefined;
  return { kind: at.kind, path: at.path, onKey: found !== null && offset < colon };
}
