import { isAscii, isUtf8 } from 'node:buffer';
import { createGunzip } from 'node:zlib';
import { Readable } from 'node:stream';
import { Unzip, UnzipInflate } from 'fflate';
import tar from 'tar-stream';
import type { Problem } from '$core/shared';
import { Cutter, DocumentTooLarge, type OtherObject } from '$core/dumps';
import { digestOf, type Digest, type Group } from './digest';

/** The most that is read: bytes as they arrive, and unfolded. */
export const mostArriving = 256 * 2 ** 20;
export const mostUnfolded = 512 * 2 ** 20;
const mostObjects = 250_000;
const mostProblems = 200;

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
  /** Kinds for which it holds a typed list, also an empty one. */
  readonly lists?: readonly string[];
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
  private readonly lists = new Set<string>();
  private files = 0;
  private skipped = 0;
  private takenMs = 0;
  /** Groups that the helper reads just now. */
  private readonly away = new Set<Promise<void>>();
  private seen = new Set<string>();

  /**
   * @param secrets whether the values of secrets are kept
   * @param hand receives some objects: gzip of a JSON list
   * @param tell told now and then how far it has got
   * @param helper another thread that reads groups
   */
  constructor(
    private readonly secrets: boolean,
    private readonly hand: (bytes: Uint8Array, count: number) => void,
    private readonly tell: (progress: Progress) => void = () => {},
    private readonly helper?: (group: Group) => Promise<Digest>
  ) {}

  async run(source: AsyncIterable<Uint8Array>): Promise<Summary> {
    await this.any(this.counted(source), undefined, 0);
    await Promise.all(this.away);
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
      lists: [...this.lists],
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
    let decoder: Decoder | undefined;
    let told = 0;
    try {
      for await (const chunk of source) {
        this.unfold(chunk.byteLength);
        decoder ??= decoderFor(chunk);
        const text = decoder.decode(chunk);
        if (text.includes('\0')) throw new TypeError('zero characters');
        for (const cut of cutter.push(text)) await this.take({ ...cut, json: false, name });
        told += chunk.byteLength;
        if (told > 1_048_576) {
          told = 0;
          this.tell({ bytes: this.unfolded, objects: this.objects });
        }
      }
      const tail = decoder?.decode() ?? '';
      for (const cut of tail ? cutter.push(tail) : []) await this.take({ ...cut, json: false, name });
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
    for (const cut of cutter.end()) await this.take({ ...cut, json: cutter.json, name });
  }

  private note(problem: Problem): void {
    if (this.problems.length < mostProblems) this.problems.push(problem);
    else this.moreProblems += 1;
  }

  /** Has a group read: by the helper where there is one with nothing to do, else here. */
  private async take(group: Group): Promise<void> {
    const { helper } = this;
    if (!helper || group.json || this.away.size >= 2) {
      this.add(digestOf(group, this.secrets));
      return;
    }
    const one = helper(group).then((digest) => {
      this.away.delete(one);
      this.add(digest);
    });
    this.away.add(one);
    one.catch(() => undefined);
  }

  private add({ parts, ids, others, problems, lists, latestMs }: Digest): void {
    for (const one of lists) this.lists.add(one);
    for (const one of problems) this.note(one);
    for (const one of others) {
      const key = `${one.apiVersion} ${one.kind}`;
      const known = this.otherKinds.get(key) ?? { apiVersion: one.apiVersion, kind: one.kind, count: 0 };
      known.count += 1;
      this.otherKinds.set(key, known);
      if (this.others.length < mostOthers) this.others.push(one);
    }
    for (const id of ids) {
      if (this.seen.has(id)) continue;
      this.seen.add(id);
      this.objects += 1;
      const kind = id.slice(0, id.indexOf('/'));
      this.kinds[kind] = (this.kinds[kind] ?? 0) + 1;
    }
    if (this.objects > mostObjects)
      throw new Unreadable('too-large', `A dump may hold ${mostObjects.toLocaleString('en')} objects.`, 'Leave namespaces or kinds out.');
    this.takenMs = Math.max(this.takenMs, latestMs);
    for (const { bytes, count } of parts) this.hand(bytes, count);
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

/** Bytes to text, a chunk at a time. A wrong byte is a TypeError, not a question mark. */
interface Decoder {
  decode(chunk?: Uint8Array): string;
}

/** UTF-8 by way of buffers, which give strings of one byte a letter where they can; those are read twice as fast. */
function utf8(): Decoder {
  let left = Buffer.alloc(0);
  let first = true;
  return {
    decode(chunk) {
      if (!chunk) {
        if (left.length) throw new TypeError('a letter is cut off');
        return '';
      }
      const bytes = left.length ? Buffer.concat([left, chunk]) : Buffer.from(chunk.buffer, chunk.byteOffset, chunk.byteLength);
      // A letter has four bytes at the most; what has begun at the end waits for its rest.
      let end = bytes.length;
      for (let back = 1; back <= 3 && back <= bytes.length; back += 1) {
        const byte = bytes[bytes.length - back]!;
        if (byte < 0x80) break;
        if (byte >= 0xc0) {
          if (back < (byte >= 0xf0 ? 4 : byte >= 0xe0 ? 3 : 2)) end = bytes.length - back;
          break;
        }
      }
      const whole = bytes.subarray(0, end);
      left = Buffer.from(bytes.subarray(end));
      if (!isUtf8(whole)) throw new TypeError('no UTF-8');
      const text = isAscii(whole) ? whole.toString('latin1') : whole.toString('utf8');
      const bare = first && text.charCodeAt(0) === 0xfeff ? text.slice(1) : text;
      first = false;
      return bare;
    }
  };
}

function utf16(label: 'utf-16le' | 'utf-16be'): Decoder {
  const decoder = new TextDecoder(label, { fatal: true });
  return { decode: (chunk) => (chunk ? decoder.decode(chunk) : decoder.decode()) };
}

/** UTF-8 unless a byte-order mark, or zeros at every second place, say UTF-16. */
function decoderFor(chunk: Uint8Array): Decoder {
  const [a, b] = chunk;
  if (a === 0xff && b === 0xfe) return utf16('utf-16le');
  if (a === 0xfe && b === 0xff) return utf16('utf-16be');
  if (a !== 0 && b === 0 && chunk[3] === 0) return utf16('utf-16le');
  if (a === 0 && b !== 0 && chunk[2] === 0) return utf16('utf-16be');
  return utf8();
}

function brokenArchive(error: unknown): Error {
  if (error instanceof Unreadable) return error;
  const words = error instanceof Error ? error.message : String(error);
  const cut = /unexpected end|premature|truncated/i.test(words);
  if (cut)
    return new Unreadable('archive', 'The archive ends in the middle: it was cut off.', 'Fetch or pack it again, and compare its length.');
  return new Unreadable('archive', `The archive can't be unpacked: ${words}.`, 'Pack it again, as .gz, .tar, .tar.gz or .zip.');
}
