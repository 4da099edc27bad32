import { createGunzip } from 'node:zlib';
import { PassThrough, Readable } from 'node:stream';
import { Unzip, UnzipInflate } from 'fflate';
import tar from 'tar-stream';
import type { Problem } from '$core/shared';
import { Cutter, DocumentTooLarge, type OtherObject } from '$core/dumps';
import type { ExportLog } from '$core/model';
import { brokenArchive, otherPacking, Unreadable } from './unreadable';
import { decoderFor, type Decoder } from './decoding';
import { digestOf, type Digest, type Group } from './digest';

/** The most that is read: bytes as they arrive, and unfolded. */
export const mostArriving = 256 * 2 ** 20;
export const mostUnfolded = 512 * 2 ** 20;
/** From this size on an archive may unfold to so many times of its own; exports of clusters come to 20 to 50 times. */
const plainSize = 32 * 2 ** 20;
const mostTimes = 150;
const mostObjects = 250_000;
const mostProblems = 200;
/** Compressed bytes that are unfolded at a time: a thousand times as many at the most come of them. */
const zipSlice = 4_096;

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
  /** The ends of logs that lay beside the objects. */
  readonly logs?: readonly ExportLog[];
  readonly takenMs: number;
  readonly bytes: number;
}

export interface Progress {
  readonly bytes: number;
  readonly objects: number;
}

const mostOthers = 20_000;
const logs = /\.(log|txt|out)$|(^|\/)(pod-?)?logs?\/[^/]*$/i;
/** So much of the end of a log is kept, and of so many. */
const logTail = 6_144;
const mostLogs = 400;
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
  private readonly logs: ExportLog[] = [];
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
      logs: this.logs,
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
        if (logs.test(path)) {
          await this.log(entry as AsyncIterable<Uint8Array>, path);
          continue;
        }
        if (!ends.test(path) && !/\.(t?gz|tar|zip)$/i.test(path)) {
          this.skipped += 1;
          for await (const chunk of entry as AsyncIterable<Uint8Array>) this.unfold(chunk.byteLength);
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

  /** Reads a zip entry by entry as it comes: what was unfolded is read before more is, so that little of it is held at any time. */
  private async zip(source: AsyncIterable<Uint8Array>, depth: number): Promise<void> {
    const unzip = new Unzip();
    unzip.register(UnzipInflate);
    const entries: { stream: PassThrough; read: Promise<void> }[] = [];
    let failed: Error | undefined;
    let skippedBytes = 0;
    unzip.onfile = (file) => {
      try {
        const path = this.checked(file.name);
        if (path.endsWith('/')) return;
        if (!ends.test(path) && !logs.test(path)) {
          this.skipped += 1;
          file.ondata = (error, data) => {
            if (error) failed = error;
            else skippedBytes += data.byteLength;
          };
          file.start();
          return;
        }
        const stream = new PassThrough();
        // One after another, so that of two objects of one name the later counts.
        const before = entries.at(-1)?.read ?? Promise.resolve();
        const source = stream as AsyncIterable<Uint8Array>;
        const read = before.then(() => (logs.test(path) ? this.log(source, path) : this.any(source, path, depth + 1)));
        read.catch((error: Error) => {
          failed ??= error;
          stream.destroy();
        });
        entries.push({ stream, read });
        file.ondata = (error, data, final) => {
          if (error) failed ??= error;
          else if (!stream.destroyed) {
            stream.write(data);
            if (final) stream.end();
          }
        };
        file.start();
      } catch (error) {
        failed ??= error as Error;
      }
    };
    /** Waits until the reader has taken what was unfolded. */
    const drained = async () => {
      for (const { stream } of entries)
        while (!failed && !stream.destroyed && stream.writableNeedDrain) await new Promise<void>((done) => setImmediate(done));
      if (skippedBytes) this.unfold(skippedBytes);
      skippedBytes = 0;
      if (failed) throw failed;
    };
    try {
      for await (const chunk of source)
        for (let at = 0; at < chunk.byteLength; at += zipSlice) {
          unzip.push(chunk.subarray(at, at + zipSlice), false);
          await drained();
        }
      unzip.push(new Uint8Array(0), true);
      await drained();
      if (entries.some(({ stream }) => !stream.writableEnded)) throw new Error('unexpected end of file');
      await Promise.all(entries.map((one) => one.read));
    } catch (error) {
      throw brokenArchive(error);
    } finally {
      for (const { stream } of entries) stream.destroy();
    }
  }

  /** Keeps the end of a log that lies beside the objects. */
  private async log(source: AsyncIterable<Uint8Array>, path: string): Promise<void> {
    let tail = Buffer.alloc(0);
    for await (const chunk of source) {
      this.unfold(chunk.byteLength);
      tail = Buffer.concat([tail, chunk]).subarray(-logTail);
    }
    if (this.logs.length < mostLogs && tail.length)
      this.logs.push({
        path,
        tail: tail
          .toString('utf8')
          .replaceAll('\0', '')
          .replace(/^\uFFFD+/, '')
      });
    else this.skipped += 1;
  }

  private unfold(bytes: number): void {
    this.unfolded += bytes;
    if (this.unfolded > plainSize && this.unfolded > mostTimes * this.bytes)
      throw new Unreadable(
        'too-large',
        `It unfolds to more than ${mostTimes} times of what was sent, which no export of a cluster does.`,
        'Send it plain, if it is one all the same.'
      );
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
      // Room for what the helper has to say; without a turn it would count as busy for as long as there are chunks.
      if (helper) await new Promise<void>((turn) => setImmediate(turn));
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
