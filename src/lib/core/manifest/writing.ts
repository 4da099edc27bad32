import { isAlias, isMap, isNode, isSeq, type Document, type LineCounter, type Pair } from 'yaml';
import type { Place } from '../shared';

/** A path in an object, e.g. `['spec', 'containers', 0, 'image']`. */
export type Path = readonly (string | number)[];

/** Characters of a text, from and up to (not with) these offsets. */
export interface Span {
  readonly from: number;
  readonly to: number;
}

/** What a path leads to in a text: the value's node and its pair, as far as it could be followed. */
export interface Found {
  readonly node: unknown;
  readonly pair?: Pair;
  /** How many steps of the path exist. */
  readonly steps: number;
  readonly offset: number;
}

/** One object as it stands in a text: the way from a path in it to a line, a column, and a span of characters. */
export class Writing {
  constructor(
    readonly document: Document,
    /** Text of the piece that the document was read from. */
    readonly text: string,
    private readonly lines: LineCounter,
    /** Where in the document the object begins (for the items of lists). */
    readonly prefix: Path,
    readonly file: string | undefined,
    /** Where the piece stands in the whole text. */
    private readonly linesBefore = 0,
    readonly offsetBefore = 0
  ) {}

  /** The same writing, in a text that has so much before it. */
  shifted(lines: number, offset: number, file: string | undefined): Writing {
    return new Writing(this.document, this.text, this.lines, this.prefix, file, lines, offset);
  }

  /** The same document, for one of the objects in it. */
  within(prefix: Path): Writing {
    return new Writing(this.document, this.text, this.lines, prefix, this.file, this.linesBefore, this.offsetBefore);
  }

  placeAt(offset: number): Place {
    const { line, col } = this.lines.linePos(offset);
    return { ...(this.file === undefined ? {} : { file: this.file }), line: line + this.linesBefore, column: col };
  }

  /** Follows a path as far as it goes. */
  find(path: Path): Found {
    let node: unknown = this.document.contents;
    let offset = isNode(node) && node.range ? node.range[0] : (this.document.range?.[0] ?? 0);
    let pair: Pair | undefined;
    let steps = 0;
    for (const step of [...this.prefix, ...path]) {
      if (isAlias(node)) node = node.resolve(this.document);
      if (isMap(node)) {
        const next = node.items.find((one) => String((one.key as { value?: unknown } | null)?.value ?? one.key) === String(step));
        if (!next) break;
        if (isNode(next.key) && next.key.range) offset = next.key.range[0];
        pair = next;
        node = next.value;
      } else if (isSeq(node) && typeof step === 'number' && node.items[step] !== undefined) {
        pair = undefined;
        node = node.items[step];
        if (isNode(node) && node.range) offset = node.range[0];
      } else break;
      steps += 1;
    }
    return { node, ...(pair ? { pair } : {}), steps: steps - this.prefix.length, offset };
  }

  /** Line and column of a path (of its deepest part that exists). */
  place(path: Path): Place {
    return this.placeAt(this.find(path).offset);
  }

  /** Characters of the value at a path, in the whole text; undefined when it isn't written there. */
  span(path: Path): Span | undefined {
    const { node, steps } = this.find(path);
    if (steps < path.length || !isNode(node) || !node.range) return undefined;
    return { from: node.range[0] + this.offsetBefore, to: node.range[1] + this.offsetBefore };
  }
}
