import { call, notices } from '../call.svelte';
import type { SheetData } from '../sheets/ChangeSheet.svelte';
import type { DraftFile, DraftObject, Finding, Link, TextEdit } from './types';

/** A draft as the server keeps it. */
export interface KeptDraft {
  readonly name: string;
  readonly files: readonly DraftFile[];
  readonly revision: number;
}

/** A draft on the desk: its files, what is kept of them, and what the checker and the target say. */
export class Desk {
  files = $state<DraftFile[]>([]);
  name = $state('');
  open = $state('');
  kept = $state(true);
  findings = $state.raw<readonly Finding[]>([]);
  objects = $state.raw<readonly DraftObject[]>([]);
  links = $state.raw<readonly Link[]>([]);
  sheet = $state.raw<SheetData | null>(null);
  /** Revision of the rehearsal that the change sheet was made against. */
  revision = $state<number | undefined>(undefined);
  names = $state.raw<readonly { kind: string; namespace: string; name: string }[]>([]);
  /** What somebody else has kept meanwhile, where what is here was written on an older text. */
  conflict = $state.raw<(KeptDraft & { who?: string | undefined }) | null>(null);
  /** Revision of the draft that what is here was written on. */
  private seen = 0;
  private keptName = '';
  /** The keeping that was begun last: a next one, or what somebody else kept, waits for it, else it would clash with itself. */
  private keeping: Promise<boolean> = Promise.resolve(true);
  /** Text that the findings are about; a mend fits only that. */
  private checked = '';
  private asking: AbortController | undefined;
  private cause = 'written';

  constructor(
    readonly id: number,
    readonly rehearsal: () => string,
    draft: KeptDraft
  ) {
    this.take(draft);
  }

  take(draft: KeptDraft): void {
    this.seen = draft.revision;
    this.files = [...draft.files];
    this.name = this.keptName = draft.name;
    if (!this.files.some((one) => one.name === this.open)) this.open = this.files[0]?.name ?? '';
  }

  get text(): string {
    return this.files.find((one) => one.name === this.open)?.text ?? '';
  }
  write(file: string, text: string): void {
    this.files = this.files.map((one) => (one.name === file ? { name: file, text } : one));
    this.kept = false;
  }

  /** Carries edits out in files that aren't open in the editor; gives those for the open one. */
  spread(edits: readonly TextEdit[], cause: string): TextEdit[] {
    this.cause = cause;
    const mine: TextEdit[] = [];
    for (const edit of edits) {
      const file = edit.file ?? this.files[0]?.name;
      if (file === this.open) mine.push(edit);
    }
    for (const { name, text } of this.files) {
      if (name === this.open) continue;
      const theirs = edits.filter((one) => (one.file ?? this.files[0]?.name) === name).sort((a, b) => b.from - a.from);
      if (!theirs.length) continue;
      let next = text;
      let last = Infinity;
      for (const { from, to, insert } of theirs) {
        if (to > last) continue;
        next = next.slice(0, from) + insert + next.slice(to);
        last = from;
      }
      this.write(name, next);
    }
    return mine;
  }

  addFile(name: string, text: string): void {
    const taken = new Set(this.files.map((one) => one.name));
    let free = name;
    for (let i = 2; taken.has(free); i += 1) free = name.replace(/(\.[^.]*)?$/, `-${i}$1`);
    // The empty file that a draft begins with makes room.
    const [only] = this.files;
    this.files = this.files.length === 1 && only && !only.text.trim() ? [{ name: free, text }] : [...this.files, { name: free, text }];
    this.open = free;
    this.kept = false;
  }
  dropFile(name: string): void {
    this.files = this.files.filter((one) => one.name !== name);
    if (!this.files.length) this.files = [{ name: 'draft.yaml', text: '' }];
    if (this.open === name) this.open = this.files[0]!.name;
    this.kept = false;
  }

  /**
   * Keeps what is here; where somebody else has kept another text, the two are laid beside each other instead.
   * @returns whether what is here is kept
   */
  keep(): Promise<boolean> {
    return (this.keeping = this.keeping.then(() => this.keepNow()));
  }
  private async keepNow(): Promise<boolean> {
    if (this.conflict) return false;
    const [files, name, cause, seen] = [this.files, this.name.trim() || 'draft', this.cause, this.seen];
    if (this.kept && name === this.keptName) return true;
    const answer = await call('PUT', '/drafts/{draft}', { params: { draft: this.id }, body: { name, files, cause }, revision: seen });
    if (!answer.ok) {
      // The reader has the two texts before them already, or has chosen meanwhile: what they made of them is kept next.
      if (this.conflict || this.seen !== seen) return false;
      if (answer.trouble.type?.endsWith(':stale-draft')) return this.stands(answer.trouble.current as KeptDraft, files);
      notices.complain(answer.trouble);
      return false;
    }
    this.seen = answer.value.revision;
    this.keptName = name;
    this.cause = 'written';
    if (this.files === files) this.kept = true;
    return true;
  }

