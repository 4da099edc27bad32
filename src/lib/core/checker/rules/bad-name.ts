import { plainText } from '../../shared';
import { kindEntry, nearestName } from '../../model';
import { claim } from '../examples';
import { rule } from '../rule';

export default rule({
  id: 'bad-name',
  level: 'error',
  title: 'A name breaks the rules for names',
  why: 'Names become host names, so they are made of lower-case letters, digits and "-" (RFC 1123; services RFC 1035), with at most 63 characters, or 253 with dots.',
  bad: claim(undefined, 'name: Ledger_1'),
  good: claim(undefined, 'name: ledger-1'),
  repair({ written, path }) {
    const value = path.reduce<unknown>((at, step) => (at as Record<string, unknown> | undefined)?.[step], written.value);
    const entry = kindEntry(plainText(written.value.kind));
    const near =
      typeof value === 'string'
        ? nearestName(value, path.at(-1) === 'name' && path.length === 2 ? (entry?.nameRule ?? 'label') : 'label')
        : undefined;
    return near === undefined ? undefined : { says: `Write ${near}`, own: [{ set: path, value: near }] };
  }
});
