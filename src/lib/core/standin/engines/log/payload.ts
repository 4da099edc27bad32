import { utf8ToBytes } from '@noble/hashes/utils.js';
import { fromUint8Array, decode as textOfBase64 } from 'js-base64';
import { hash32 } from '../../../shared';

/** Bytes at the head of every message: who sent it (4), and its number within its partition (4). */
export const headBytes = 8;

/** A batch of messages of equal length, drawn from who sends it and where it stands, so that a reader can check each of them. */
export const makeBatch = (sender: string, firstInPartition: number, count: number, sizeBytes: number): Uint8Array =>
  drawnBatch(hash32(sender), firstInPartition, count, sizeBytes);

/** As above, by the mark of who sends it: 32 bits. */
export function drawnBatch(mark: number, firstInPartition: number, count: number, sizeBytes: number): Uint8Array {
  const size = Math.max(headBytes, Math.ceil(sizeBytes / 4) * 4);
  const words = new Uint32Array((size / 4) * count);
  const step = size / 4;
  let x = (mark ^ (firstInPartition * 0x9e3779b9)) >>> 0 || 1;
  for (let i = 0, at = 0; i < count; i += 1, at += step) {
    words[at] = mark;
    words[at + 1] = firstInPartition + i;
    for (let k = 2; k < step; k += 1) {
      x ^= x << 13;
      x ^= x >>> 17;
      x ^= x << 5;
      words[at + k] = x;
    }
  }
  return new Uint8Array(words.buffer);
}

/** One message with a text. */
export function textMessage(sender: string, nth: number, text: string): Uint8Array {
  const body = utf8ToBytes(text);
  const bytes = new Uint8Array(headBytes + body.length);
  const head = new DataView(bytes.buffer);
  head.setUint32(0, hash32(sender), true);
  head.setUint32(4, nth, true);
  bytes.set(body, headBytes);
  return bytes;
}

/** A message as text, its head left out. */
export const textOf = (bytes: Uint8Array): string => textOfBase64(fromUint8Array(bytes.subarray(headBytes)));

/** A running checksum over 32-bit words (a polynomial hash modulo 2^32, base 31); bytes that don't fill a word are taken one by one. */
export function addSum(sum: number, bytes: Uint8Array): number {
  let s = sum | 0;
  const whole = bytes.byteOffset % 4 === 0 ? bytes.length >> 2 : 0;
  const words = whole ? new Uint32Array(bytes.buffer, bytes.byteOffset, whole) : new Uint32Array(0);
  for (let i = 0; i < words.length; i += 1) s = (Math.imul(s, 31) + words[i]!) | 0;
  for (let i = whole * 4; i < bytes.length; i += 1) s = (Math.imul(s, 31) + bytes[i]!) | 0;
  return s;
}

/** Checks that a sender's messages stand in their order: each one's number follows the one before. Gives the first that doesn't. */
export function orderFault(seen: Map<number, number>, bytes: Uint8Array, count: number): number | undefined {
  const size = bytes.length / count;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let i = 0; i < count; i += 1) {
    const sender = view.getUint32(i * size, true);
    const nth = view.getUint32(i * size + 4, true);
    const before = seen.get(sender);
    if (before !== undefined && nth !== before + 1) return nth;
    seen.set(sender, nth);
  }
  return undefined;
}

/** A checksum of 32 bits in eight letters. */
export const hex = (sum: number): string => (sum >>> 0).toString(16).padStart(8, '0');
