/** Some whole documents of a dump, read by themselves. */
export interface Cut {
  readonly text: string;
  readonly linesBefore: number;
}

/** Documents are read in groups of about this many characters. */
const groupLength = 262_144;

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
  /** Inside the items of a list at the left margin. */
  private inItems = false;
  private listHead = '';

  /** Whether the text is JSON (it begins with a brace or a bracket); known once something was pushed. */
  get json(): boolean {
    return this.isJson;
  }

  push(chunk: string): Cut[] {
    this.pending += chunk;
    if (!this.begun) {
      const first = /\S/.exec(this.pending);
      if (!first) return [];
      this.begun = true;
      this.isJson = first[0] === '{' || first[0] === '[';
    }
    return this.isJson ? [] : this.cut(false);
  }

  /** What is left; for JSON the whole text. */
  end(): Cut[] {
    return this.isJson ? [{ text: this.pending, linesBefore: 0 }] : this.cut(true);
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
      if (code === 45) {
        const mark = pending.startsWith('---', at) && (at + 3 >= pending.length || ' \t\r\n'.includes(pending[at + 3]!));
        const item = this.inItems && pending.charCodeAt(at + 1) === 32;
        if ((mark || item) && at - start >= groupLength) take(at);
        if (mark) {
          if (this.inItems) take(at);
          this.inItems = false;
        }
      } else if (this.inItems && code !== 32 && code !== 10 && code !== 13 && code !== 35 && code !== 9) {
        // A key at the left margin ends the items; nothing after them is an object.
        take(at);
        this.inItems = false;
      } else if (!this.inItems && code === 105 && /^items:\s*\r?$/.test(pending.slice(at, end).trimEnd())) {
        take(at);
        // The items begin on the next line; the key itself is left out of the group.
        start = end;
        this.lines += this.seen + 1;
        this.seen = -1;
        this.inItems = true;
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
    if (!this.inItems) return text;
    return text.replace(/^- /gm, '---\n  ');
  }
}

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
