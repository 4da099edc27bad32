import { fieldOf } from '../shared';
import { z } from 'zod';
import { keyOf, refOf, type ApiObject } from '../model';
import { editsOf, pathOf, pathText, withValue, type Path, type TextEdit, type Written, type WrittenResult } from '../manifest';

/** The file beside a draft's manifests that holds what differs by cluster. */
export const tableFile = 'by-cluster.yaml';
const tableKind = 'ValueTable';
const tableApi = 'standin.example/v1';

const scalar = z.union([z.string(), z.number(), z.boolean()]);
const tableSchema = z.looseObject({
  apiVersion: z.literal(tableApi),
  kind: z.literal(tableKind),
  metadata: z.looseObject({ name: z.string() }),
  spec: z.looseObject({
    rows: z.array(
      z.looseObject({
        name: z.string(),
        /** `Kind namespace/name path`, e.g. `StatefulSet tickets/bookings spec.replicas`. */
        places: z.array(z.string()),
        values: z.record(z.string(), scalar)
      })
    )
  })
});

/** A value that differs by cluster: where it stands in the manifests, and what it is on which cluster. */
export interface TableRow {
  readonly name: string;
  readonly places: readonly string[];
  readonly values: Readonly<Record<string, string | number | boolean>>;
}

function placeOf(text: string): { key: string; path: Path } | undefined {
  const found = /^(\S+ \S+) (\S+)$/.exec(text.trim());
  return found ? { key: found[1]!, path: pathOf(found[2]!) } : undefined;
}

/** Whether a value is a table; tables are kept with a draft and never sent. */
export const isTable = (value: unknown): boolean => (value as { kind?: unknown } | null)?.kind === tableKind;

/** The rows of a table; undefined with what is wrong when it can't be read. */
export function rowsOf(value: unknown): { rows: readonly TableRow[]; fault?: string } {
  const parsed = tableSchema.safeParse(value);
  if (parsed.success) return { rows: parsed.data.spec.rows };
  const [issue] = parsed.error.issues;
  return { rows: [], fault: `${fieldOf(issue?.path ?? [])}: ${issue?.message ?? 'no table'}` };
}

/** A table as it is written. */
export const tableOf = (name: string, rows: readonly TableRow[]): object => ({
  apiVersion: tableApi,
  kind: tableKind,
  metadata: { name },
  spec: { rows: rows.map((one) => ({ name: one.name, places: one.places, values: one.values })) }
});

/** Objects as they go to a cluster: with that cluster's values where the table has some. */
export function forCluster(read: WrittenResult, rows: readonly TableRow[], cluster: string): WrittenResult {
  const wishes = new Map<string, { path: Path; value: string | number | boolean }[]>();
  for (const row of rows) {
    const value = row.values[cluster];
    if (value === undefined) continue;
    for (const text of row.places) {
      const place = placeOf(text);
      if (place) wishes.set(place.key, [...(wishes.get(place.key) ?? []), { path: place.path, value }]);
    }
  }
  if (!wishes.size) return read;
  return {
    ...read,
    objects: read.objects.map((one) => {
      const mine = wishes.get(keyOf(refOf(one.object)));
      return mine
        ? { ...one, object: mine.reduce<ApiObject>((object, { path, value }) => withValue(object, path, value), one.object) }
        : one;
    })
  };
}

/** Fields whose values are worth lifting out, with a name for the row. */
const lifted: readonly { test: RegExp; name: string }[] = [
  { test: /storageClassName$/, name: 'class' },
  { test: /requests\.storage$/, name: 'size' },
  { test: /spec\.replicas$/, name: 'replicas' },
  { test: /\.image$/, name: 'image' },
  { test: /requests\.(cpu|memory)$/, name: 'request' },
  { test: /loadBalancerIP$|hostnames?\[\d+\]$|spec\.names\[\d+\]$/, name: 'host name' }
];

/** A value that is apt to differ by cluster. */
export interface Liftable {
  readonly name: string;
  readonly place: string;
  readonly value: string | number | boolean;
}

function leaves(value: unknown, path: Path, out: { path: Path; value: string | number | boolean }[]): void {
  if (Array.isArray(value)) value.forEach((one, i) => leaves(one, [...path, i], out));
  else if (typeof value === 'object' && value !== null) for (const [key, one] of Object.entries(value)) leaves(one, [...path, key], out);
  else if (typeof value === 'string' || typeof value === 'number' || typeof value === 'boolean') out.push({ path, value });
}

/** The values of a draft that are apt to differ by cluster: classes, sizes, replicas, images, host names. */
export function liftables(objects: readonly Written[]): Liftable[] {
  return objects.flatMap((one) => {
    const found: { path: Path; value: string | number | boolean }[] = [];
    leaves(one.value, [], found);
    return found.flatMap(({ path, value }) => {
      const text = pathText(path);
      const kind = lifted.find((two) => two.test.test(text));
      return kind ? [{ name: kind.name, place: `${keyOf(refOf(one.object))} ${text}`, value }] : [];
    });
  });
}

/** The edits that write one cluster's values into the manifests, for a bundle that goes there. */
export function tableEdits(read: WrittenResult, rows: readonly TableRow[], cluster: string): TextEdit[] {
  return rows.flatMap((row) => {
    const value = row.values[cluster];
    if (value === undefined) return [];
    return row.places.flatMap((text) => {
      const place = placeOf(text);
      const on = place && read.objects.find((one) => keyOf(refOf(one.object)) === place.key);
      return on ? editsOf(on.writing, [{ set: place.path, value }]) : [];
    });
  });
}
