import { fieldOf } from '../../shared';
import { publishedRow, type ApiObject, type Facts } from '../../model';
import { gateOpen, gateRemedy } from '../provider/feature-gates';
import { fields, gated, values } from './fields';

export { fields as playedFields, gated as gatedFields, values as notPlayedValues } from './fields';
export type { Played } from './played';

/** A field of an object from which nothing follows in the stand-in. */
export interface NotPlayed {
  /** Its path, without places in lists: `spec.template.spec.containers.lifecycle`. */
  readonly field: string;
  /** What that means, e.g. `nobody calls anything`. */
  readonly says: string;
}

/** Whether a value says what is so without it, as far as that can be told. */
const saysNothing = (value: unknown): boolean =>
  value === undefined ||
  value === null ||
  value === false ||
  value === '' ||
  (Array.isArray(value) && !value.length) ||
  (typeof value === 'object' && !Array.isArray(value) && !Object.keys(value).length);

function walk(facts: Facts, value: unknown, type: string, path: readonly string[], found: Map<string, string>): void {
  const bare = type.replace(/!$/, '');
  if (bare.startsWith('[')) {
    if (Array.isArray(value)) for (const one of value) walk(facts, one, bare.slice(1, -1), path, found);
    return;
  }
  const row = bare.startsWith('{') ? undefined : publishedRow(bare);
  if (!row || typeof value !== 'object' || value === null) return;
  const { not = {} } = fields[bare] ?? {};
  for (const [field, inner] of Object.entries(value)) {
    if (saysNothing(inner) || !Object.hasOwn(row, field) || (path.length === 0 && field === 'status')) continue;
    const here = [...path, field];
    const gate = gated[`${bare}.${field}`];
    const shut = gate && !gateOpen(facts, gate) ? `the gate ${gate} is shut here. ${gateRemedy(gate)}` : undefined;
    const says = not[field] ?? not['*'] ?? shut ?? (typeof inner === 'string' ? values[`${bare}.${field}`]?.[inner] : undefined);
    if (says !== undefined) found.set(fieldOf(here), says);
    else if (field !== 'metadata') walk(facts, inner, row[field]!, here, found);
  }
}

/**
 * What an object says that is kept, checked and handed out again, and not played out: nothing follows from it here.
 * Each field once, however many items of a list have it.
 * @param facts the cluster that it is sent to: which gates are open there
 */
export function notPlayed(object: ApiObject, facts: Facts): NotPlayed[] {
  const found = new Map<string, string>();
  if (publishedRow(object.kind)) walk(facts, object, object.kind, [], found);
  return [...found].map(([field, says]) => ({ field, says })).sort((a, b) => (a.field < b.field ? -1 : 1));
}
