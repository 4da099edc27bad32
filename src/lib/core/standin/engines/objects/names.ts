import { utf8ToBytes } from '@noble/hashes/utils.js';
import { contentOf, contentText } from '../content';
import { namedIn, placedKey } from '../copies';

/** A bucket (`bucket/`, its own name in it) or an object (`bucket/key`), with what it holds. */
type Held = readonly [object: string, content: Uint8Array];

/** Whether a name is a bucket's: its own name and a slash. Keys of objects may end with one, too. */
export const isBucket = (object: string): boolean => object.indexOf('/') === object.length - 1;

/** What a name in a copy means: a bucket (`bucket/`) or an object (`bucket/key`); '' for what is no such name. */
export function objectOf(name: string): string {
  try {
    const [what, bucket, key] = JSON.parse(name) as readonly unknown[];
    if (typeof bucket !== 'string' || bucket === '' || bucket.includes('/')) return '';
    if (what === 'bucket') return `${bucket}/`;
    return what === 'object' && typeof key === 'string' && key !== '' ? `${bucket}/${key}` : '';
  } catch {
    return '';
  }
}

/** The name in a copy of such a one. */
export function nameOf(object: string): string {
  const slash = object.indexOf('/');
  const bucket = object.slice(0, slash);
  return isBucket(object) ? placedKey('bucket', bucket) : placedKey('object', bucket, object.slice(slash + 1));
}

/** What a copy keeps of buckets and objects. */
export const rowsOf = (all: readonly Held[]): [string, string][] =>
  all.map(([object, content]) => [nameOf(object), isBucket(object) ? '' : contentText(content)]);

/** Buckets and objects of a copy; undefined for a text that is none. */
export function saidIn(text: string): Held[] | undefined {
  const said: Held[] = [];
  for (const [name, value] of namedIn(text) ?? [['', '']]) {
    const object = objectOf(name);
    const content = isBucket(object) ? utf8ToBytes(object.slice(0, -1)) : contentOf(value);
    if (object === '' || !content) return undefined;
    said.push([object, content]);
  }
  return said;
}
