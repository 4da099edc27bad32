import { crc32 } from 'node:zlib';

/**
 * A sum over what a row says (CRC-32, which finds every flip of one bit and every run of up to 32), so that a byte that flips on the disk
 * is noticed when the row is read. Against somebody who writes on purpose it is no guard.
 */
export function sumOf(...parts: readonly (string | number | null)[]): string {
  let sum = 0;
  for (const part of parts) sum = crc32(`${part === null ? 'n' : typeof part === 'number' ? 'i' : 's'}${String(part)}\0`, sum);
  return sum.toString(16).padStart(8, '0');
}

/** Whether a row is as it was written; rows of earlier versions have no sum. */
export const sumHolds = (sum: string, ...parts: readonly (string | number | null)[]): boolean => sum === '' || sum === sumOf(...parts);
