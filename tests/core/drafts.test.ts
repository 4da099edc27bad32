import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
  alphabets,
  bitsOf,
  completionAt,
  cursorAt,
  forCluster,
  leaveOut,
  lengthFor,
  liftables,
  meaningAt,
  moveNamespace,
  rowsOf,
  secretValue,
  starterOf,
  tableEdits,
  tableOf,
  type Alphabet
} from '$core/drafts';
import { applyEdits, pathOf, pathText, readManifests, readWritten } from '$core/manifest';
import { check } from '$core/checker';
import { kindEntries } from '$core/model';
import { bookingsYaml } from '../../src/lib/scenario/workloads';

/** The place of the bar in a text, and the text without it. */
const at = (text: string) => ({ text: text.replace('|', ''), offset: text.indexOf('|') });
const labels = (text: string, names: Parameters<typeof completionAt>[2] = []) => {
  const place = at(text);
  return completionAt(place.text, place.offset, names)?.proposals.map((one) => one.label) ?? [];
};

describe('where the cursor stands', () => {
  test.each<[string, string, string, 'key' | 'value']>([
    ['a key at the top', 'kind: Pod\n|', '', 'key'],
    ['a key below', 'kind: Pod\nmetadata:\n  na|', 'metadata', 'key'],
    ['a value', 'kind: Pod\nmetadata:\n  name: a|', 'metadata.name', 'value'],
    ['back out of a map', 'kind: Pod\nmetadata:\n  labels:\n    app: x\n  |', 'metadata', 'key'],
    ['an item of a list', 'kind: Pod\nspec:\n  containers:\n    - name: a\n    - |', 'spec.containers[1]', 'key'],
    ['a later key of an item', 'kind: Pod\nspec:\n  containers:\n    - name: a\n      im|', 'spec.containers[0]', 'key'],
    ['a list at the same indentation', 'kind: Pod\nspec:\n  containers:\n  - name: a\n    image: b|', 'spec.containers[0].image', 'value'],
    [
      'a list in a list',
      'kind: Pod\nspec:\n  containers:\n  - name: a\n    ports:\n    - name: x\n    - na|',
      'spec.containers[0].ports[1]',
      'key'
    ],
    ['after a block text', 'kind: ConfigMap\ndata:\n  a: |-\n    kind: Pod\n    x: y\n  b|'.replace('|-', '>-'), 'data', 'key']
  ])('%s', (_, text, path, mode) => {
    const place = at(text);
    const found = cursorAt(place.text, place.offset);
    expect([pathText(found.path), found.mode]).toEqual([path, mode]);
  });

  test('wherever it stands in whatever text, it stands somewhere, and the word ends there', () => {
    fc.assert(
      fc.property(
        fc.array(fc.constantFrom('a:', ' ', '\n', '- ', 'b: c', '---\n', '{', '|', '#', 'kind: Pod\n', '  ', '"'), { maxLength: 30 }),
        fc.nat(),
        (parts, n) => {
          const text = parts.join('');
          const offset = text.length ? n % (text.length + 1) : 0;
          const found = cursorAt(text, offset);
          expect(text.slice(found.from, offset)).toBe(found.word);
        }
      )
    );
  });
});

