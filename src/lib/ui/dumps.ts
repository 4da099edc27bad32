/** One entry of a tar archive (POSIX.1-1988, ustar): its head, its bytes, and zeros up to a full block. */
function entry(name: string, file: Blob): BlobPart[] {
  const head = new Uint8Array(512);
  const put = (text: string, at: number) => head.set(new TextEncoder().encode(text), at);
  const octal = (value: number, width: number) => value.toString(8).padStart(width - 1, '0') + '\0';
  const bytes = new TextEncoder().encode(name);
  const short = bytes.length > 100 ? name.split('/').at(-1)!.slice(-100) : name;
  put(short, 0);
  put(octal(0o644, 8), 100);
  put(octal(0, 8), 108);
  put(octal(0, 8), 116);
  put(octal(file.size, 12), 124);
  put(octal(0, 12), 136);
  put('        ', 148);
  put('0', 156);
  put('ustar\x0000', 257);
  put(
    `${head
      .reduce((sum, one) => sum + one, 0)
      .toString(8)
      .padStart(6, '0')}\0 `,
    148
  );
  return [head, file, new Uint8Array((512 - (file.size % 512)) % 512)];
}

/** What is sent of the files that somebody chose: one file as it is, several in one archive. Nothing is copied. */
export function bodyOf(files: readonly { name: string; file: Blob }[]): Blob {
  if (files.length === 1) return files[0]!.file;
  return new Blob([...files.flatMap(({ name, file }) => entry(name, file)), new Uint8Array(1024)]);
}

interface Entry {
  readonly isFile: boolean;
  readonly fullPath: string;
  file?(done: (file: File) => void, fail: (error: unknown) => void): void;
  createReader?(): { readEntries(done: (entries: Entry[]) => void, fail: (error: unknown) => void): void };
}

async function within(one: Entry): Promise<{ name: string; file: File }[]> {
  if (one.isFile) return [{ name: one.fullPath.replace(/^\/+/, ''), file: await new Promise<File>((done, fail) => one.file!(done, fail)) }];
  const reader = one.createReader!();
  const all: { name: string; file: File }[] = [];
  for (;;) {
    const batch = await new Promise<Entry[]>((done, fail) => reader.readEntries(done, fail));
    if (!batch.length) return all;
    for (const inner of batch) all.push(...(await within(inner)));
  }
}

/** Files among what was dropped, those in folders too. */
export const droppedBlobs = async (transfer: DataTransfer): Promise<{ name: string; file: File }[]> =>
  (await Promise.all([...transfer.items].flatMap((item) => (item.webkitGetAsEntry() as Entry | null) ?? []).map(within))).flat();
