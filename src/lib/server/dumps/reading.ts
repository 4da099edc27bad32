import { createGunzip, gzipSync } from 'node:zlib';
import { Readable } from 'node:stream';
import { Unzip, UnzipInflate } from 'fflate';
import tar from 'tar-stream';
import type { Problem } from '$core/shared';
import {
  Cutter,
  DocumentTooLarge,
  keepValue,
  latestIn,
  parseJsonText,
  parseYamlCut,
  spreadOut,
  type OtherObject,
  type Parsed
} from '$core/dumps';
import type { ApiObject } from '$core/model';

/** The most that is read: bytes as they arrive, and unfolded. */
export const mostArriving = 256 * 2 ** 20;
export const mostUnfolded = 512 * 2 ** 20;
const mostObjects = 250_000;
const mostProblems = 200;
/** Objects are handed on in parts of so many. */
const partLength = 250;

/** Why a whole body can't be read. */
export class Unreadable extends Error {
  constructor(
    readonly code: 'too-large' | 'not-text' | 'archive' | 'nothing',
    message: string,
    readonly remedy: string
  ) {
    super(message);
  }
}

/** What was read, in sum. */
export interface Summary {
  readonly objects: number;
  readonly kinds: Readonly<Record<string, number>>;
  readonly others: readonly OtherObject[];
  readonly otherKinds: readonly { readonly apiVersion: string; readonly kind: string; readonly count: number }[];
  readonly problems: readonly Problem[];
  readonly moreProblems: number;
  readonly secretsKept: boolean;
  readonly files: number;
  readonly skipped: number;
  readonly takenMs: number;
  readonly bytes: number;
}

export interface Progress {
  readonly bytes: number;
  readonly objects: number;
}

const mostOthers = 20_000;
const ends = /\.(ya?ml|json|ndjson|jsonl)(\.gz)?$/i;

/** Reads a dump from bytes as they come: text or archive, one file or many, objects or lists of them. */
export class DumpReading {
  private bytes = 0;
  private unfolded = 0;
  private objects = 0;
  private readonly kinds: Record<string, number> = {};
  private readonly others: OtherObject[] = [];
  private readonly otherKinds = new Map<string, { apiVersion: string; kind: string; count: number }>();
  private readonly problems: Problem[] = [];
  private moreProblems = 0;
  private files = 0;
  private skipped = 0;
  private takenMs = 0;
  private part: ApiObject[] = [];
  private seen = new Set<string>();

  /**
   * @param secrets whether the values of secrets are kept
   * @param hand receives some objects: gzip of a JSON list
   * @param tell told now and then how far it has got
   */
  constructor(
    private readonly secrets: boolean,
    private readonly hand: (bytes: Uint8Array, count: number) => void,
    private readonly tell: (progress: Progress) => void = () => {}
  ) {}

  async run(source: AsyncIterable<Uint8Array>): Promise<Summary> {
    await this.any(this.counted(source), undefined, 0);
    this.flush();
    if (!this.objects && !this.others.length) {
      const [first] = this.problems;
      throw new Unreadable(
        'nothing',
        first
          ? `Nothing in it could be read: ${first.message}${first.at.line ? ` (line ${first.at.line})` : ''}`
          : 'There are no objects in it.',
        first?.remedy ?? 'Send objects of a cluster as YAML or JSON, plain or in a .tar, .tar.gz, .gz or .zip.'
      );
    }
    return {
      objects: this.objects,
      kinds: this.kinds,
      others: this.others,
      otherKinds: [...this.otherKinds.values()],
      problems: this.problems,
      moreProblems: this.moreProblems,
      secretsKept: this.secrets,
      files: this.files,
      skipped: this.skipped,
      takenMs: this.takenMs,
      bytes: this.unfolded
    };
  }

  private async *counted(source: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
    for await (const chunk of source) {
      this.bytes += chunk.byteLength;
      if (this.bytes > mostArriving)
        throw new Unreadable(
          'too-large',
          `A dump may have ${mostArriving / 2 ** 20} MiB as it arrives.`,
          'Compress it, or leave kinds out that say nothing of storage (events of other namespaces, say).'
        );
      yield chunk;
    }
  }

