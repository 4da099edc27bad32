import { pathOf, withValue } from '../manifest';
import { keyOf, refOf, type ApiObject } from '../model';
import type { FitMend, FitSquare } from './types';

/** Manifests with the values that mend squares written into them. */
export function mendedBy(objects: readonly ApiObject[], squares: readonly FitSquare[]): readonly ApiObject[] {
  const mends: readonly FitMend[] = squares.flatMap((one) => one.mends ?? []);
  if (!mends.length) return objects;
  const values = new Map<string, { readonly path: string; readonly value: string }[]>();
  for (const { places, value } of mends)
    for (const place of places) {
      const at = place.lastIndexOf(' ');
      const key = place.slice(0, at);
      values.set(key, [...(values.get(key) ?? []), { path: place.slice(at + 1), value }]);
    }
  return objects.map((object) => {
    const ref = refOf(object);
    const mine = values.get(keyOf({ ...ref, namespace: ref.namespace || 'default' })) ?? values.get(keyOf(ref)) ?? [];
    return mine.reduce<ApiObject>((one, { path, value }) => withValue(one, pathOf(path), value), object);
  });
}