describe('completion', () => {
  const names = [
    { kind: 'StorageClass', namespace: '', name: 'steady-block' },
    { kind: 'ConfigMap', namespace: 'tickets', name: 'bookings-config' },
    { kind: 'ConfigMap', namespace: 'events', name: 'other' },
    { kind: 'Image', namespace: '', name: 'shelf.standin.example/engines/log-broker:r3' }
  ];
  test.each<[string, string, string[]]>([
    ['a kind in an empty text', 'State|', ['StatefulSet']],
    ['a kind in an empty document', 'kind: Pod\n---\nPersistentVolumeC|', ['PersistentVolumeClaim']],
    ['a field', 'kind: StatefulSet\nspec:\n  serv|', ['serviceName']],
    ['no field twice', 'kind: StatefulSet\nspec:\n  serviceName: a\n  servi|', []],
    ['an allowed value', 'kind: StatefulSet\nspec:\n  podManagementPolicy: P|', ['Parallel']],
    ['an allowed item', 'kind: PersistentVolumeClaim\nspec:\n  accessModes:\n    - ReadWriteOnce|', ['ReadWriteOnce', 'ReadWriteOncePod']],
    ['a class of the target', 'kind: PersistentVolumeClaim\nspec:\n  storageClassName: st|', ['steady-block']],
    [
      'names of the own namespace only',
      'kind: Pod\nmetadata:\n  namespace: tickets\nspec:\n  volumes:\n    - configMap:\n        name: |',
      ['bookings-config']
    ],
    ['an image on the shelf', 'kind: Pod\nspec:\n  containers:\n    - image: broker|', ['shelf.standin.example/engines/log-broker:r3']],
    [
      'a volume of the pod',
      'kind: Pod\nspec:\n  containers:\n    - volumeMounts:\n        - name: |\n  volumes:\n    - name: scratch\n',
      ['scratch']
    ],
    ['the version that serves the kind', 'kind: StatefulSet\napiVersion: |', ['apps/v1']],
    ['nothing in a comment', 'kind: Pod\n# sp|', []]
  ])('%s', (_, text, expected) => expect(labels(text, names)).toEqual(expected));

  test('every starter is read without a problem but the image that is to be chosen, and what is proposed in it fits', () => {
    for (const { kind, derived } of kindEntries) {
      const text = starterOf(kind);
      if (derived || !text) continue;
      expect(readManifests(text).problems, kind).toEqual([]);
      expect(readManifests(text).objects[0]!.object.kind).toBe(kind);
    }
    const set = starterOf('StatefulSet')!;
    expect(
      check([{ text: set }])
        .filter((one) => one.severity === 'error')
        .map((one) => one.code)
    ).toEqual(['set-service-missing']);
  });

  test('a field means something, with its type', () => {
    const place = at('kind: StatefulSet\nspec:\n  serviceN|ame: x\n');
    expect(meaningAt(place.text, place.offset)).toMatchObject({
      field: 'spec.serviceName',
      says: 'text',
      needed: true,
      meaning: expect.stringContaining('headless') as string
    });
    expect(meaningAt('kind: Pod\n# x', 12)).toBeUndefined();
  });
});

const bookings = () => readWritten([{ name: 'bookings.yaml', text: bookingsYaml }]);

describe('values by cluster', () => {
  test('classes, sizes, replicas and images can be lifted out, and each cluster gets its own', () => {
    const read = bookings();
    const found = liftables(read.objects);
    expect([...new Set(found.map((one) => one.name))].sort()).toEqual(['class', 'image', 'replicas', 'request', 'size']);
    const row = (name: string, values: Record<string, string | number>) => ({
      name,
      places: found.filter((one) => one.name === name).map((one) => one.place),
      values
    });
    const table = tableOf('bookings', [row('class', { 'north-quay': 'plain-block' }), row('replicas', { 'north-quay': 5 })]);
    const { rows, fault } = rowsOf(table);
    expect(fault).toBeUndefined();
    const set = (cluster: string) => {
      const { object } = forCluster(read, rows, cluster).objects.find((one) => one.object.kind === 'StatefulSet')!;
      return object.kind === 'StatefulSet' ? [object.spec.replicas, object.spec.volumeClaimTemplates![0]!.spec.storageClassName] : [];
    };
    expect([set('north-quay'), set('south-quay')]).toEqual([
      [5, 'plain-block'],
      [3, 'steady-block']
    ]);
    // Written out, the text of one cluster says the same.
    const text = applyEdits(bookingsYaml, tableEdits(read, rows, 'north-quay'));
    expect(readManifests(text).objects.map((one) => one.object)).toEqual(
      forCluster(read, rows, 'north-quay').objects.map((one) => one.object)
    );
    expect(rowsOf({ kind: 'ValueTable' }).fault).toBeDefined();
  });

  test('paths are read as they are written', () => {
    fc.assert(
      fc.property(fc.array(fc.oneof(fc.stringMatching(/^[a-z][a-zA-Z]{0,8}$/), fc.nat(20)), { minLength: 1, maxLength: 6 }), (path) => {
        fc.pre(typeof path[0] === 'string');
        expect(pathOf(pathText(path))).toEqual(path);
      })
    );
  });
});

