import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { parseAllDocuments } from 'yaml';
import { appendObjects, applyEdits, dropObject, editsOf, readManifests, readWritten, type Path, type Wish } from '$core/manifest';
import { fieldAt } from '$core/model';

const values = (text: string): unknown[] => parseAllDocuments(text, { merge: true }).map((one) => one.toJS() as unknown);
const text = `# kept for the night shift
apiVersion: apps/v1
kind: StatefulSet
metadata:
  name: ledger   # the old name
  labels: {app: ledger, tier: data}
spec:
  replicas: 3
  serviceName: ledger
  selector:
    matchLabels: {app: ledger}
  template:
    metadata:
      labels: {app: ledger}
    spec:
      containers:
      - name: sql
        image: "shelf.example.test/sql:1"
        args:
        - --join
        # the two others
        - ledger-1.ledger
        env: [{name: A, value: "1"}, {name: B, value: x}]
      - name: side
        image: shelf.example.test/side:1
        command: []
      volumes:
`;
const write = (...wishes: Wish[]): string => applyEdits(text, editsOf(readWritten([{ text }]).objects[0]!.writing, wishes));

describe('editing a text', () => {
  test.each<[string, Path, unknown]>([
    ['a number', ['spec', 'replicas'], 5],
    ['a text in quotes', ['spec', 'template', 'spec', 'containers', 0, 'image'], 'shelf.example.test/sql:2'],
    ['a text that looks like a number', ['metadata', 'labels', 'tier'], '12'],
    ['a new field in a map', ['spec', 'minReadySeconds'], 10],
    ['a new field in a flow map', ['metadata', 'labels', 'zone'], 'a'],
    ['new maps on the way', ['spec', 'template', 'spec', 'securityContext', 'fsGroup'], 1000],
    ['an item of a list', ['spec', 'template', 'spec', 'containers', 0, 'args', 1], 'ledger-2.ledger'],
    ['one more item', ['spec', 'template', 'spec', 'containers', 0, 'args', 2], 'ledger-2.ledger'],
    ['one more item of a flow list', ['spec', 'template', 'spec', 'containers', 0, 'env', 2], { name: 'C', value: 'y' }],
    [
      'a whole item',
      ['spec', 'template', 'spec', 'containers', 0, 'env', 0],
      { name: 'A', valueFrom: { secretKeyRef: { name: 's', key: 'k' } } }
    ],
    ['into an empty list', ['spec', 'template', 'spec', 'containers', 1, 'command', 0], 'run'],
    ['a map in place of a map', ['spec', 'selector'], { matchLabels: { app: 'other', more: 'yes' } }],
    ['a value where none was', ['spec', 'template', 'spec', 'volumes'], [{ name: 'a', emptyDir: {} }]],
    ['a list in a container', ['spec', 'template', 'spec', 'containers', 1, 'volumeMounts'], [{ name: 'a', mountPath: '/a' }]]
  ])('%s: read back it is there, all else is as it was, comments too', (_, path, value) => {
    const after = write({ set: path, value });
    const expected = structuredClone(values(text)[0]) as Record<string, unknown>;
    let at: Record<string | number, unknown> = expected;
    for (const step of path.slice(0, -1)) at = (at[step] ??= {}) as Record<string | number, unknown>;
    at[path.at(-1)!] = value;
    expect(values(after)[0]).toEqual(expected);
    expect(after.match(/#.*/g)).toEqual(text.match(/#.*/g));
  });

  test.each<[string, Path]>([
    ['a field', ['spec', 'replicas']],
    ['the last field of a map', ['metadata', 'labels']],
    ['from a flow map', ['metadata', 'labels', 'app']],
    ['the last of a flow map', ['metadata', 'labels', 'tier']],
    ['the only one', ['spec', 'selector', 'matchLabels', 'app']],
    ['an item', ['spec', 'template', 'spec', 'containers', 0]],
    ['the last item', ['spec', 'template', 'spec', 'containers', 1]],
    ['an item of a flow list', ['spec', 'template', 'spec', 'containers', 0, 'env', 0]]
  ])('taking away %s leaves all else as it was', (_, path) => {
    const expected = structuredClone(values(text)[0]) as Record<string, unknown>;
    let at: Record<string | number, unknown> = expected;
    for (const step of path.slice(0, -1)) at = at[step] as Record<string | number, unknown>;
    if (Array.isArray(at)) at.splice(Number(path.at(-1)), 1);
    else delete at[path.at(-1)!];
    expect(values(write({ drop: path }))[0]).toEqual(expected);
  });

  test('any texts and numbers can be written at a known place and read back the same', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.integer(),
          fc.boolean(),
          fc.constantFrom('yes', 'null', '~', '0x10', '1e3', '- a', 'a: b', '# c', "'", '"', ' a ', '')
        ),
        (value) => {
          for (const path of [
            ['metadata', 'annotations', 'note'],
            ['metadata', 'labels', 'tier'],
            ['spec', 'serviceName']
          ]) {
            const after = values(write({ set: path, value }))[0] as Record<string, never>;
            expect(path.reduce<unknown>((at, step) => (at as Record<string, unknown>)[step], after)).toBe(value);
          }
        }
      )
    );
  });

  test('texts of several lines under a mark are read back the same, whatever stands there instead, and what follows stays', () => {
    const lines = fc
      .array(fc.constantFrom('a = 1', '', '  in', 'b: {c}', '# d', 'e\'s "f"', '- g', 'h\ti'), { maxLength: 5 })
      .map((list) => list.join('\n'));
    fc.assert(
      fc.property(fc.oneof(lines, fc.string()), fc.boolean(), (wanted, more) => {
        const map = `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: c}\ndata:\n  one: |\n    was = 0\n    peers = x\n${more ? '  two: kept\n' : ''}---\napiVersion: v1\nkind: Namespace\nmetadata: {name: n}\n`;
        const [first] = readWritten([{ text: map }]).objects;
        const after = applyEdits(map, editsOf(first!.writing, [{ set: ['data', 'one'], value: wanted }]));
        expect(values(after)).toEqual([
          { apiVersion: 'v1', kind: 'ConfigMap', metadata: { name: 'c' }, data: { one: wanted, ...(more ? { two: 'kept' } : {}) } },
          { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'n' } }
        ]);
      })
    );
  });

  test('objects are put at the end, and taken out, also from lists, and the others stay', () => {
    const more =
      'apiVersion: v1\nkind: Namespace\nmetadata: {name: a}\n---\n# two\napiVersion: v1\nkind: Namespace\nmetadata: {name: b}\n---\napiVersion: v1\nkind: List\nitems:\n- {apiVersion: v1, kind: Namespace, metadata: {name: c}}\n- {apiVersion: v1, kind: Namespace, metadata: {name: d}}\n';
    const names = (one: string) => readManifests(one).objects.map((two) => two.object.metadata.name);
    for (const name of ['a', 'b', 'c', 'd']) {
      const out = readWritten([{ text: more }]).objects.find((one) => one.object.metadata.name === name)!;
      const after = applyEdits(more, dropObject(out.writing));
      expect(names(after)).toEqual(['a', 'b', 'c', 'd'].filter((one) => one !== name));
      expect(readManifests(after).problems).toEqual([]);
    }
    const added = applyEdits(more, [appendObjects(more, [{ apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'e' } }])]);
    expect(names(added)).toEqual(['a', 'b', 'c', 'd', 'e']);
    expect(names(applyEdits('', [appendObjects('', [{ apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'e' } }])]))).toEqual(['e']);
  });

  test('a text read piece by piece has the same places as one read whole, wherever it is cut', () => {
    const one = 'apiVersion: v1\nkind: Namespace\nmetadata: {name: NAME}\n';
    fc.assert(
      fc.property(fc.array(fc.constantFrom('\n', '# note\n', 'bad: [\n', one), { maxLength: 12 }), (parts) => {
        const whole = parts.map((part, i) => part.replace('NAME', `n-${i}`)).join('---\n');
        const read = readWritten([{ text: whole }]);
        for (const { at, writing, object } of read.objects) {
          expect(whole.split('\n')[at.line! - 1]).toMatch(/^apiVersion/);
          const span = writing.span(['metadata', 'name'])!;
          expect(whole.slice(span.from, span.to)).toBe(object.metadata.name);
        }
      })
    );
  });
});

describe('what fields mean', () => {
  test('paths lead through lists and maps, and a wrong one leads nowhere', () => {
    expect(fieldAt('StatefulSet', ['spec', 'serviceName'])).toMatchObject({
      says: 'text',
      needed: true,
      key: 'StatefulSetSpec.serviceName'
    });
    expect(fieldAt('StatefulSet', ['spec', 'volumeClaimTemplates', 0, 'spec', 'accessModes'])?.choices).toContain('ReadWriteOncePod');
    expect(fieldAt('Pod', ['spec', 'containers', 0, 'resources', 'requests', 'memory'])?.says).toBe('quantity, e.g. 40Gi');
    expect(fieldAt('Pod', ['metadata', 'labels', 'anything'])?.says).toBe('text');
    expect(fieldAt('Backend', ['spec', 'zones', 0, 'capacity'])?.says).toMatch(/quantity/);
    expect([fieldAt('Pod', ['spec', 'container']), fieldAt('Pod', ['spec', 'containers', 'name']), fieldAt('Nothing', [])]).toEqual([
      undefined,
      undefined,
      undefined
    ]);
  });
});
