/** A 32-bit hash of a text (FNV-1a with a mixing finish). Not for secrets. */
export function hash32(text: string, seed = 0x811c9dc5): number {
  let h = seed >>> 0;
  for (let i = 0; i < text.length; i += 1) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193);
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
}

/**
 * A draw in [0, 1) that depends on nothing but the seed and what it is drawn for. Because no stream is shared, a fork that adds one
 * object leaves every other object's luck as it was.
 */
export const draw = (seed: number, what: string): number => hash32(what, hash32('root-barn', seed)) / 4_294_967_296;

/** A whole number in [least, most], both included, drawn like {@link draw}. */
export const drawInt = (seed: number, what: string, least: number, most: number): number =>
  least + Math.floor(draw(seed, what) * (most - least + 1));

const alphabet = 'bcdfghjklmnpqrstvwxz2456789';

/** A short suffix for generated names, as manifests carry them: lower case, no vowels. */
export function suffix(seed: number, what: string, length = 5): string {
  let text = '';
  for (let i = 0; i < length; i += 1) text += alphabet[drawInt(seed, `${what}#${i}`, 0, alphabet.length - 1)];
  return text;
}

const mix = (h: number): number => {
  const a = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  const b = Math.imul(a ^ (a >>> 13), 0xc2b2ae35);
  return (b ^ (b >>> 16)) >>> 0;
};
const hexBytes: readonly string[] = Array.from({ length: 256 }, (_, i) => (i + 256).toString(16).slice(1));

/** A 32-bit number as eight hexadecimal digits. */
export const hex8 = (n: number): string =>
  hexBytes[n >>> 24]! + hexBytes[(n >>> 16) & 255]! + hexBytes[(n >>> 8) & 255]! + hexBytes[n & 255]!;

/** An identifier in the form of a UUID (version 8, RFC 9562), drawn from the seed. */
export function uidOf(seed: number, what: string): string {
  const a = hash32(what, seed);
  const b = mix(a ^ 0x9e3779b9);
  const c = hash32(what, ~seed);
  const d = mix(c ^ 0x7f4a7c15);
  const [x, y] = [hex8(b), hex8(c)];
  return `${hex8(a)}-${x.slice(0, 4)}-8${x.slice(5)}-a${y.slice(1, 4)}-${y.slice(4)}${hex8(d)}`;
}
