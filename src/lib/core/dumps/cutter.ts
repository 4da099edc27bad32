/** Some whole documents of a dump, read by themselves. */
export interface Cut {
  readonly text: string;
  readonly linesBefore: number;
  /** Each line that marks the begin of a document was put in: it doesn't stand in what was given. */
  readonly marked?: boolean;
}

/** Documents are read in groups of about this many characters. */
const groupLength = 262_144;

/** A YAML document may have so many characters; lists are cut at their items and may be as long as they like. */
export const mostDocument = 33_554_432;

/** A JSON text is read as a whole, so that it may have so many characters. */
export const mostJson = 167_772_160;

/** Thrown for a YAML document that is longer than {@link mostDocument}, and for a JSON text longer than {@link mostJson}. */
export class DocumentTooLarge extends Error {
  constructor(what = 'YAML document', most = mostDocument) {
    super(`one ${what} has more than ${most / 2 ** 20} MiB`);
  }
}

const blanks = ' \t\r\n\ufeff';

/**
 * Cuts a YAML text that arrives in chunks into groups of whole documents, so that no more than a group and a chunk are held. The items of
 * a `List` in block style are cut like documents: a dump of a whole cluster is often one such list. JSON isn't cut.
 */
export class Cutter {
  /** What came before two letters were seen. */
  private before: string[] = [];
  /** The first two letters that are no blanks. */
  private first = '';
  private begun = false;
  private isJson = false;
  private readonly parts: string[] = [];
  private held = 0;
  /** Pieces of the last line, which isn't whole yet: joined only when it is, so that no letter is looked at twice. */
  private open: string[] = [];
  private openLength = 0;
  /** Whole lines of the group that is under way. */
  private done: string[] = [];
  private doneLength = 0;
  private lines = 0;
  private seen = 0;
  /** Inside the items of a list. */
  private inItems = false;
  /** How far the dashes of the items are indented; -1 until the first is seen. */
  private indent = -1;

  /** Whether the text is JSON (it begins with a brace or a bracket); known once something was pushed. */
  get json(): boolean {
    return this.isJson;
  }

  push(chunk: string): Cut[] {
    if (this.isJson) return this.keep(chunk);
    if (this.begun) return this.take(chunk);
    for (let i = 0; i < chunk.length && this.first.length < 2; i += 1) if (!blanks.includes(chunk[i]!)) this.first += chunk[i];
    this.before.push(chunk);
    this.held += chunk.length;
    if (this.held > mostDocument) throw new DocumentTooLarge();
    if (this.first.length < 2) return [];
    this.begun = true;
    const text = this.before.join('');
    this.before = [];
    this.held = 0;
    // A brace begins JSON only where a quote follows; YAML's own flow style needs none.
    this.isJson = /^(\{["}]|\[[[{"\]\d])/.test(this.first);
    return this.isJson ? this.keep(text) : this.take(text);
  }

  private keep(chunk: string): Cut[] {
    this.parts.push(chunk);
    this.held += chunk.length;
    if (this.held > mostJson) throw new DocumentTooLarge('JSON text', mostJson);
    return [];
  }

  /** What is left; for JSON the whole text. */
  end(): Cut[] {
    if (this.isJson) return [{ text: this.parts.join(''), linesBefore: 0 }];
    const cuts: Cut[] = [];
    const left = [...this.before, ...this.open].join('');
    this.open = [];
    if (left) this.cut(left, cuts);
    this.close('', cuts);
    return cuts;
  }

  private take(chunk: string): Cut[] {
    const last = chunk.lastIndexOf('\n');
    const cuts: Cut[] = [];
    if (last >= 0) {
      const block = this.open.length ? `${this.open.join('')}${chunk.slice(0, last + 1)}` : chunk.slice(0, last + 1);
      this.open = [];
      this.openLength = 0;
      this.cut(block, cuts);
    }
    if (last < chunk.length - 1) {
      this.open.push(chunk.slice(last + 1));
      this.openLength += chunk.length - last - 1;
    }
    if (this.doneLength + this.openLength > mostDocument) throw new DocumentTooLarge();
    return cuts;
  }

  /** Ends the group that is under way with some more text. */
  private close(more: string, cuts: Cut[]): void {
    if (this.doneLength + more.length === 0) return;
    const text = this.done.length ? `${this.done.join('')}${more}` : more;
    const marked = this.inItems && this.indent >= 0;
    cuts.push({ text: marked ? this.asDocuments(text) : text, linesBefore: this.lines, ...(marked ? { marked } : {}) });
    this.lines += this.seen;
    this.seen = 0;
    this.done = [];
    this.doneLength = 0;
  }

  /** Looks at whole lines. */
  private cut(block: string, cuts: Cut[]): void {
    let start = 0;
    const take = (end: number) => {
      this.close(block.slice(start, end), cuts);
      start = end;
    };
    const length = (at: number) => this.doneLength + at - start;
    for (let at = 0; at < block.length;) {
      const next = block.indexOf('\n', at);
      const end = next < 0 ? block.length : next + 1;
      const code = block.charCodeAt(at);
      if (code === 45 && isMark(block, at)) {
        if (length(at) >= groupLength || this.inItems) take(at);
        this.inItems = false;
      } else if (this.inItems) {
        const lead = code === 32 || code === 45 ? /^ *- /.exec(block.slice(at, Math.min(end, at + 64))) : null;
        if (lead && this.indent < 0) this.indent = lead[0].length - 2;
        if (lead && lead[0].length - 2 === this.indent) {
          if (length(at) >= groupLength) take(at);
        } else if (code !== 32 && code !== 10 && code !== 13 && code !== 35 && code !== 45) {
          // A key at the left margin ends the items; nothing after them is an object.
          take(at);
          this.inItems = false;
        }
      } else if (code === 105 && /^items:\s*$/.test(block.slice(at, Math.min(end, at + 64)))) {
        take(at);
        // The items begin on the next line; the key itself is left out of the group.
        start = end;
        this.lines += this.seen + 1;
        this.seen = -1;
        this.inItems = true;
        this.indent = -1;
      }
      this.seen += 1;
      at = end;
    }
    if (start < block.length) {
      this.done.push(block.slice(start));
      this.doneLength += block.length - start;
    }
  }

  /** Items of a list become documents of their own: each dash becomes a document mark. */
  private asDocuments(text: string): string {
    const pad = ' '.repeat(this.indent);
    return text.replace(new RegExp(`^${pad}- `, 'gm'), `---\n${pad}  `);
  }
}

const isMark = (text: string, at: number): boolean =>
  text.startsWith('---', at) && (at + 3 >= text.length || ' \t\r\n'.includes(text[at + 3]!));

/** The values that stand one after another in a JSON text, as texts. */
export function jsonTexts(text: string): string[] {
  const found: string[] = [];
  let depth = 0;
  let start = -1;
  let quoted = false;
  for (let i = 0; i < text.length; i += 1) {
    const code = text.charCodeAt(i);
    if (quoted) {
      if (code === 92) i += 1;
      else if (code === 34) quoted = false;
      continue;
    }
    if (code === 34) quoted = true;
    else if (code === 123 || code === 91) {
      if (depth === 0) start = i;
      depth += 1;
    } else if (code === 125 || code === 93) {
      depth -= 1;
      if (depth === 0 && start >= 0) {
        found.push(text.slice(start, i + 1));
        start = -1;
      }
    }
  }
  if (start >= 0) found.push(text.slice(start));
  return found;
}
