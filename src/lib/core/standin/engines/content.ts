import { fromUint8Array, isValid, toUint8Array } from 'js-base64';
import { drawnBatch, headBytes } from './log/payload';

function equal(a: Uint8Array, b: Uint8Array): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i += 1) if (a[i] !== b[i]) return false;
  return true;
}
const drawnText = /^drawn:(\d+):(\d+):(\d+):(\d+)$/;
/** More than this is drawn by nobody here; whatever says so was altered. */
const mostBytes = 2 ** 30;

/**
 * Bytes as a text that a copy keeps. What the stand-in drew by its rule is kept as that rule's figures (`drawn:mark:first:count:bytes`), and only
 * where drawing it again gives the same bytes; all else as base64 (`base64:...`).
 * @param count how many messages of equal length it is
 */
export function contentText(bytes: Uint8Array, count = 1): string {
  const size = bytes.length / count;
  if (bytes.length >= headBytes && Number.isInteger(size)) {
    const head = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const [mark, first] = [head.getUint32(0, true), head.getUint32(4, true)];
    if (equal(drawnBatch(mark, first, count, size).subarray(0, bytes.length), bytes))
      return `drawn:${mark}:${first}:${count}:${bytes.length}`;
  }
  return `base64:${fromUint8Array(bytes)}`;
}

/** The bytes of such a text; undefined for a text that is none. */
export function contentOf(text: string): Uint8Array | undefined {
  const drawn = drawnText.exec(text);
  if (drawn) {
    const [mark, first, count, bytes] = drawn.slice(1).map(Number) as [number, number, number, number];
    const sound = count > 0 && bytes <= mostBytes && bytes >= headBytes * count && mark < 2 ** 32;
    return sound ? drawnBatch(mark, first, count, bytes / count).subarray(0, bytes) : undefined;
  }
  const plain = text.startsWith('base64:') ? text.slice('base64:'.length) : undefined;
  return plain !== undefined && (plain === '' || isValid(plain)) ? toUint8Array(plain) : undefined;
}
