import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { lengthFor, secretValue } from '$core/drafts';
import { hash32 } from '$core/shared';
import { describe, expect, test } from 'vitest';
import { check, distance, nearest, ruleOf, rules, type Finding, type Rule } from '$core/checker';
import { applyEdits, asManifest, readWritten, writeManifests } from '$core/manifest';
import { keyOf, kindEntries, refOf, type ApiObject, type Kind } from '$core/model';
import { replay, type Store, type World } from '$core/standin';
import { scenario } from '../../src/lib/scenario';
import { aside } from '../played';
import { exported, hidden } from './exported';

const worlds = new Map<string, World>();
/** A cluster of the demo as it stands at its start. */
function demo(name: string): World {
  let world = worlds.get(name);
  if (!world) {
    const one = scenario().find((two) => two.name === name)!;
    worlds.set(name, (world = aside(() => replay({ seed: one.seed, ground: one.ground }, one.actions, one.headMs))));
  }
  return world;
}
const against = (rule: Rule) => (rule.against ? demo(rule.against).store : undefined);
const look = (rule: Rule, text: string): Finding[] => check([{ text }], against(rule));

describe.each(rules.map((one) => [one.id, one] as const))('%s', (id, rule) => {
  test('its bad example gives it and no other error; its good example is free of both', () => {
    const bad = look(rule, rule.bad);
    const mine = bad.filter((one) => one.code === id);
    expect(mine.length).toBeGreaterThan(0);
    expect(bad.filter((one) => one.severity === 'error' && one.code !== id)).toEqual([]);
    for (const one of mine) {
      expect(one.severity).toBe(rule.level);
      expect(one.at.line).toBeGreaterThan(0);
      expect(one.message.length).toBeGreaterThan(8);
      expect(one.remedy.length).toBeGreaterThan(5);
    }
    expect(look(rule, rule.good).filter((one) => one.code === id || one.severity === 'error')).toEqual([]);
    expect(rule.why.length).toBeGreaterThan(60);
  });

  test('a press on its remedy, where it has one, takes the finding away and brings no error', () => {
    const { mend, ...found } = look(rule, rule.bad).find((one) => one.code === id)!;
    if (!mend) return;
    const text = applyEdits(rule.bad, mend.edits);
    const after = look(rule, text);
    expect(after.filter((one) => one.code === id && one.message === found.message && one.at.field === found.at.field)).toEqual([]);
    const errors = (list: Finding[]) => list.filter((one) => one.severity === 'error').length;
    expect(errors(after), text).toBeLessThanOrEqual(errors(look(rule, rule.bad)));
  });
});

const demoManifests = (name: string) => {
  const { actions } = scenario().find((one) => one.name === name)!;
  const sent = actions.flatMap(({ action }) => (action.type === 'send' ? action.objects : []));
  return writeManifests([...new Map(sent.map((one) => [keyOf(refOf(one)), one])).values()]);
};
const codes = (findings: readonly Finding[]) => [...new Set(findings.map((one) => one.code))].sort();

/** What is wrong in the demo is what its stories are about. */
const wrongOnPurpose: Readonly<Record<string, readonly string[]>> = {
  'south-quay': ['cpu-over-node', 'finds-no-place', 'memory-over-node', 'provisioner-unanswered'],
  harbour: ['class-unknown'],
  'pilot-house': ['cert-name-missing']
};

