import { entryOf, keyOf, refOf, type ApiObject, type Facts, type Kind, type KindMap } from '../model';
import { withLikeness } from '../standin';
import type { Written } from '../manifest';
import type { DraftContext, WrittenOf } from './types';

/** Puts a draft and its target together, as they would stand after sending. */
export function contextOf(objects: readonly Written[], target: Facts | undefined): DraftContext {
  const byKind = new Map<Kind, Written[]>();
  const byKey = new Map<string, ApiObject>();
  const lists = new Map<string, ApiObject[]>();
  // Programs that aren't known are what cards suppose: those that stand there, and those that are written beside them.
  const cards = [...objects.flatMap(({ object }) => (object.kind === 'EngineCard' ? [object] : [])), ...(target?.list('EngineCard') ?? [])];
  for (const given of objects) {
    const one = cards.length ? { ...given, object: withLikeness(given.object, cards) } : given;
    const { kind } = one.object;
    const list = byKind.get(kind);
    if (list) list.push(one);
    else byKind.set(kind, [one]);
    byKey.set(keyOf(refOf(one.object)), one.object);
  }
  return {
    target,
    kinds: [...byKind.keys()],
    written: <K extends Kind>(...kinds: K[]) => kinds.flatMap((kind) => (byKind.get(kind) ?? []) as unknown as WrittenOf<K>[]),
    find: <K extends Kind>(kind: K, namespace: string, name: string) =>
      (byKey.get(keyOf({ kind, namespace: entryOf(kind).namespaced ? namespace : '', name })) ?? target?.get(kind, namespace, name)) as
        | KindMap[K]
        | undefined,
    all: <K extends Kind>(kind: K, namespace?: string) => {
      // Rules ask for the same lists again and again; a context stands still, so each is made once.
      const id = namespace === undefined ? kind : `${kind} ${namespace}`;
      const known = lists.get(id);
      if (known) return known as KindMap[K][];
      const mine = (byKind.get(kind) ?? [])
        .map((one) => one.object)
        .filter((one) => namespace === undefined || (one.metadata.namespace ?? '') === namespace);
      const rest = (target?.list(kind, namespace) ?? []).filter((one) => !byKey.has(keyOf(refOf(one as ApiObject))));
      const all = [...mine, ...rest] as ApiObject[];
      lists.set(id, all);
      return all as KindMap[K][];
    }
  };
}
