/*
 * What the cluster API refuses and takes, kind by kind, named by section of its published reference (kinds and concepts' pages of 1.32).
 * The limits in the rows are the reference's own; where a page gives none (port names, host names) the RFC that it names does. What is
 * taken is taken by the published schemas, too (kubernetes-models 5.1.0), but for what that package is known to get wrong.
 */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { judge } from '$core/manifest';
import type { ApiObject, Kind } from '$core/model';
import { models, validate } from '../published';
import { containers } from './containers';
import { plain } from './plain';
import { pods } from './pods';
import { services } from './services';
import { storage } from './storage';
import { fieldOf, good, laid, type Section } from './table';
import { workloads } from './workloads';

const sections: readonly Section[] = [...containers, ...pods, ...workloads, ...services, ...storage, ...plain];

const refused = (object: unknown): string[] =>
  judge(object).faults.map(({ path }) =>
    path.reduce<string>((text, step) => (typeof step === 'number' ? `${text}[${step}]` : text ? `${text}.${step}` : step), '')
  );

const publishedTakes = (object: unknown): boolean => {
  if (!(((object as ApiObject).kind as Kind) in models)) return true;
  try {
    validate(structuredClone(object) as ApiObject);
    return true;
  } catch {
    return false;
  }
};

describe.each(sections.map((one) => [one.of, one] as const))('%s', (_, section) => {
  test.each(section.rows.map(([given, field]) => [JSON.stringify(given).slice(0, 160), given, field] as const))(
    '%s',
    (_said, given, field) => {
      const object = laid(section, given);
      if (field === undefined) {
        expect(refused(object)).toEqual([]);
        expect(publishedTakes(object)).toBe(true);
      } else expect(refused(object)).toContain(fieldOf(section, field));
    }
  );
});

test('at least 400 things are tried, and an object of each kind is taken', () => {
  expect(sections.reduce((sum, one) => sum + one.rows.length, 0)).toBeGreaterThanOrEqual(400);
  for (const object of Object.values(good)) expect(refused(object), object.kind).toEqual([]);
});

test('base64 in lines, as RFC 2045 has it (section 6.8), is taken; the package takes it in one line only', () => {
  const wrapped = (end: string) => ({ ...good.ConfigMap, binaryData: { a: `aGkh${end}aGk=${end}` } });
  expect(['\n', '\r\n', ' ', '\t'].map((end) => refused(wrapped(end)).length)).toEqual([0, 0, 1, 1]);
});

/** All places in an object that hold something, as paths. */
function places(value: unknown, at: readonly (string | number)[] = []): (readonly (string | number)[])[] {
  if (typeof value !== 'object' || value === null) return [at];
  return [
    ...(at.length ? [at] : []),
    ...Object.entries(value).flatMap(([key, one]) => places(one, [...at, Array.isArray(value) ? Number(key) : key]))
  ];
}

/** Texts that the API takes for "not said" and the package's lists of values leave out. */
const emptyTaken = /tolerations\.\d+\.(operator|effect)$|hostPath\.type$/;

test('whatever is put where: what the published schemas refuse is refused here', () => {
  const taken = sections.flatMap((section) =>
    section.rows.filter(([, field]) => field === undefined).map(([given]) => laid(section, given))
  );
  const value = fc.oneof(
    fc.constantFrom<unknown>('', 'x', '5', 5, -1, 1.5, true, [], ['x'], [5], {}, { x: 'y' }, { x: 5 }, [{}]),
    fc.string({ maxLength: 6 })
  );
  fc.assert(
    fc.property(fc.constantFrom(...taken), fc.nat(), value, (object, nth, put) => {
      const changed = structuredClone(object);
      const all = places(changed).filter(([first]) => first !== 'kind' && first !== 'apiVersion');
      const path = all[nth % all.length]!;
      let holder: Record<string | number, unknown> = changed;
      for (const step of path.slice(0, -1)) holder = holder[step] as typeof holder;
      holder[path.at(-1)!] = put;
      if (put === '' && emptyTaken.test(path.join('.'))) return;
      if (!refused(changed).length) expect(publishedTakes(changed), `${path.join('.')} = ${JSON.stringify(put)}`).toBe(true);
    }),
    { numRuns: Number(process.env.ODD_RUNS ?? 1_500) }
  );
});
