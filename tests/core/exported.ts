import { kindEntries, type ApiObject, type Facts, type Kind } from '$core/model';
import { Store } from '$core/standin';

/** Kinds that no export holds: what the stand-in alone has. */
export const hidden = new Set<Kind>(['Ground', 'Backend', 'Identity', 'Registry', 'Asset', 'Disk']);

/** A cluster as an export tells of it that leaves some kinds out; where `without` is left out it isn't told how far it reaches. */
export function exported(facts: Facts, without?: (kind: string) => boolean): Store {
  const store = new Store(false);
  for (const { kind } of kindEntries)
    if (!hidden.has(kind) && !without?.(kind)) for (const one of facts.list(kind) as ApiObject[]) store.place(undefined, one);
  if (without) store.scope = { of: (kind) => (without(kind) ? 'left-out' : 'contained'), dated: true, others: [], logs: [] };
  return store;
}