describe('the whole', () => {
  test.each(['harbour', 'north-quay', 'south-quay', 'pilot-house'])(
    "the demo's manifests for %s give no error but those that its story is about, by themselves and against their cluster",
    (name) => {
      const text = demoManifests(name);
      const errors = (list: readonly Finding[]) => codes(list.filter((one) => one.severity === 'error'));
      expect(errors(check([{ text }]))).toEqual(name === 'pilot-house' ? ['cert-name-missing'] : []);
      expect(errors(check([{ text }], demo(name).store))).toEqual(wrongOnPurpose[name] ?? []);
    }
  );

  test("the demo's own findings: a listener open without TLS, a shelf on an ephemeral directory", () => {
    expect(codes(check([{ text: demoManifests('harbour') }]))).toContain('data-ephemeral');
    expect(codes(check([{ text: demoManifests('north-quay') }]))).toContain('standbys-not-waited');
  });

  test('there are sixty rules and more, each under its own id and file, none of which is without an example', () => {
    expect(rules.length).toBeGreaterThanOrEqual(60);
    expect(new Set(rules.map((one) => one.id)).size).toBe(rules.length);
    for (const one of rules) expect(ruleOf(one.id)).toBe(one);
  });

  test('docs/findings.md is made from the rules as they are', () => {
    const page = readFileSync('docs/findings.md', 'utf8');
    for (const one of rules) {
      expect(page, one.id).toContain(`### ${one.title}\n\n\`${one.id}\`. ${one.why}\n`);
      expect(page, one.id).toContain(one.bad.trimEnd().slice(0, 1_500));
    }
    expect(page.match(/^### /gm)).toHaveLength(rules.length);
  });

  test('an even number is told to those who decide by majority, and to nobody beside them', () => {
    const set = (name: string, image: string, replicas: number) =>
      `apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: ${name}, namespace: default}\nspec:\n  replicas: ${replicas}\n  serviceName: ${name}\n  selector: {matchLabels: {app: ${name}}}\n  template:\n    metadata: {labels: {app: ${name}, app.kubernetes.io/part-of: log}}\n    spec: {containers: [{name: main, image: shelf.standin.example/engines/${image}}]}\n`;
    const told = (...sets: string[]) =>
      check([{ text: sets.join('---\n') }])
        .filter((one) => one.code === 'even-quorum')
        .map((one) => one.at.object);
    const [coordinators, brokers] = [(n: number) => set('coord', 'log-coordinator:r3', n), (n: number) => set('log', 'log-broker:r3', n)];
    expect(told(coordinators(3), brokers(4))).toEqual([]);
    expect(told(coordinators(4), brokers(3))).toEqual(['StatefulSet default/coord']);
    // Without coordinators brokers keep the metadata, and decide, themselves.
    expect(told(brokers(4))).toEqual(['StatefulSet default/log']);
    expect(told(set('store', 'object-store:r3', 4))).toEqual([]);
    expect(told(set('docs', 'document-set:r5', 4))).toEqual(['StatefulSet default/docs']);
  });

  test('a claim that names no class goes by the default, whichever of them is marked', () => {
    const classes = (marked: string) =>
      ['block', 'files']
        .map(
          (one) =>
            `apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: ${one}, annotations: {storageclass.kubernetes.io/is-default-class: "${one === marked}"}}\nprovisioner: ${one}.standin.example\n---\n`
        )
        .join('');
    const claim =
      'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: all, namespace: space}\nspec: {accessModes: [ReadWriteOncePod], resources: {requests: {storage: 1Gi}}}\n';
    const lacking = (marked: string) => check([{ text: classes(marked) + claim }]).filter((one) => one.code === 'mode-lacking').length;
    expect([lacking('block'), lacking('files'), lacking('')]).toEqual([0, 1, 0]);
  });

  test('a value that was drawn is not taken for a typed one, whatever it is drawn from; words with marks between them are', () => {
    const found = (value: string) => {
      const text = `apiVersion: v1\nkind: Secret\nmetadata: {name: store-access}\nstringData: {password: ${JSON.stringify(value)}}\n`;
      return codes(check([{ text }])).includes('secret-typed');
    };
    let n = 0;
    const bytes = (count: number) => Uint8Array.from({ length: count }, () => hash32(`byte ${(n += 1)}`) & 255);
    for (const alphabet of ['letters', 'plain', 'hex'] as const)
      for (let i = 0; i < 40; i += 1) {
        const drawn = secretValue(alphabet, lengthFor(alphabet), bytes);
        expect(found(drawn), drawn).toBe(false);
      }
    for (const typed of ['sunshine', 'correct-horse-battery-staple', 'aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa', 'the night shift opens at six'])
      expect(found(typed), typed).toBe(true);
  });

  test('what is wrong in one place hides nothing that is wrong elsewhere, and makes up nothing', () => {
    const right = ruleOf('set-service-missing')!.good;
    const found = (...changes: [string | RegExp, string][]) => {
      const text = changes.reduce((one, [from, to]) => {
        expect(one).toMatch(from);
        return one.replace(from, to);
      }, right);
      return check([{ text }], demo('north-quay').store);
    };
    const errors = (list: readonly Finding[]) => codes(list.filter((one) => one.severity === 'error'));
    const seven: [string, string] = ['port: 7110', 'port: seven'];
    // A service with a fault is there all the same: the set that names it isn't said to lack it. So is one that is being written.
    expect(errors(found(seven))).toEqual(['wrong-type']);
    expect(errors(found(['clusterIP: None', 'clusterIP: "None']))).toEqual(['yaml-syntax']);
    // Three faults in two documents, one of them the name of the object itself, are said together.
    const three = found(seven, [/(kind: StatefulSet\nmetadata: {name: )store/, '$1Store_1'], [/storage: \w+/, 'storage: 100G']);
    expect(codes(three)).toEqual(expect.arrayContaining(['bad-name', 'wrong-type', 'size-decimal']));
    expect(codes(three)).not.toContain('set-service-missing');
    // What a fault left unknown is not found missing: a count that is none is no count of one.
    const count = found(['serviceName: store', 'serviceName: store\n  replicas: three'], [/storage: \w+/, 'storage: 100G']);
    expect(count.filter((one) => one.at.field?.startsWith('spec.replicas')).map((one) => one.code)).toEqual(['wrong-type']);
    expect(codes(count)).toContain('size-decimal');
    // An item that lacks what it must have is left out, and the others then have other places: nothing is said of the list.
    const text = right.replace('port: 7110', 'port: 7110}, {name: late');
    const [rough] = readWritten([{ text }]).rough!;
    expect(rough).toMatchObject({ cut: true, object: { spec: { ports: [{ port: 7110 }] } } });
    expect(rough!.faulty).toContainEqual(['spec', 'ports']);
  });

  test('whatever stands in the place of a value, what is wrong is said with its line, and nothing is thrown', () => {
    const paths = (value: unknown, at: (string | number)[] = []): (string | number)[][] =>
      typeof value === 'object' && value !== null
        ? [at, ...Object.entries(value).flatMap(([key, one]) => paths(one, [...at, Array.isArray(value) ? Number(key) : key]))]
        : [at];
    const texts = ['north-quay', 'pilot-house'].map((name) => {
      const { actions } = scenario().find((one) => one.name === name)!;
      return { store: demo(name).store, objects: actions.flatMap(({ action }) => (action.type === 'send' ? action.objects : [])) };
    });
    const odd = fc.constantFrom<unknown>('seven', -3, 0, true, {}, [], [null], { a: { b: 1 } }, '', 1e21);
    fc.assert(
      fc.property(fc.nat(), fc.nat(), fc.array(fc.tuple(fc.nat(), odd), { minLength: 1, maxLength: 3 }), (which, nth, changes) => {
        const { store, objects } = texts[which % texts.length]!;
        const value = structuredClone(objects[nth % objects.length]!) as unknown as Record<string, unknown>;
        for (const [place, to] of changes) {
          const all = paths(value).filter((one) => one.length > 1);
          const path = all[place % all.length]!;
          const holder = path.slice(0, -1).reduce<unknown>((one, step) => (one as Record<string, unknown>)[step], value);
          (holder as Record<string, unknown>)[path.at(-1)!] = structuredClone(to);
        }
        for (const one of check([{ text: JSON.stringify(value) }], store)) expect(one.at.line, one.message).toBeGreaterThan(0);
      }),
      { numRuns: 300, seed: 11 }
    );
  });

  test('what an export leaves out is not missing: that is a note, which says so', () => {
    let notes = 0;
    for (const one of rules) {
      if (!one.absent) continue;
      const target = exported(demo(one.against ?? 'north-quay').store, (kind) => one.absent!.includes(kind as Kind));
      for (const found of check([{ text: one.bad }], target)) {
        if (found.code !== one.id) continue;
        expect([found.severity, found.mend], found.message).toEqual(['note', undefined]);
        expect(found.message).toMatch(/^Can't be told, as the export may leave out /);
        notes += 1;
      }
    }
    expect(notes).toBeGreaterThan(15);
    // Each object that stands, by itself: whatever is left out, nothing is said to be wrong that isn't.
    const { store } = demo('north-quay');
    const texts = kindEntries
      .filter(({ derived, kind }) => !derived && !hidden.has(kind))
      .flatMap(({ kind }) => (store.list(kind) as ApiObject[]).map((one) => JSON.stringify(asManifest(one))));
    const grave = (text: string, target: Store) =>
      check([{ text }], target).flatMap(({ code, severity }) => (severity === 'error' ? [code] : []));
    const whole = exported(store, () => false);
    const kinds = kindEntries.map(({ kind }) => kind).filter((kind) => !hidden.has(kind) && store.list(kind).length);
    const parts = [exported(store, (kind) => kind !== 'Node'), ...kinds.map((left) => exported(store, (kind) => kind === left))];
    texts.forEach((text, i) => {
      const known = new Set(grave(text, whole));
      for (const part of [parts[0]!, parts[1 + (i % kinds.length)]!, parts[1 + ((i * 7) % kinds.length)]!])
        expect(
          grave(text, part).filter((code) => !known.has(code)),
          text
        ).toEqual([]);
    });
  });

  test('however many members are asked for while it is written, it is looked at soon', () => {
    for (const [kind, count] of [
      ['StatefulSet', 'replicas'],
      ['Deployment', 'replicas'],
      ['Job', 'parallelism']
    ] as const) {
      const text = `apiVersion: ${kind === 'Job' ? 'batch' : 'apps'}/v1\nkind: ${kind}\nmetadata: {name: a, namespace: default}\nspec: {${count}: 2000000000, selector: {matchLabels: {app: a}}, ${kind === 'StatefulSet' ? 'serviceName: a, ' : ''}template: {metadata: {labels: {app: a}}, spec: {containers: [{name: m, image: "shelf.standin.example/tools/t:1"}]}}}\n`;
      expect(codes(check([{ text }], demo('north-quay').store))).toContain('bad-value');
    }
  });

  test('files of one draft are looked at together, and findings say in which file they are', () => {
    const [service, set] = ruleOf('set-service-missing')!.good.split('---\n') as [string, string];
    expect(check([{ name: 'a.yaml', text: set }]).some((one) => one.code === 'set-service-missing')).toBe(true);
    expect(
      check([
        { name: 'a.yaml', text: set },
        { name: 'b.yaml', text: service }
      ]).filter((one) => one.severity === 'error')
    ).toEqual([]);
    const twice = check([
      { name: 'a.yaml', text: set },
      { name: 'b.yaml', text: `${service}---\n${set}` }
    ]);
    const found = twice.find((one) => one.code === 'duplicate-object')!;
    expect([found.at.file, found.at.line]).toEqual(['b.yaml', service.split('\n').length + 1]);
    expect(found.mend!.edits.every((one) => one.file === 'b.yaml')).toBe(true);
  });

  test('findings come in the order of the text, and the same text gives the same findings', () => {
    const text = rules
      .slice(18, 40)
      .map((one) => one.bad.replace(/name: (\w+)/, `name: $1-${one.id.slice(0, 20)}`))
      .join('---\n');
    const found = check([{ text }]);
    expect(found.map((one) => one.at.line)).toEqual([...found.map((one) => one.at.line!)].sort((a, b) => a - b));
    expect(check([{ text }])).toEqual(found);
  });

  test('the distance of words is a metric, and the nearest word is never a far one', () => {
    const word = fc.string({ maxLength: 8 });
    fc.assert(
      fc.property(word, word, word, (a, b, c) => {
        expect(distance(a, b)).toBe(distance(b, a));
        expect(distance(a, b) === 0).toBe(a === b);
        expect(distance(a, c)).toBeLessThanOrEqual(distance(a, b) + distance(b, c));
        expect(distance(a, b)).toBeGreaterThanOrEqual(Math.abs(a.length - b.length));
      })
    );
    expect([nearest('storageClas', ['storageClassName', 'storageClass']), nearest('xyzzy', ['replicas'])]).toEqual([
      'storageClass',
      undefined
    ]);
    // As near as each other: the one that comes first in the alphabet, however they are given.
    for (const known of [
      ['paths', 'patch', 'parts'],
      ['parts', 'patch', 'paths'],
      ['patch', 'paths', 'parts']
    ])
      expect(nearest('pat', known)).toBe('parts');
    expect(distance('kitten', 'sitting')).toBe(3);
  });
});
