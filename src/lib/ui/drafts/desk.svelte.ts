import { call, doCall, notices } from '../call.svelte';
import type { SheetData } from '../sheets/ChangeSheet.svelte';
import type { DraftFile, DraftObject, Finding, Link, TextEdit } from './types';

interface Look {
  readonly findings: readonly Finding[];
  readonly objects: readonly DraftObject[];
  readonly links: readonly Link[];
  readonly sheet?: SheetData;
  /** Revision of the rehearsal that was looked at. */
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
  /** Text that the findings are about; a mend fits only that. */
  private checked = '';
  private asking: AbortController | undefined;
  private cause = 'written';

  constructor(
    readonly id: number,
    readonly rehearsal: () => string,
    draft: { name: string; files: readonly DraftFile[] }
  ) {
    this.take(draft);
  }

  take(draft: { name: string; files: readonly DraftFile[] }): void {
    this.files = [...draft.files];
    this.name = draft.name;
    if (!this.files.some((one) => one.name === this.open)) this.open = this.files[0]?.name ?? '';
  }

  get text(): string {
    return this.files.find((one) => one.name === this.open)?.text ?? '';
  }
  get path(): string {
    return `/rehearsals/${encodeURIComponent(this.rehearsal())}`;
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

  async keep(): Promise<boolean> {
    const [files, name, cause] = [this.files, this.name.trim() || 'draft', this.cause];
    if (!(await doCall('PUT', `/drafts/${this.id}`, { name, files, cause }))) return false;
    this.cause = 'written';
    if (this.files === files) this.kept = true;
    return true;
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
    const answer = await call<Look>('POST', `${this.path}/look`, { files, sheet: withSheet }, { signal: stop.signal });
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
    const answer = await call<{ items: { kind: string; namespace: string; name: string }[] }>('GET', `${this.path}/names`);
    if (answer.ok) this.names = answer.value.items;
  }

  /** Names on the target and in the draft itself. */
  get known(): readonly { kind: string; namespace: string; name: string }[] {
    return [...this.objects, ...this.names];
  }
}
