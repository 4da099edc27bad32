import { plainText } from '../../shared';
import { join, service, set } from '../examples';
import { rule } from '../rule';

export default rule({
  id: 'wrong-type',
  level: 'error',
  title: 'A value has the wrong type',
  why: 'Numbers, truth values and texts are told apart: a quoted "3" is a text, and a bare yes or 3600 where a text belongs is not one.',
  bad: join(service(), set({ spec: 'replicas: "3"' })),
  good: join(service(), set({ spec: 'replicas: 3' })),
  repair({ written, path }) {
    const value = path.reduce<unknown>((at, step) => (at as Record<string, unknown> | undefined)?.[step], written.value);
    const says = typeof value === 'string' ? value.trim() : undefined;
    if (says !== undefined && /^\d{1,15}$/.test(says)) return { says: `Write ${says}`, own: [{ set: path, value: Number(says) }] };
    if (says === 'true' || says === 'false') return { says: `Write ${says}`, own: [{ set: path, value: says === 'true' }] };
    if (typeof value === 'number' || typeof value === 'boolean')
      return { says: `Write "${value}"`, own: [{ set: path, value: plainText(value) }] };
    return undefined;
  }
});
