import type { DraftFile } from './types';

const manifest = /\.(ya?ml|json)$/i;
const mostFiles = 200;

interface Entry {
  readonly isFile: boolean;
  readonly name: string;
  readonly fullPath: string;
  file?(done: (file: File) => void, fail: (error: unknown) => void): void;
  createReader?(): { readEntries(done: (entries: Entry[]) => void, fail: (error: unknown) => void): void };
}

const fileOf = (entry: Entry) => new Promise<File>((done, fail) => entry.file!(done, fail));

async function entriesOf(entry: Entry): Promise<Entry[]> {
  if (entry.isFile) return [entry];
  const reader = entry.createReader!();
  const all: Entry[] = [];
  // A reader gives its entries in batches, an empty one at the end.
  for (;;) {
    const batch = await new Promise<Entry[]>((done, fail) => reader.readEntries(done, fail));
    if (!batch.length) break;
    for (const one of batch) all.push(...(await entriesOf(one)));
    if (all.length > mostFiles * 5) break;
  }
  return all;
}

/** Manifests among files and folders that were dropped, by their paths; what isn't a manifest is counted. */
export async function droppedFiles(transfer: DataTransfer): Promise<{ files: DraftFile[]; left: number }> {
  const items = [...transfer.items].flatMap((item) => (item.webkitGetAsEntry() as Entry | null) ?? []);
  const found = (await Promise.all(items.map(entriesOf))).flat();
  const entries = found.filter((one) => manifest.test(one.name)).slice(0, mostFiles);
  const files = await Promise.all(
    entries.map(async (one) => ({ name: one.fullPath.replace(/^\/+/, ''), text: await (await fileOf(one)).text() }))
  );
  return { files: files.sort((a, b) => (a.name < b.name ? -1 : 1)), left: found.length - entries.length };
}

/** Manifests among files that were chosen. */
export async function chosenFiles(list: FileList | null): Promise<DraftFile[]> {
  return Promise.all(
    [...(list ?? [])].slice(0, mostFiles).map(async (file) => ({ name: file.webkitRelativePath || file.name, text: await file.text() }))
  );
}
