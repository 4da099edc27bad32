/** Some whole documents of a dump, read by themselves. */
export interface Cut {
  readonly text: string;
  readonly linesBefore: number;
}

/** Documents are read in groups of about this many characters. */
const groupLength = 262_144;

/** A YAML document may have so many characters; lists are cut at their items and may be as long as they like. */
export const mostDocument = 33_554_432;

/** Thrown for a YAML document that is longer than {@link mostDocument}. */
export class DocumentTooLarge extends Error {
  constructor() {
    super(`one YAML document has more than ${mostDocument / 2 ** 20} MiB`);
  }
}

/**
 * Cuts a YAML text that arrives in chunks into groups of whole documents, so that no more than a group and a chunk are held. The items of
 * a `List` in block style are cut like documents: a dump of a whole cluster is often one such list. JSON isn't cut.
 */
export class Cutter {
  private pending = '';
  private lines = 0;
  private seen = 0;
  /** Offset in `pending` up to which lines were looked at. */
  private looked = 0;
  private begun = false;
  private isJson = false;
  private parts: string[] = [];
  /** Inside the items of a list. */
  private inItems = false;
  /** How far the dashes of the items are indented; -1 until the first is seen. */
  private indent = -1;

  /** Whether the text is JSON (it begins with a brace or a bracket); known once something was pushed. */
  get json(): boolean {
    return this.isJson;
  }

  push(chunk: string): Cut[] {
    if (this.isJson) {
      this.parts.push(chunk);
      return [];
    }
    this.pending += chunk;
    if (!this.begun) {
      const first = /\S\s*\S/.exec(this.pending)?.[0].replace(/\s/g, '');
      if (first === undefined) return [];
      this.begun = true;
      // A brace begins JSON only where a quote follows; YAML's own flow style needs none.
      this.isJson = /^(\{["}]|\[[[{"\]\d])/.test(first);
      if (this.isJson) {
        this.parts.push(this.pending);
        this.pending = '';
        return [];
      }
    }
    const cuts = this.cut(false);
    if (this.pending.length > mostDocument) throw new DocumentTooLarge();
    return cuts;
  }

  /** What is left; for JSON the whole text. */
  end(): Cut[] {
    return this.isJson ? [{ text: this.parts.join(''), linesBefore: 0 }] : this.cut(true);
  }

  private cut(last: boolean): Cut[] {
    const cuts: Cut[] = [];
    let start = 0;
    let at = this.looked;
    const { pending } = this;
    const take = (end: number) => {
      if (end <= start) return;
      const text = pending.slice(start, end);
      cuts.push({ text: this.asDocuments(text), linesBefore: this.lines });
      this.lines += this.seen;
      this.seen = 0;
      start = end;
    };
    for (;;) {
      const next = pending.indexOf('\n', at);
      if (next < 0 && !last) break;
      const end = next < 0 ? pending.length : next + 1;
      if (end === at) break;
      const code = pending.charCodeAt(at);
      if (code === 45 && isMark(pending, at)) {
        if (at - start >= groupLength || this.inItems) take(at);
        this.inItems = false;
      } else if (this.inItems) {
        const lead = code === 32 || code === 45 ? /^ *- /.exec(pending.slice(at, Math.min(end, at + 64))) : null;
        if (lead && this.indent < 0) this.indent = lead[0].length - 2;
        if (lead && lead[0].length - 2 === this.indent) {
          if (at - start >= groupLength) take(at);
        } else if (code !== 32 && code !== 10 && code !== 13 && code !== 35 && code !== 45) {
          // A key at the left margin ends the items; nothing after them is an object.
          take(at);
          this.inItems = false;
        }
      } else if (code === 105 && /^items:\s*$/.test(pending.slice(at, end))) {
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
    if (last) take(pending.length);
    this.pending = pending.slice(start);
    this.looked = at - start;
    return cuts;
  }

  /** Items of a list become documents of their own: each dash becomes a document mark. */
  private asDocuments(text: string): string {
    if (!this.inItems || this.indent < 0) return text;
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
