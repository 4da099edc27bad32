import { CoreError } from '../shared';

/** Alphabets that generated values are drawn from. `plain` has no letters that look alike. */
export const alphabets = {
  letters: 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789',
  plain: 'abcdefghjkmnpqrstuvwxyz23456789',
  marks: 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789!#%+-.:=?@^_~',
  hex: '0123456789abcdef'
} as const;
/** Characters that a drawn secret is made of. */
export type Alphabet = keyof typeof alphabets;

/** Least random bits of a generated value. Source: RFC 4086, 8.1 (keys of 128 bits for high security). */
export const leastBits = 128;

/** Characters of an alphabet that carry so many bits. */
export const lengthFor = (alphabet: Alphabet, bits = leastBits): number => Math.ceil(bits / Math.log2(alphabets[alphabet].length));

/** Random bits in a value of so many characters. */
export const bitsOf = (alphabet: Alphabet, length: number): number => length * Math.log2(alphabets[alphabet].length);

/**
 * A value drawn from an alphabet, every character equally likely (bytes that would favour some are thrown away).
 * @param random gives so many bytes of the platform's secure source
 * @throws CoreError for a length under 1 or over 1,024
 */
export function secretValue(alphabet: Alphabet, length: number, random: (count: number) => Uint8Array): string {
  if (!Number.isInteger(length) || length < 1 || length > 1_024)
    throw new CoreError('secretValue', 'length must be a whole number from 1 to 1024', length);
  const letters = alphabets[alphabet];
  const most = Math.floor(256 / letters.length) * letters.length;
  let value = '';
  while (value.length < length) {
    for (const byte of random((length - value.length) * 2)) {
      if (byte < most && value.length < length) value += letters[byte % letters.length]!;
    }
  }
  return value;
}
