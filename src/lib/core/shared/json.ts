/** Whether two plain values are the same through and through; key order doesn't count. */
export function same(a: unknown, b: unknown): boolean {
  if (Object.is(a, b) || a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a) !== Array.isArray(b)) return false;
  const x = a as Record<string, unknown>;
  const y = b as Record<string, unknown>;
  let count = 0;
  for (const key in x) {
    if (x[key] === undefined) continue;
    count += 1;
    if (!same(x[key], y[key])) return false;
  }
  for (const key in y) if (y[key] !== undefined) count -= 1;
  return count === 0;
}

/** JSON with sorted keys: the same value always gives the same text. */
export function stableJson(value: unknown): string {
  if (value === null || typeof value !== 'object') return JSON.stringify(value) ?? 'null';
  if (Array.isArray(value)) return `[${value.map(stableJson).join(',')}]`;
  const record = value as Record<string, unknown>;
  const parts: string[] = [];
  for (const key of Object.keys(record).sort()) {
    if (record[key] !== undefined) parts.push(`${JSON.stringify(key)}:${stableJson(record[key])}`);
  }
  return `{${parts.join(',')}}`;
}

/** One difference between two plain values; `field` is a dotted path, `[n]` for list places. */
export interface Difference {
  readonly field: string;
  readonly before: unknown;
  readonly after: unknown;
}

const isPlain = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null && !Array.isArray(value);

/** All the leaves in which two values differ, in the order of the keys of the newer one. */
export function differences(before: unknown, after: unknown, field = ''): Difference[] {
  if (same(before, after)) return [];
  if (Array.isArray(before) && Array.isArray(after)) {
    const longest = Math.max(before.length, after.length);
    return Array.from({ length: longest }, (_, i) => differences(before[i], after[i], `${field}[${i}]`)).flat();
  }
  if (!isPlain(before) || !isPlain(after)) return [{ field, before, after }];
  const keys = [...new Set([...Object.keys(after), ...Object.keys(before)])];
  return keys.flatMap((key) => differences(before[key], after[key], field ? `${field}.${key}` : key));
}