describe('another namespace', () => {
  const bundle = `${bookingsYaml.replace('peers = bookings-0.bookings,', 'peers = bookings-0.bookings.tickets.svc.cluster.local,bookings-9.bookings.tickets:7110,')}---
apiVersion: rbac.authorization.k8s.io/v1
kind: ClusterRoleBinding
metadata: {name: bookings-reads}
roleRef: {apiGroup: rbac.authorization.k8s.io, kind: ClusterRole, name: view}
subjects: [{kind: ServiceAccount, name: bookings, namespace: tickets}, {kind: ServiceAccount, name: other, namespace: events}]
---
apiVersion: admissionregistration.k8s.io/v1
kind: ValidatingWebhookConfiguration
metadata: {name: bookings-check}
webhooks: [{name: a.example.test, sideEffects: None, admissionReviewVersions: [v1], clientConfig: {service: {namespace: tickets, name: bookings-sql}}}]
---
apiVersion: engines.standin.example/v1
kind: Certificate
metadata: {name: bookings, namespace: tickets}
spec: {secret: bookings-tls, issuer: {name: own, namespace: tickets}, names: ["*.bookings.tickets.svc.cluster.local", tickets.example.test]}
---
apiVersion: standin.example/v1
kind: Identity
metadata: {name: bookings}
spec: {driver: block.standin.example, issuer: i, subject: "system:serviceaccount:tickets:bookings", audience: a, rights: [create]}
`;
  test('every place that names it is listed and rewritten; what only looks like it stays', () => {
    const move = moveNamespace(readWritten([{ name: 'a.yaml', text: bundle }]), 'tickets', 'sales');
    const after = applyEdits(bundle, move.edits);
    expect(readManifests(after).problems).toEqual([]);
    expect(after.match(/tickets/g)).toEqual(['tickets']);
    expect(after).toContain('tickets.example.test');
    expect(after).toContain('bookings-0.bookings.sales.svc.cluster.local,bookings-9.bookings.sales:7110');
    const fields = move.places.map((one) => `${one.object.split(' ')[0]} ${one.field}`);
    for (const field of [
      'Namespace metadata.name',
      'StatefulSet metadata.namespace',
      'ClusterRoleBinding subjects[0].namespace',
      'ValidatingWebhookConfiguration webhooks[0].clientConfig.service.namespace',
      'Certificate spec.issuer.namespace',
      'Certificate spec.names[0]',
      'Identity spec.subject',
      'ConfigMap data.engine.conf'
    ])
      expect(fields).toContain(field);
    // There and back again is the same text.
    expect(applyEdits(after, moveNamespace(readWritten([{ text: after }]), 'sales', 'tickets').edits)).toBe(bundle);
  });

  test('objects without a namespace get one when "default" moves', () => {
    const text = 'apiVersion: v1\nkind: ConfigMap\nmetadata:\n  name: a\n';
    const { edits } = moveNamespace(readWritten([{ text }]), 'default', 'sales');
    expect(readManifests(applyEdits(text, edits)).objects[0]!.object.metadata.namespace).toBe('sales');
  });
});

describe('leaving parts out', () => {
  test('says what then lacks, and leaves the rest as it was', () => {
    const read = bookings();
    const { lacks, edits } = leaveOut(read, ['Secret tickets/bookings-access', 'ConfigMap tickets/bookings-config', 'Namespace tickets']);
    expect(lacks.filter((one) => one.object === 'StatefulSet tickets/bookings').map((one) => one.lacks)).toEqual(
      expect.arrayContaining(['Secret tickets/bookings-access', 'ConfigMap tickets/bookings-config', 'Namespace tickets'])
    );
    const rest = readManifests(applyEdits(bookingsYaml, edits));
    expect(rest.problems).toEqual([]);
    expect(rest.objects.map((one) => one.object)).toEqual(
      read.objects
        .slice(1)
        .filter((one) => one.object.kind !== 'Secret' && one.object.kind !== 'ConfigMap')
        .map((one) => one.object)
    );
    expect(leaveOut(read, ['Service tickets/bookings-sql']).lacks).toEqual([]);
  });
});

describe('generated values', () => {
  test('have the length and the alphabet asked for, and every letter is as likely as another', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...(Object.keys(alphabets) as Alphabet[])),
        fc.integer({ min: 1, max: 80 }),
        fc.nat(),
        (alphabet, length, seed) => {
          let state = seed;
          const value = secretValue(alphabet, length, (count) =>
            Uint8Array.from({ length: count }, () => (state = (state * 1_103_515_245 + 12_345) & 0x7fffffff) >> 16)
          );
          expect(value).toHaveLength(length);
          expect([...value].every((letter) => alphabets[alphabet].includes(letter))).toBe(true);
        }
      )
    );
    // Each byte once: a fair map gives each letter as often as any other.
    let given = false;
    const all = secretValue('letters', 248, () =>
      given ? new Uint8Array([0]) : ((given = true), Uint8Array.from({ length: 256 }, (_, i) => i))
    );
    const counts = new Map<string, number>();
    for (const letter of all) counts.set(letter, (counts.get(letter) ?? 0) + 1);
    expect(new Set(counts.values())).toEqual(new Set([4]));
  });

  test('128 bits take 22 letters and digits, or 32 hexadecimal digits (RFC 4086)', () => {
    expect([lengthFor('letters'), lengthFor('hex')]).toEqual([22, 32]);
    expect(bitsOf('letters', 22)).toBeGreaterThan(128);
    expect(() => secretValue('hex', 0, () => new Uint8Array(8))).toThrow(/secretValue/);
  });
});