  /**
   * Somebody else's text stands: the same as ours is no conflict.
   * @returns whether it is the same
   */
  private stands(current: KeptDraft & { who?: string | undefined }, files: readonly DraftFile[]): boolean {
    const pairs = (list: readonly DraftFile[]) => JSON.stringify(list.map(({ name, text }) => [name, text]));
    if (pairs(current.files) !== pairs(files)) {
      this.conflict = current;
      return false;
    }
    this.seen = current.revision;
    this.keptName = current.name;
    if (this.files === files) this.kept = true;
    return true;
  }

  /** Keeps what the reader has made of the two. */
  async settle(files: readonly DraftFile[], cause: string): Promise<void> {
    const { conflict } = this;
    if (!conflict) return;
    this.seen = conflict.revision;
    this.conflict = null;
    this.cause = cause;
    this.files = files.length ? [...files] : [{ name: 'draft.yaml', text: '' }];
    if (!this.files.some((one) => one.name === this.open)) this.open = this.files[0]!.name;
    this.kept = false;
    if (await this.keep()) notices.say('Kept. What the other text said is among the states.');
  }

  /** Takes the other text whole; what was written here goes. */
  giveWay(): void {
    const { conflict } = this;
    if (!conflict) return;
    this.conflict = null;
    this.take(conflict);
    this.kept = true;
  }

  /** Somebody has kept something: what is here is brought up to it, or laid beside it where something here isn't kept yet. */
  async hear(revision: number, who: string | undefined): Promise<void> {
    await this.keeping;
    if (revision <= this.seen || this.conflict) return;
    const answer = await call('GET', '/drafts/{draft}', { params: { draft: this.id } });
    if (!answer.ok || answer.value.revision <= this.seen) return;
    const name = who === 'local' ? 'Another tab' : who;
    if (this.kept) {
      this.take(answer.value);
      notices.say(`${name ?? 'Somebody else'} has kept another text of this draft; it is shown.`);
    } else this.stands({ ...answer.value, who: name }, this.files);
  }

  /** Steps back or on through what the draft has been. */
  async step(to: 'undo' | 'redo'): Promise<void> {
    if (!this.kept && !(await this.keep())) return;
    const answer = await call('POST', to === 'undo' ? '/drafts/{draft}/undo' : '/drafts/{draft}/redo', {
      params: { draft: this.id },
      revision: this.seen
    });
    if (answer.ok) {
      this.take(answer.value);
      this.kept = true;
    } else if (answer.trouble.type?.endsWith(':stale-draft')) this.stands(answer.trouble.current as KeptDraft, this.files);
    else notices.complain(answer.trouble);
  }

  get fresh(): boolean {
    return this.checked === JSON.stringify(this.files);
  }

  async look(withSheet: boolean): Promise<void> {
    this.asking?.abort();
    const stop = (this.asking = new AbortController());
    const { files } = this;
    const text = JSON.stringify(files);
    if (files.every((one) => !one.text.trim())) {
      [this.findings, this.objects, this.links, this.sheet, this.checked] = [[], [], [], null, text];
      return;
    }
    const answer = await call('POST', '/rehearsals/{id}/look', {
      params: { id: this.rehearsal() },
      body: { files, sheet: withSheet },
      signal: stop.signal
    });
    if (stop.signal.aborted || this.files !== files) return;
    if (!answer.ok) {
      notices.complain(answer.trouble);
      return;
    }
    this.checked = text;
    ({ findings: this.findings, objects: this.objects, links: this.links } = answer.value);
    if (withSheet) [this.sheet, this.revision] = [answer.value.sheet ?? null, answer.value.revision];
  }

  async learn(): Promise<void> {
    const answer = await call('GET', '/rehearsals/{id}/names', { params: { id: this.rehearsal() } });
    if (answer.ok) this.names = answer.value.items;
  }

  /** Names on the target and in the draft itself. */
  get known(): readonly { kind: string; namespace: string; name: string }[] {
    return [...this.objects, ...this.names];
  }
}
