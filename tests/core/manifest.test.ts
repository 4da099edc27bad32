import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { asManifest, readFiles, readManifests, writeManifests } from '$core/manifest';
import { kindEntries, nameFault, nearestName, type ApiObject } from '$core/model';
import { bytesOf, differences, isQuantity, milliCpuOf, quantityOf } from '$core/shared';
import { bookingsYaml, scenario } from '../../src/lib/scenario';

const claim = (size: string) => `apiVersion: v1
kind: PersistentVolumeClaim
metadata:
  name: data
spec:
  accessModes: [ReadWriteOnce]
  resources:
    requests:
      storage: ${size}
`;

/** What is wrong with a text: code, line and column of each problem. */
const faults = (text: string) => readManifests(text).problems.map((one) => [one.code, one.at.line, one.at.column]);

describe('reading', () => {
  test.each([
    ['broken YAML', 'apiVersion: v1\nkind: [Service\nmetadata: {name: a}\n', 'yaml-syntax', 3, 1],
    ['an unknown kind', 'apiVersion: v1\nkind: Sevrice\nmetadata: {name: a}\n', 'unknown-kind', 2, 1],
    ['a known kind of another group', 'apiVersion: v1\nkind: StatefulSet\nmetadata: {name: a}\n', 'unknown-kind', 1, 1],
    [
      'a wrong type',
      'apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: a}\nspec:\n  replicas: three\n  selector: {matchLabels: {a: b}}\n  template: {metadata: {labels: {a: b}}, spec: {containers: [{name: c, image: i}]}}\n',
      'wrong-type',
      5,
      3
    ],
    ['a missing field', 'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: a}\n', 'missing-field', 1, 1],
    ['a value that is none of the allowed', claim('1Gi').replace('ReadWriteOnce', 'ReadWriteTwice'), 'bad-value', 6, 17],
    [
      'a name against the rules',
      'apiVersion: v1\nkind: Service\nmetadata:\n  name: Data_1\nspec: {ports: [{port: 80}]}\n',
      'bad-name',
      4,
      3
    ],
    ['a claim of "ten"', claim('ten'), 'bad-quantity', 9, 7],
    ['a claim of 0', claim('0'), 'bad-quantity', 9, 7],
    ['a claim of less than nothing', claim('-1Gi'), 'bad-quantity', 9, 7],
    [
      'a namespace on a kind of the whole cluster',
      'apiVersion: v1\nkind: Namespace\nmetadata:\n  name: a\n  namespace: b\n',
      'cluster-wide',
      5,
      3
    ],
    [
      'a selector that misses its own template',
      'apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: a}\nspec:\n  selector: {matchLabels: {a: b}}\n  template: {metadata: {labels: {a: c}}, spec: {containers: [{name: c, image: i}]}}\n',
      'selector-labels',
      5,
      3
    ],
    ['a text instead of a document', 'just words\n', 'not-an-object', 1, 1],
    ['the same object twice', `${claim('1Gi')}---\n${claim('2Gi')}`, 'duplicate-object', 11, 1],
    ['base64 that is none', 'apiVersion: v1\nkind: Secret\nmetadata: {name: a}\ndata:\n  key: "***"\n', 'bad-value', 5, 3]
  ])('%s is a problem with its place', (_, text, code, line, column) => {
    expect(faults(text)).toEqual([[code, line, column]]);
    const [problem] = readManifests(text).problems;
    expect(problem!.remedy.length).toBeGreaterThan(5);
  });

  test('an alias bomb is refused, not unfolded', () => {
    const levels = Array.from(
      { length: 9 },
      (_, i) =>
        `${String.fromCharCode(98 + i)}: &${String.fromCharCode(98 + i)} [${Array(9)
          .fill(`*${String.fromCharCode(97 + i)}`)
          .join(', ')}]`
    );
    expect(faults(`a: &a [x]\n${levels.join('\n')}\n`)).toEqual([['alias-bomb', 1, 1]]);
  });

  test('several problems are told at once, each at its line; the right documents are still read', () => {
    const read = readManifests(
      `${claim('ten')}---\n${claim('1Gi').replace('name: data', 'name: other')}---\napiVersion: v1\nkind: Nothing\n`
    );
    expect(read.problems.map((one) => one.code)).toEqual(['bad-quantity', 'unknown-kind']);
    expect(read.objects.map((one) => one.object.metadata.name)).toEqual(['other']);
  });

  test('lists stand for their items, nulls for nothing, JSON for YAML; unknown fields are kept', () => {
    const item = {
      apiVersion: 'v1',
      kind: 'ConfigMap',
      metadata: { name: 'a', creationTimestamp: null },
      data: { k: 'v' },
      later: { field: [1, 2] }
    };
    const { objects, problems } = readManifests(JSON.stringify({ apiVersion: 'v1', kind: 'List', items: [item] }));
    expect(problems).toEqual([]);
    expect(objects[0]!.object).toEqual({
      apiVersion: 'v1',
      kind: 'ConfigMap',
      metadata: { name: 'a', namespace: 'default' },
      data: { k: 'v' },
      later: { field: [1, 2] }
    });
  });

  test('a text of many pieces is read like a short one: the same lines, and doubles found across pieces', () => {
    const many = Array.from({ length: 1_500 }, (_, i) => claim('1Gi').replace('name: data', `name: data-${i}`));
    many[1_200] = claim('ten').replace('name: data', 'name: wrong');
    many[1_400] = many[3]!;
    const text = many.join('---\n');
    expect(text.length).toBeGreaterThan(3 * 65_536);
    const { objects, problems } = readManifests(text);
    expect(objects).toHaveLength(1_499);
    // Each document has nine lines and a line of dashes between.
    expect(problems.map((one) => [one.code, one.at.line])).toEqual([
      ['bad-quantity', 1_200 * 10 + 9],
      ['duplicate-object', 1_400 * 10 + 1]
    ]);
    expect(problems[1]!.message).toContain('line 31');
  });

  test('an object in two files is named with both places', () => {
    const { problems } = readFiles([
      { name: 'one.yaml', text: claim('1Gi') },
      { name: 'two.yaml', text: claim('1Gi') }
    ]);
    expect(problems).toMatchObject([{ code: 'duplicate-object', at: { file: 'two.yaml', line: 1 } }]);
    expect(problems[0]!.message).toContain('one.yaml');
  });
});

