import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { parseAllDocuments, stringify } from 'yaml';
import {
  assumptionsOf,
  compareDumps,
  Cutter,
  latestIn,
  latestInOther,
  groundOfDump,
  jsonTexts,
  keepValue,
  parseJsonText,
  parseYamlCut,
  sinceOf,
  spreadOut,
  stateOf
} from '$core/dumps';
import { epochMs } from '$core/shared';
import { kindEntries, type ApiObject, type Kind } from '$core/model';
import { rootLine } from '$core/rootline';
import type { World } from '$core/standin';
import { replay, Store } from '$core/standin';
import { asLeft, driver, must, objects, ref, south } from './help';
import { kept } from './kept';

const hidden = new Set<Kind>(['Ground', 'Backend', 'Identity', 'Registry', 'Asset', 'Disk']);
const exported = (world: World): ApiObject[] =>
  kindEntries.filter((one) => !hidden.has(one.kind)).flatMap((one) => world.store.list(one.kind) as ApiObject[]);
function stillOf(given: readonly ApiObject[]): Store {
  const store = new Store(false);
  for (const one of given) store.place(undefined, one);
  return store;
}
const values = (text: string, sizes: () => number): unknown[] => {
  const cutter = new Cutter();
  const cuts = [];
  for (let at = 0; at < text.length;) {
    const size = Math.max(1, sizes());
    cuts.push(...cutter.push(text.slice(at, at + size)));
    at += size;
  }
  cuts.push(...cutter.end());
  return cuts.flatMap((cut) => [...parseYamlCut(cut).values]).filter((one) => one !== null && one !== undefined);
};

test('the latest moment that an export tells of is one that a calendar has, whoever tells of another', () => {
  const at = '2026-10-01T08:00:00Z';
  for (const odd of ['2026-13-45T99:99:99Z', '7', 'soon', 'on 2026-11-01T08:00:00Z', '12026-11-01T08:00:00Z', '2026-11-01', 5, null]) {
    const conditions = [{ type: 'Ready', status: 'True', lastTransitionTime: odd }];
    const known = { apiVersion: 'v1', kind: 'Node', metadata: { name: 'a', creationTimestamp: at }, status: { conditions } };
    const other = { apiVersion: 'x.example/v1', kind: 'Other', metadata: { name: 'a', creationTimestamp: at }, status: { conditions } };
    expect([latestIn(known as never), latestInOther({ created: at, conditions } as never)], String(odd)).toEqual(
      Array(2).fill(Date.parse(at))
    );
    expect(Number.isFinite(kept([known, other]).nowMs), String(odd)).toBe(true);
  }
});

