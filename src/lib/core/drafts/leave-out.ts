import { keyOf, pointersOf, refOf, selectorMatches, type Facts } from '../model';
import { dropObject, type TextEdit, type WrittenResult } from '../manifest';

/** What is missed when parts of a draft are left out. */
export interface Lack {
  readonly object: string;
  readonly lacks: string;
  readonly says: string;
}

/** Leaves parts of a draft out, and says what the rest then lacks (what stands on the target already isn't missed). */
export function leaveOut(
  read: WrittenResult,
  keys: readonly string[],
  target?: Facts
): { lacks: readonly Lack[]; edits: readonly TextEdit[] } {
  const out = new Set(keys);
  const gone = read.objects.filter((one) => out.has(keyOf(refOf(one.object))));
  const rest = read.objects.filter((one) => !gone.includes(one));
  const there = (key: string, kind: Parameters<Facts['get']>[0], namespace: string, name: string) =>
    rest.some((one) => keyOf(refOf(one.object)) === key) || target?.get(kind, namespace, name) !== undefined;
  const lacks = rest.flatMap((one) => {
    const me = keyOf(refOf(one.object));
    const named = pointersOf(one.object).flatMap(({ kind, namespace, name, optional }) => {
      const key = keyOf({ kind, namespace, name });
      return out.has(key) && !there(key, kind, namespace, name)
        ? [{ object: me, lacks: key, says: optional ? 'it is optional there' : 'it waits until that is there' }]
        : [];
    });
    const space = one.object.metadata.namespace ?? '';
    const home = `Namespace ${space}`;
    const homeless =
      space && out.has(home) && !there(home, 'Namespace', '', space) ? [{ object: me, lacks: home, says: 'it has nowhere to stand' }] : [];
    return [...named, ...homeless];
  });
  const unguarded = gone.flatMap(({ object }) =>
    object.kind === 'PodDisruptionBudget'
      ? rest
          .filter(
            (one) => one.object.kind === 'StatefulSet' && selectorMatches(object.spec.selector, one.object.spec.template.metadata?.labels)
          )
          .map((one) => ({
            object: keyOf(refOf(one.object)),
            lacks: keyOf(refOf(object)),
            says: 'nothing says any more how many may be away at once'
          }))
      : []
  );
  return { lacks: [...lacks, ...unguarded], edits: gone.flatMap((one) => dropObject(one.writing)) };
}
