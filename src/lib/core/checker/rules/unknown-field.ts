import { fieldOf } from '../../shared';
import { kindEntries, fieldAt } from '../../model';
import { claim } from '../examples';
import { rule, change, hit, nearest } from '../rule';

/** Maps whose keys are free, and fields that the published types hold open. */
function strangers(
  kind: string,
  value: unknown,
  path: (string | number)[],
  out: { path: (string | number)[]; near?: string | undefined }[]
): void {
  if (Array.isArray(value)) return value.forEach((one, i) => strangers(kind, one, [...path, i], out));
  if (typeof value !== 'object' || value === null) return;
  const info = fieldAt(kind, path);
  const known = info?.fields;
  for (const key of Object.keys(value)) {
    const next = [...path, key];
    if (known && !info.list && !info.map && !Object.hasOwn(known, key)) {
      if (Object.hasOwn(known, '*')) continue;
      const near = nearest(
        key,
        Object.keys(known).filter((one) => !Object.hasOwn(value, one))
      );
      out.push({ path: next, near });
    } else if (info) strangers(kind, (value as Record<string, unknown>)[key], next, out);
  }
}

export default rule({
  id: 'unknown-field',
  level: 'warning',
  title: 'The kind has no such field',
  why: 'A cluster drops fields that it does not know, or refuses them where it checks strictly. Either way the wish is lost, and nobody says so. Known fields are those of the published types (1.30).',
  bad: claim('accessModes: [ReadWriteOnce], resources: {requests: {storage: 40Gi}}, storageClass: even'),
  good: claim('accessModes: [ReadWriteOnce], resources: {requests: {storage: 40Gi}}, storageClassName: even'),
  check: ({ written }) =>
    written(...kindEntries.map((one) => one.kind)).flatMap((on) => {
      const found: { path: (string | number)[]; near?: string | undefined }[] = [];
      const { status: _, ...value } = on.value as { status?: unknown };
      strangers(on.object.kind, value, [], found);
      return found.map(({ path, near }) =>
        hit(
          on,
          path,
          `${on.object.kind} has no field ${fieldOf(path)}.`,
          near ? `Write ${near}.` : 'Leave it out, or look at the fields that are known there.',
          near ? change(`Write ${near}`, on, { rename: path, to: near }) : change('Leave it out', on, { drop: path })
        )
      );
    })
});