describe('cutting a text that arrives in chunks', () => {
  const word = fc.constantFrom('a', '- b', '---', 'x: y', '', '# c', '  - d', 'items:', '"q"');
  const object = fc.record({
    apiVersion: fc.constant('v1'),
    kind: fc.constant('ConfigMap'),
    metadata: fc.record({ name: fc.stringMatching(/^[a-z]{1,6}$/) }),
    data: fc.dictionary(
      fc.stringMatching(/^[a-z]{1,4}$/),
      fc.array(word, { maxLength: 4 }).map((words) => words.join('\n')),
      { noNullPrototype: true }
    )
  });

  /** Documents, or the items of a list, with one line that is no YAML; where that stands (1 is the first line), and where it is told. */
  const lines = (count: number, bad: number, shape: 'documents' | 'list' | 'indented list', end: string, size: number) => {
    const pad = shape === 'indented list' ? '  ' : '';
    const item = (nth: number) => [
      'apiVersion: v1',
      'kind: ConfigMap',
      `metadata: {name: c${nth}}`,
      ...(nth % 3 ? [] : ['# a note']),
      ...(nth === bad ? ['data: a: b'] : [`data: {a: "${'x'.repeat(60)}"}`])
    ];
    const all =
      shape === 'documents'
        ? Array.from({ length: count }, (_, nth) => ['---', ...item(nth)]).flat()
        : [
            '# all of it',
            'apiVersion: v1',
            'items:',
            ...Array.from({ length: count }, (_, nth) => item(nth).map((one, i) => `${pad}${i ? '  ' : '- '}${one}`)).flat(),
            'kind: List'
          ];
    const text = all.join(end);
    const cutter = new Cutter();
    const cuts = [];
    for (let at = 0; at < text.length; at += size) cuts.push(...cutter.push(text.slice(at, at + size)));
    cuts.push(...cutter.end());
    const told = cuts.flatMap((cut) => parseYamlCut(cut).problems.map((one) => one.at.line));
    return { told, wanted: [all.findIndex((one) => one.endsWith('data: a: b')) + 1], groups: cuts.length };
  };

  test('what is no YAML is told at its own line, however the text is cut: in documents and in the items of lists', () => {
    const shapes = ['documents', 'list', 'indented list'] as const;
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 9 }),
        fc.nat(8),
        fc.constantFrom(...shapes),
        fc.constantFrom('\n', '\r\n'),
        fc.integer({ min: 1, max: 400 }),
        (count, bad, shape, end, size) => {
          const { told, wanted } = lines(count, bad % count, shape, end, size);
          expect(told).toEqual(wanted);
        }
      ),
      { numRuns: 200 }
    );
    // So many that they are read in several groups.
    for (const shape of shapes)
      for (const bad of [0, 1_500, 3_999]) {
        const { told, wanted, groups } = lines(4_000, bad, shape, '\n', 50_000);
        expect([shape, told]).toEqual([shape, wanted]);
        expect(groups).toBeGreaterThan(2);
      }
  });

  test('what is told of a whole document, or of a whole item, is told where it begins', () => {
    const deep = `data: ${'['.repeat(3_000)}${']'.repeat(3_000)}`;
    const bomb = `a: &a [x, x]\n  b: &b [${Array(9).fill('*a').join()}]\n  c: [${Array(12).fill('*b').join()}]`;
    for (const [bad, code] of [
      [deep, 'too-deep'],
      [bomb, 'alias-bomb']
    ] as const)
      for (const [text, line] of [
        [`apiVersion: v1\nitems:\n- a: 1\n- kind: X\n  ${bad}\n- b: 2\n`, 4],
        [`a: 1\n---\nkind: X\n${bad.replaceAll('\n  ', '\n')}\n---\nb: 2\n`, 2]
      ] as const) {
        const cutter = new Cutter();
        const problems = [...cutter.push(text), ...cutter.end()].flatMap((cut) => parseYamlCut(cut).problems);
        expect(problems.map((one) => [one.code, one.at.line])).toEqual([[code, line]]);
      }
  });

  test('wherever it is cut, documents and the items of lists are what they were', () => {
    fc.assert(
      fc.property(
        fc.array(object, { minLength: 1, maxLength: 6 }),
        fc.boolean(),
        fc.boolean(),
        fc.integer({ min: 1, max: 60 }),
        (list, asList, indentSeq, size) => {
          const text = asList
            ? stringify({ apiVersion: 'v1', items: list, kind: 'List' }, { indentSeq, lineWidth: 0 })
            : list.map((one) => stringify(one, { lineWidth: 0 })).join('---\n');
          const got = values(text, () => size).filter((one) => (one as { metadata?: unknown }).metadata !== undefined);
          expect(got).toEqual(list);
        }
      ),
      { numRuns: 300 }
    );
  });

  test('the same values as the careful reader gives, on every document that both take', () => {
    const text = objects(
      stringify({ apiVersion: 'v1', kind: 'ConfigMap', metadata: { name: 'a' }, data: { yes: 'no', n: '010', t: '2026-01-01', s: '~' } })
    );
    const written = stringify(text[0]);
    expect(values(written, () => 7)).toEqual(parseAllDocuments(written).map((one) => one.toJS() as unknown));
  });

  test('JSON values one after another are told apart, whatever stands in their texts', () => {
    fc.assert(
      fc.property(
        fc.array(fc.dictionary(fc.string(), fc.oneof(fc.string(), fc.constant({ a: ['}', '{', '"'] })), { noNullPrototype: true }), {
          minLength: 1,
          maxLength: 5
        }),
        (list) => {
          const texts = list.map((one) => JSON.stringify(one));
          expect(jsonTexts(texts.join('\n'))).toEqual(texts);
          expect(parseJsonText(texts.join(' ')).values).toEqual(list);
        }
      )
    );
  });

  test('a document that is broken tells its line, the others are read', () => {
    const { values: got, problems } = parseYamlCut({ text: 'a: 1\n---\nb: [\n---\nc: 3\n', linesBefore: 10 });
    expect(got).toEqual([{ a: 1 }, { c: 3 }]);
    expect(problems[0]!.at.line).toBeGreaterThanOrEqual(12);
  });
});

