import { plainText } from '../../shared';
import { claim } from '../examples';
import { rule } from '../rule';

export default rule({
  id: 'bad-quantity',
  level: 'error',
  title: 'A size or an amount cannot be read',
  why: 'A quantity is a number with one of Ki Mi Gi Ti Pi Ei, or n u m k M G T P E. GB and gi are none.',
  bad: claim('accessModes: [ReadWriteOnce], resources: {requests: {storage: 40GB}}'),
  good: claim(),
  repair({ written, path }) {
    const value = path.reduce<unknown>((at, step) => (at as Record<string, unknown> | undefined)?.[step], written.value);
    const found = /^\s*(\d+(?:\.\d+)?)\s*([kmgtp])i?b?\s*$/i.exec(plainText(value));
    if (!found) return undefined;
    const better = `${found[1]}${found[2]!.toUpperCase()}i`;
    return { says: `Write ${better}`, own: [{ set: path, value: better }] };
  }
});