  /** Looks at the first bytes and takes what they say it is. */
  private async any(source: AsyncIterable<Uint8Array>, name: string | undefined, depth: number): Promise<void> {
    const iterator = source[Symbol.asyncIterator]();
    let head = Buffer.alloc(0);
    while (head.length < 600) {
      const next = await iterator.next();
      if (next.done) break;
      head = Buffer.concat([head, next.value]);
    }
    const rest = async function* (): AsyncGenerator<Uint8Array> {
      if (head.length) yield head;
      for (;;) {
        const next = await iterator.next();
        if (next.done) return;
        yield next.value;
      }
    };
    if (depth > 3) throw new Unreadable('archive', 'Archives stand in archives more than three deep.', 'Unpack it first.');
    if (head[0] === 0x1f && head[1] === 0x8b) return this.gunzip(rest(), name, depth);
    if (head.subarray(0, 4).equals(Buffer.from('PK\x03\x04', 'latin1'))) return this.zip(rest(), depth);
    if (head.subarray(257, 262).toString('latin1') === 'ustar') return this.tar(rest(), depth);
    const other = otherPacking(head);
    if (other)
      throw new Unreadable(
        'archive',
        `It is packed with ${other}, which isn't read here.`,
        'Send it plain, or as .gz, .tar, .tar.gz or .zip.'
      );
    return this.text(rest(), name);
  }

  private async gunzip(source: AsyncIterable<Uint8Array>, name: string | undefined, depth: number): Promise<void> {
    const gunzip = createGunzip();
    const input = Readable.from(source);
    input.on('error', (error) => gunzip.destroy(error));
    input.pipe(gunzip);
    try {
      await this.any(gunzip as AsyncIterable<Uint8Array>, name?.replace(/\.t?gz$/i, ''), depth + 1);
    } catch (error) {
      throw brokenArchive(error);
    } finally {
      input.destroy();
      gunzip.destroy();
    }
  }

