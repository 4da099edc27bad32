import { isQuantity, shownValue } from '../shared';
import { publishedRow } from '../model';
import type { At } from './at';

const words: Readonly<Record<string, string>> = {
  s: 'text',
  n: 'a whole number',
  b: 'true or false',
  i: 'a number or text',
  q: 'a quantity'
};

function fits(value: unknown, type: string): boolean {
  switch (type) {
    case 's':
      return typeof value === 'string';
    case 'n':
      return typeof value === 'number' && Number.isInteger(value);
    case 'b':
      return typeof value === 'boolean';
    case 'i':
      return typeof value === 'string' || typeof value === 'number';
    case 'q':
      return (typeof value === 'string' || typeof value === 'number') && isQuantity(String(value));
    default:
      return true;
  }
}

const wrong = (at: At, expected: string): void =>
  at.refuse(`must be ${expected}; it is ${shownValue(at.value)}`, `Write ${expected} there.`, 'wrong-type');

/**
 * Refuses values whose type isn't the published one, in every field that the published types have, whether the stand-in plays it out or not.
 * Which fields are needed isn't looked at: the types call some needed that the API fills in.
 * @param type as the table of published fields writes types
 */
export function publishedTypes(at: At, type: string): void {
  const bare = type.replace(/!$/, '');
  if (!at.there || bare === '*') return;
  if (bare.startsWith('[')) {
    if (Array.isArray(at.value)) for (const one of at.items) publishedTypes(one, bare.slice(1, -1));
    else wrong(at, 'a list');
    return;
  }
  const map = bare.startsWith('{');
  const row = map ? undefined : publishedRow(bare);
  if (map || row) {
    if (typeof at.value !== 'object' || Array.isArray(at.value)) return wrong(at, 'a map');
    for (const [key, one] of at.entries) {
      const inner = map ? bare.slice(1, -1) : row && Object.hasOwn(row, key) ? row[key] : undefined;
      if (inner !== undefined) publishedTypes(one, inner);
    }
    return;
  }
  const plain = bare.startsWith('s|') ? 's' : bare;
  if (!fits(at.value, plain)) wrong(at, words[plain] ?? 'something else');
}