describe('what is kept', () => {
  test('lists in lists and typed lists are spread; what names nothing is told', () => {
    const spread = [
      ...spreadOut({ kind: 'List', items: [{ kind: 'PodList', apiVersion: 'v1', items: [{ metadata: { name: 'a' } }] }, null] })
    ];
    expect(spread).toEqual([{ apiVersion: 'v1', kind: 'Pod', metadata: { name: 'a' } }]);
    const kept = keepValue({ apiVersion: 'v1', kind: 'Secret', metadata: { name: 7, namespace: 'b' } }, false);
    expect(kept).toMatchObject({ problem: { code: 'not-an-object' } });
    expect(keepValue('text', false)).toMatchObject({ problem: { code: 'not-an-object' } });
  });
});

describe('a field costs that field, never the object', () => {
  const pod = {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: { name: 'a', namespace: 'b', labels: { app: 'x' } },
    spec: {
      nodeName: 'n1',
      containers: [{ name: 'c', image: 'i:1' }],
      volumes: [{ name: 'd', persistentVolumeClaim: { claimName: 'e' } }]
    },
    status: {
      phase: 'Running',
      containerStatuses: [{ name: 'c', image: 'i:1', imageID: 'x', ready: true, restartCount: 0, state: { running: {} } }]
    }
  };
  const paths = (value: unknown, path: string[] = []): string[][] =>
    typeof value === 'object' && value !== null
      ? [...(path.length ? [path] : []), ...Object.entries(value).flatMap(([key, one]) => paths(one, [...path, key]))]
      : [path];
  const places = paths({ spec: pod.spec, status: pod.status });

  test('whatever stands in the place of a value, or is missing, the object keeps its kind and name, and the place is told', () => {
    fc.assert(
      fc.property(fc.constantFrom(...places), fc.constantFrom(undefined, 7, 'text', true, [], {}, [3]), (path, value) => {
        const copy = JSON.parse(JSON.stringify(pod)) as Record<string, unknown>;
        let at: Record<string, unknown> = copy;
        for (const step of path.slice(0, -1)) at = at[step] as Record<string, unknown>;
        at[path.at(-1)!] = value;
        if (value === undefined) delete at[path.at(-1)!];
        const kept = keepValue(copy, false);
        // Without a single container it is no pod; it keeps its place among the others all the same.
        if (!('object' in kept)) expect(kept).toMatchObject({ other: { kind: 'Pod', name: 'a', namespace: 'b' } });
        else {
          expect(kept.object.metadata.name).toBe('a');
          if (kept.problem) expect(kept.problem.message).toMatch(/Pod a: .*(spec|status)/);
        }
      }),
      { numRuns: 400, seed: 12 }
    );
  });

  test('a container status without its image id keeps its pod, and its state', () => {
    const { imageID: _, ...status } = pod.status.containerStatuses[0]!;
    const kept = keepValue({ ...pod, status: { ...pod.status, containerStatuses: [status] } }, false);
    expect(kept).toMatchObject({
      object: { kind: 'Pod', status: { phase: 'Running' } },
      problem: { message: expect.stringMatching(/imageID/) as string }
    });
  });

  test('a service whose ports are no list stays, without them', () => {
    const kept = keepValue(
      { apiVersion: 'v1', kind: 'Service', metadata: { name: 'a', namespace: 'b' }, spec: { ports: 'many', selector: { a: 'b' } } },
      false
    );
    expect(kept).toMatchObject({
      object: { spec: { selector: { a: 'b' } } },
      problem: { message: expect.stringMatching(/spec\.ports/) as string }
    });
  });
});