describe('writing', () => {
  test('what is written reads back equal, in the order of sending', () => {
    const all: ApiObject[] = [...readManifests(bookingsYaml).objects.map((one) => one.object), ...scenario()[0]!.ground];
    const back = readManifests(writeManifests(all));
    expect(back.problems).toEqual([]);
    const order = back.objects.map((one) => kindEntries.findIndex((entry) => entry.kind === one.object.kind));
    expect([...order].sort((a, b) => a - b)).toEqual(order);
    const key = (one: ApiObject) => `${one.kind}/${one.metadata.namespace}/${one.metadata.name}`;
    const before = new Map(all.map((one) => [key(one), one]));
    for (const { object } of back.objects) expect(differences(before.get(key(object)), object)).toEqual([]);
  });

  test('any text survives in any place, whatever it looks like', () => {
    const tricky = fc.oneof(
      fc.string(),
      fc.constantFrom(
        'yes',
        'no',
        'on',
        'null',
        '~',
        '1e3',
        '0x10',
        '012',
        '1:30',
        '- a',
        '# b',
        'a: b',
        '---',
        ' lead',
        'tail ',
        '2024-01-01',
        'line\nbreak\n',
        '\ttab'
      )
    );
    fc.assert(
      fc.property(fc.dictionary(fc.stringMatching(/^[a-z]{1,8}$/), tricky), (data) => {
        const object = { apiVersion: 'v1', kind: 'ConfigMap', metadata: { name: 'a', namespace: 'b' }, data: { ...data } } as ApiObject;
        const { objects, problems } = readManifests(writeManifests([object]));
        expect(problems).toEqual([]);
        expect(objects[0]!.object).toEqual(object);
      })
    );
  });

  test('what the cluster filled in is left out', () => {
    const { objects } = readManifests(
      'apiVersion: v1\nkind: Service\nmetadata: {name: a, uid: u, resourceVersion: "4", labels: {x: y}}\nspec: {clusterIP: 10.1.2.3, ports: [{port: 1}]}\nstatus: {}'
    );
    expect(asManifest(objects[0]!.object)).toEqual({
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: 'a', namespace: 'default', labels: { x: 'y' } },
      spec: { ports: [{ port: 1 }] }
    });
  });
});

describe('quantities and names', () => {
  test('worked examples', () => {
    expect(bytesOf('100G')).toBe(100_000_000_000);
    expect(bytesOf('100Gi')).toBe(107_374_182_400);
    expect([milliCpuOf('250m'), milliCpuOf('2'), milliCpuOf('0.1'), milliCpuOf(1.5)]).toEqual([250, 2000, 100, 1500]);
    expect(bytesOf('1.5Ki')).toBe(1536);
    expect(bytesOf('1e3')).toBe(1000);
    expect(bytesOf('1500m')).toBe(2);
    for (const wrong of ['', 'ten', '1h', '1d', '1GiB', '1 Gi', '--1', '1e', '0x10', '1e999999999'])
      expect(isQuantity(wrong), wrong).toBe(false);
  });

  test('a whole number of bytes is written so that it reads back', () => {
    fc.assert(fc.property(fc.maxSafeNat(), (bytes) => bytesOf(quantityOf(bytes)) === bytes));
  });

  test('a name that is offered instead is always right', () => {
    for (const rule of ['label', 'subdomain', 'service'] as const) {
      fc.assert(
        fc.property(fc.string({ maxLength: 300 }), (text) => {
          const near = nearestName(text, rule);
          if (near !== undefined) expect(nameFault(near, rule)).toBeUndefined();
        })
      );
    }
    expect(nearestName('Data_1', 'service')).toBe('data-1');
    expect([nameFault('a'.repeat(63), 'label'), nameFault('a'.repeat(64), 'label')?.length]).toEqual([
      undefined,
      'has 64 characters; at most 63 are allowed'.length
    ]);
  });
});
