import { placedKey } from '../copies';

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