  private checked(name: string): string {
    const path = name.replace(/\\/g, '/');
    if (path.startsWith('/') || /^[a-z]:/i.test(path) || path.split('/').includes('..'))
      throw new Unreadable(
        'archive',
        `The archive holds "${name.slice(0, 120)}", a path that leads out of it.`,
        'Such an archive is not read at all. Pack it anew with paths inside it.'
      );
    return path.replace(/^\.\//, '');
  }

  private async tar(source: AsyncIterable<Uint8Array>, depth: number): Promise<void> {
    const extract = tar.extract();
    const input = Readable.from(source);
    input.on('error', (error) => extract.destroy(error));
    input.on('end', () => undefined);
    input.pipe(extract);
    try {
      for await (const entry of extract) {
        const path = this.checked(entry.header.name);
        if (entry.header.type !== 'file' && entry.header.type !== 'contiguous-file') {
          entry.resume();
          continue;
        }
        if (!ends.test(path) && !/\.(t?gz|tar|zip)$/i.test(path)) {
          this.skipped += 1;
          entry.resume();
          continue;
        }
        await this.any(entry as AsyncIterable<Uint8Array>, path, depth + 1);
      }
    } catch (error) {
      throw brokenArchive(error);
    } finally {
      input.destroy();
      extract.destroy();
    }
  }

  private async zip(source: AsyncIterable<Uint8Array>, depth: number): Promise<void> {
    const unzip = new Unzip();
    unzip.register(UnzipInflate);
    const ready: { name: string; chunks: Uint8Array[]; done: boolean }[] = [];
    let failed: Error | undefined;
    unzip.onfile = (file) => {
      try {
        const path = this.checked(file.name);
        if (path.endsWith('/')) return;
        if (!ends.test(path)) {
          this.skipped += 1;
          return;
        }
        const one = { name: path, chunks: [] as Uint8Array[], done: false };
        ready.push(one);
        file.ondata = (error, data, final) => {
          if (error) failed = error;
          else {
            one.chunks.push(data);
            this.unfold(0);
            one.done ||= final;
          }
        };
        file.start();
      } catch (error) {
        failed = error as Error;
      }
    };
    const take = async (last: boolean) => {
      if (failed) throw brokenArchive(failed);
      while (ready[0]?.done) {
        const one = ready.shift()!;
        await this.any(Readable.from(one.chunks) as AsyncIterable<Uint8Array>, one.name, depth + 1);
      }
      if (last && ready.length) throw brokenArchive(new Error('unexpected end of file'));
    };
    try {
      for await (const chunk of source) {
        unzip.push(chunk, false);
        await take(false);
      }
      unzip.push(new Uint8Array(0), true);
      await take(true);
    } catch (error) {
      throw brokenArchive(error);
    }
  }

  private unfold(bytes: number): void {
    this.unfolded += bytes;
    if (this.unfolded > mostUnfolded)
      throw new Unreadable(
        'too-large',
        `A dump may unfold to ${mostUnfolded / 2 ** 20} MiB; this one is larger.`,
        'Split it, or leave kinds out that say nothing of storage.'
      );
  }

  private async text(source: AsyncIterable<Uint8Array>, name: string | undefined): Promise<void> {
    this.files += 1;
    const cutter = new Cutter();
    let decoder: TextDecoder | undefined;
    let told = 0;
    try {
      for await (const chunk of source) {
        this.unfold(chunk.byteLength);
        decoder ??= decoderFor(chunk);
        const text = decoder.decode(chunk, { stream: true });
        if (text.includes('\0')) throw new TypeError('zero characters');
        for (const cut of cutter.push(text)) this.take(parseYamlCut(cut, name));
        told += chunk.byteLength;
        if (told > 1_048_576) {
          told = 0;
          this.tell({ bytes: this.unfolded, objects: this.objects });
        }
      }
      const tail = decoder?.decode() ?? '';
      for (const cut of tail ? cutter.push(tail) : []) this.take(parseYamlCut(cut, name));
    } catch (error) {
      if (error instanceof DocumentTooLarge)
        throw new Unreadable(
          'too-large',
          `${name ?? 'What was sent'}: ${error.message}.`,
          'Send it as JSON, as a list, or as several documents.'
        );
      if (error instanceof TypeError)
        throw new Unreadable(
          'not-text',
          `${name ?? 'What was sent'} is no text: it holds bytes that no text has.`,
          'Send YAML or JSON as UTF-8 (or UTF-16 with a byte-order mark), plain or packed.'
        );
      throw error;
    }
    for (const cut of cutter.end()) this.take(cutter.json ? parseJsonText(cut.text, name) : parseYamlCut(cut, name));
  }

  private note(problem: Problem): void {
    if (this.problems.length < mostProblems) this.problems.push(problem);
    else this.moreProblems += 1;
  }

  private take({ values, problems }: Parsed): void {
    for (const one of problems) this.note(one);
    for (const value of values) for (const one of spreadOut(value)) this.keep(one);
  }

  private keep(value: unknown): void {
    const kept = keepValue(value, this.secrets);
    if ('problem' in kept && kept.problem) this.note(kept.problem);
    if ('other' in kept) {
      const { apiVersion, kind } = kept.other;
      const key = `${apiVersion} ${kind}`;
      const known = this.otherKinds.get(key) ?? { apiVersion, kind, count: 0 };
      known.count += 1;
      this.otherKinds.set(key, known);
      if (this.others.length < mostOthers) this.others.push(kept.other);
    }
    if (!('object' in kept)) return;
    const { object } = kept;
    const { namespace = '', name } = object.metadata;
    const id = `${object.kind}/${namespace}/${name}`;
    if (this.seen.has(id)) return;
    this.seen.add(id);
    this.objects += 1;
    if (this.objects > mostObjects)
      throw new Unreadable('too-large', `A dump may hold ${mostObjects.toLocaleString('en')} objects.`, 'Leave namespaces or kinds out.');
    this.kinds[object.kind] = (this.kinds[object.kind] ?? 0) + 1;
    this.takenMs = Math.max(this.takenMs, latestIn(object));
    this.part.push(object);
    if (this.part.length >= partLength) this.flush();
  }

  private flush(): void {
    if (!this.part.length) return;
    this.hand(gzipSync(JSON.stringify(this.part), { level: 1 }), this.part.length);
    this.part = [];
    this.tell({ bytes: this.unfolded, objects: this.objects });
  }
}

function otherPacking(head: Buffer): string | undefined {
  const hex = head.subarray(0, 6).toString('hex');
  if (hex.startsWith('425a68')) return 'bzip2';
  if (hex === 'fd377a585a00') return 'xz';
  if (hex.startsWith('28b52ffd')) return 'zstd';
  if (hex.startsWith('377abcaf271c')) return '7z';
  return undefined;
}

/** UTF-8 unless a byte-order mark, or zeros at every second place, say UTF-16. A wrong byte is an error, not a question mark. */
function decoderFor(chunk: Uint8Array): TextDecoder {
  const [a, b] = chunk;
  if (a === 0xff && b === 0xfe) return new TextDecoder('utf-16le', { fatal: true });
  if (a === 0xfe && b === 0xff) return new TextDecoder('utf-16be', { fatal: true });
  if (a !== 0 && b === 0 && chunk[3] === 0) return new TextDecoder('utf-16le', { fatal: true });
  if (a === 0 && b !== 0 && chunk[2] === 0) return new TextDecoder('utf-16be', { fatal: true });
  return new TextDecoder('utf-8', { fatal: true });
}

function brokenArchive(error: unknown): Error {
  if (error instanceof Unreadable) return error;
  const words = error instanceof Error ? error.message : String(error);
  const cut = /unexpected end|premature|truncated/i.test(words);
  if (cut)
    return new Unreadable('archive', 'The archive ends in the middle: it was cut off.', 'Fetch or pack it again, and compare its length.');
  return new Unreadable('archive', `The archive can't be unpacked: ${words}.`, 'Pack it again, as .gz, .tar, .tar.gz or .zip.');
}