describe('a cluster that goes on from its dump', () => {
  const takenMs = epochMs + 3_600_000;
  const goOn = (world: World, answers: Record<string, string> = {}): World => {
    const still = stillOf(exported(world));
    still.nowMs = world.nowMs;
    return replay({ seed: 5, ground: groundOfDump(still, takenMs, answers), adopted: true }, [], 0);
  };

  test('everything that ran runs on: same pods, same volumes, nothing made anew, in every cluster of the demo', () => {
    for (const name of ['north-quay', 'pilot-house', 'harbour']) {
      const before = asLeft(name);
      const after = goOn(before);
      after.runSettled();
      const uids = (world: World, kind: Kind) =>
        (world.store.list(kind) as ApiObject[]).map((one) => `${one.metadata.name} ${one.metadata.uid}`).sort();
      for (const kind of ['Pod', 'PersistentVolume', 'PersistentVolumeClaim', 'VolumeAttachment', 'StatefulSet'] as const)
        expect(uids(after, kind), `${name} ${kind}`).toEqual(uids(before, kind));
      const held = after.store.list('Asset').filter((one) => one.status?.attachedTo.length).length;
      expect(held).toBe(before.store.list('VolumeAttachment').filter((one) => one.status?.attached).length);
    }
  });

  test('the stuck one is stuck at the same joint, and the driver mends it', () => {
    const after = goOn(south());
    after.runSettled();
    expect(rootLine(after.store, ref('Pod', 'tickets', 'bookings-0'))!.firstBreak).toBe('driver');
    must(after, { type: 'send', objects: driver() });
    after.runSettled();
    expect(rootLine(after.store, ref('StatefulSet', 'tickets', 'bookings'))!.firstBreak).toBeNull();
  });

  test('every assumption has a value that can be set, and a registry out of reach shows', () => {
    const still = stillOf(exported(south()));
    const all = assumptionsOf(still);
    expect(new Set(all.map((one) => one.id)).size).toBe(all.length);
    for (const one of all) expect([one.value.length > 0, one.says.includes('…'), one.why.length > 10]).toEqual([true, true, true]);
    const after = goOn(south(), { 'registry:shelf.standin.example': 'no' });
    must(after, { type: 'send', objects: driver() });
    after.runSettled();
    expect(rootLine(after.store, ref('Pod', 'tickets', 'bookings-0'))!.joints.find((one) => one.joint === 'driver')).toMatchObject({
      state: 'broken'
    });
  });
});

describe('two dumps', () => {
  test('the same dump twice has no differences; what came in one way went in the other', () => {
    const [a, b] = [stillOf(exported(south())), stillOf(exported(asLeft('north-quay')))];
    const same = compareDumps(a, a);
    expect([same.came, same.went, same.changed]).toEqual([[], [], []]);
    expect(same.waiting.map((one) => one.ref.name)).toEqual(expect.arrayContaining(['bookings-0', 'data-bookings-0', 'bookings']));
    const names = (list: readonly { ref: { kind: string; name: string } }[]) => list.map((one) => `${one.ref.kind} ${one.ref.name}`).sort();
    expect(names(compareDumps(a, b).came)).toEqual(names(compareDumps(b, a).went));
  });

  test('states and since when', () => {
    const [pod] = objects(
      'apiVersion: v1\nkind: Pod\nmetadata: {name: a, creationTimestamp: "2026-04-01T00:00:00Z"}\nspec: {containers: [{name: c, image: "x:1"}]}\nstatus: {phase: Pending, containerStatuses: [{name: c, image: x, imageID: "", ready: false, restartCount: 0, state: {waiting: {reason: ImagePullBackOff}}}], conditions: [{type: Ready, status: "False", lastTransitionTime: "2026-04-02T00:00:00Z"}]}'
    );
    expect([stateOf(pod!), sinceOf(pod!)]).toEqual(['ImagePullBackOff', Date.parse('2026-04-02T00:00:00Z')]);
  });
});
