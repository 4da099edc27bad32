import { entryOf, keyOf, refOf } from '../model';
import { editsOf, pathText, type Path, type TextEdit, type Wish, type Written, type WrittenResult } from '../manifest';

/** One place that names a namespace. */
export interface MovePlace {
  readonly object: string;
  readonly field: string;
  readonly line: number | undefined;
  readonly file?: string;
  readonly before: string;
  readonly after: string;
}

/** What moving a draft to another namespace changes. */
export interface Move {
  readonly places: readonly MovePlace[];
  readonly edits: readonly TextEdit[];
}

function texts(value: unknown, path: Path, out: { path: Path; text: string }[]): void {
  if (Array.isArray(value)) value.forEach((one, i) => texts(one, [...path, i], out));
  else if (typeof value === 'object' && value !== null) for (const [key, one] of Object.entries(value)) texts(one, [...path, key], out);
  else if (typeof value === 'string') out.push({ path, text: value });
}

const plain = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

/** A text in which a namespace stands as a part of names: addresses, subjects of service accounts. */
function rewritten(text: string, from: string, to: string, services: readonly string[]): string {
  const ns = plain(from);
  let out = text
    .replace(new RegExp(`(?<=[a-z0-9*])\\.${ns}(?=\\.svc(?![a-z0-9-]))`, 'gi'), `.${to}`)
    .replace(new RegExp(`(system:serviceaccounts?:)${ns}(?=:|$|[^a-z0-9-])`, 'g'), `$1${to}`);
  for (const service of services)
    out = out.replace(new RegExp(`(?<![a-z0-9-])(${plain(service)})\\.${ns}(?=[:/,;\\s"']|$)`, 'gi'), `$1.${to}`);
  return out;
}

function wishesFor(
  one: Written,
  from: string,
  to: string,
  services: readonly string[]
): { wish: Wish; before: string; after: string; path: Path }[] {
  const found: { path: Path; text: string }[] = [];
  texts(one.value, [], found);
  const wishes = found.flatMap(({ path, text }) => {
    const key = path.at(-1);
    const names =
      key === 'namespace' || path.at(-2) === 'namespaces' || (one.object.kind === 'Namespace' && path.join('.') === 'metadata.name');
    const after = names && text === from ? to : path.join('.') === 'metadata.name' ? text : rewritten(text, from, to, services);
    return after === text ? [] : [{ wish: { set: path, value: after } as Wish, before: text, after, path }];
  });
  const meta = one.value.metadata as { namespace?: unknown } | undefined;
  if (from === 'default' && entryOf(one.object.kind).namespaced && meta?.namespace === undefined)
    wishes.push({ wish: { set: ['metadata', 'namespace'], value: to }, before: '(default)', after: to, path: ['metadata', 'namespace'] });
  return wishes;
}

/** A long text that is kept in lines would lose its form when it is set anew; only the lines that change are shown. */
const shown = (before: string, after: string): { before: string; after: string } => {
  if (!before.includes('\n')) return { before, after };
  const [x, y] = [before.split('\n'), after.split('\n')];
  const i = x.findIndex((line, k) => line !== y[k]);
  return { before: (x[i] ?? '').trim(), after: (y[i] ?? '').trim() };
};

/** Edits of a block text line by line, so that its form and its comments stay. */
function blockEdits(one: Written, path: Path, before: string, after: string): TextEdit[] {
  const span = one.writing.span(path);
  if (!span || !before.includes('\n')) return [];
  const source = one.writing.text;
  const at = span.from - one.writing.offsetBefore;
  const raw = source.slice(at, span.to - one.writing.offsetBefore);
  const [x, y] = [before.split('\n'), after.split('\n')];
  let cursor = 0;
  return x.flatMap((line, i) => {
    if (line === '') return [];
    const found = raw.indexOf(line, cursor);
    if (found < 0) return [];
    cursor = found + line.length;
    if (line === y[i]) return [];
    return [
      {
        ...(one.writing.file === undefined ? {} : { file: one.writing.file }),
        from: span.from + found,
        to: span.from + found + line.length,
        insert: y[i]!
      }
    ];
  });
}

/**
 * Moves a bundle from one namespace to another: every place that names it, listed, and the edits that rewrite them. Subjects of role
 * bindings, hooks, names in certificates and addresses in texts are among them.
 */
export function moveNamespace(read: WrittenResult, from: string, to: string): Move {
  const services = read.objects
    .filter((one) => one.object.kind === 'Service' && (one.object.metadata.namespace ?? 'default') === from)
    .map((one) => one.object.metadata.name);
  const all = read.objects.flatMap((one) => wishesFor(one, from, to, services).map((wish) => ({ one, ...wish })));
  return {
    places: all.map(({ one, path, before, after }) => ({
      object: keyOf(refOf(one.object)),
      field: pathText(path),
      line: one.writing.place(path).line,
      ...(one.writing.file === undefined ? {} : { file: one.writing.file }),
      ...shown(before, after)
    })),
    edits: all.flatMap(({ one, wish, path, before, after }) => {
      const lines = blockEdits(one, path, before, after);
      return lines.length ? lines : editsOf(one.writing, [wish]);
    })
  };
}
