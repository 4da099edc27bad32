import { plainText } from '../../shared';
import { fieldAt } from '../../model';
import { claim } from '../examples';
import { rule, nearest } from '../rule';

export default rule({
  id: 'bad-value',
  level: 'error',
  title: 'A value is not one of those allowed',
  why: 'Some fields take only words from a list, spelled exactly; others have a least or a most.',
  bad: claim('accessModes: [readWriteOnce], resources: {requests: {storage: 40Gi}}'),
  good: claim(),
  repair({ written, path }) {
    const value = path.reduce<unknown>((at, step) => (at as Record<string, unknown> | undefined)?.[step], written.value);
    const choices = fieldAt(plainText(written.value.kind), path)?.choices;
    const near = typeof value === 'string' && choices ? nearest(value, choices) : undefined;
    return near === undefined ? undefined : { says: `Write ${near}`, own: [{ set: path, value: near }] };
  }
});
