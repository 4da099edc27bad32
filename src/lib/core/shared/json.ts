/** Whether two plain values are the same through and through; key order doesn't count. */
export function same(a: unknown, b: unknown): boolean {
  if (Object.is(a, b) || a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a)) return Array.isArray(b) && a.length === b.length && a.every((one, i) => same(one, b[i]));
  if (Array.isArray(b)) return false;
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

/**
 * What tells the items of a list of objects apart. Source: the cluster API's schema, patch merge keys and `x-kubernetes-list-map-keys`: `name`
 * for containers, volumes, environment; `mountPath` and `devicePath` for mounts, `containerPort` and `port` for ports, `uid` for owners,
 * `type` for conditions, `topologyKey` for spread constraints, `ip` for host aliases. Lists without one (taints, arguments) go by place.
 */
const mergeKeys = ['name', 'mountPath', 'devicePath', 'containerPort', 'port', 'uid', 'type', 'topologyKey', 'ip'] as const;

/** The items of a list by what tells them apart; undefined where they don't all bear one key, or bear a value of it twice. */
function byMergeKey(list: readonly unknown[], other: readonly unknown[]): [Map<unknown, unknown>, Map<unknown, unknown>] | undefined {
  for (const key of mergeKeys) {
    const [a, b] = [list, other].map((one) => new Map(one.map((item) => [isPlain(item) ? item[key] : undefined, item]))) as [
      Map<unknown, unknown>,
      Map<unknown, unknown>
    ];
    if (a.has(undefined) || b.has(undefined)) continue;
    if (a.size === list.length && b.size === other.length) return [a, b];
  }
  return undefined;
}

/**
 * All the leaves in which two values differ, in the order of the keys of the newer one. Items of lists are compared with those of the same
 * name (or other merge key), wherever they stand; `[n]` is the place in the newer list, or, for what has gone, in the older one. A list
 * that holds the same items in another order differs as a whole.
 */
export function differences(before: unknown, after: unknown, field = ''): Difference[] {
  if (same(before, after)) return [];
  if (Array.isArray(before) && Array.isArray(after)) {
    const named = byMergeKey(before, after);
    if (!named) {
      const longest = Math.max(before.length, after.length);
      return Array.from({ length: longest }, (_, i) => differences(before[i], after[i], `${field}[${i}]`)).flat();
    }
    const [old, next] = named;
    const [oldKeys, nextKeys] = [[...old.keys()], [...next.keys()]];
    // One that came into the place of one that went is told with it: each field is named once.
    const found = after.flatMap((one: unknown, i) => {
      if (old.has(nextKeys[i])) return differences(old.get(nextKeys[i]), one, `${field}[${i}]`);
      const instead: unknown = i < before.length && !next.has(oldKeys[i]) ? before[i] : undefined;
      return [{ field: `${field}[${i}]`, before: instead, after: one }];
    });
    const gone = before.flatMap((one: unknown, i) =>
      next.has(oldKeys[i]) || (i < after.length && !old.has(nextKeys[i]))
        ? []
        : [{ field: `${field}[${i}]`, before: one, after: undefined }]
    );
    return found.length || gone.length ? [...found, ...gone] : [{ field, before, after }];
  }
  if (!isPlain(before) || !isPlain(after)) return [{ field, before, after }];
  const keys = [...new Set([...Object.keys(after), ...Object.keys(before)])];
  return keys.flatMap((key) => differences(before[key], after[key], field ? `${field}.${key}` : key));
}
