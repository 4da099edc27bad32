import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import {
  claimsOf,
  defaultClass,
  nodeWanted,
  repellingTaint,
  selectorMatches,
  termsMatch,
  type ApiObject,
  type Facts,
  type Kind,
  type Node,
  type Pod
} from '$core/model';
import {
  differences,
  draw,
  epochMs,
  drawInt,
  hash32,
  same,
  stableJson,
  suffix,
  uidOf,
  wordsOf,
  clockOf,
  momentOf,
  stampOf
} from '$core/shared';
import { lineSentence, rootLine, supplyGates } from '$core/rootline';
import { isKnownImage, backendOf, imageCard, imageParts, pullOf, resolve, shortagesIn, standingOf, Store, type World } from '$core/standin';
import { closed, bookings, bookingsSet, driver, must, objects, ref, remove, send, smallSet, south, readySouth } from './help';

/** The same cluster as a dump would show it: its objects, and nothing of the provider. */
function dumped(world: World): Facts {
  const hidden = new Set<Kind>(['Ground', 'Backend', 'Identity', 'Registry', 'Asset']);
  return new Proxy(world.store, {
    get(store, key) {
      if (key === 'knowsProvider') return false;
      if (key === 'by') return undefined;
      if (key === 'get')
        return (kind: Kind, namespace: string, name: string) => (hidden.has(kind) ? undefined : store.get(kind, namespace, name));
      if (key === 'list') return (kind: Kind, namespace?: string) => (hidden.has(kind) ? [] : store.list(kind, namespace));
      const value = Reflect.get(store, key) as unknown;
      return typeof value === 'function' ? value.bind(store) : value;
    }
  });
}

describe('a root line over objects alone', () => {
  test('what only the provider knows is unseen, with a word on where to look; the break is found all the same', () => {
    const line = rootLine(dumped(south()), bookings(0))!;
    expect(line.firstBreak).toBe('driver');
    for (const joint of ['backend', 'rights'] as const) {
      const found = line.joints.find((one) => one.joint === joint)!;
      expect(found.state).toBe('unseen');
      expect(found.says).toMatch(/look at/);
    }
  });

  test('what holds on the stand-in holds there too, or is unseen', () => {
    const world = south();
    must(world, { type: 'send', objects: driver() });
    world.runSettled();
    const line = rootLine(dumped(world), bookingsSet)!;
    expect(line.firstBreak).toBeNull();
    expect([...new Set(line.joints.filter((one) => one.state !== 'holds').map((one) => one.joint))]).toEqual(['backend', 'rights']);
    expect(lineSentence(line)).toBe('bookings holds, as far as the export shows.');
  });

  test("an image that can't be pulled is read from the pod's status", () => {
    const world = closed(readySouth());
    send(world, smallSet().replace('shelf.standin.example/engines', 'elsewhere.example/engines'));
    world.runSettled();
    expect(rootLine(dumped(world), ref('Pod', 'default', 'probe-0'))!.joints.find((one) => one.joint === 'image')).toMatchObject({
      state: 'broken'
    });
  });
});

describe('names, beside the story', () => {
  const world = readySouth();
  send(
    world,
    smallSet({
      set: 'replicas: 2',
      service:
        '{clusterIP: None, publishNotReadyAddresses: true, selector: {app: probe}, ports: [{name: data, port: 7110}, {name: talk, port: 7111, protocol: UDP}]}'
    })
  );
  send(
    world,
    'apiVersion: v1\nkind: Service\nmetadata: {name: plain, namespace: default}\nspec: {selector: {app: probe}, ports: [{name: data, port: 80, targetPort: 7110}]}'
  );
  world.runSettled();
  const ask = (name: string, from = 'default') => resolve(world.store, from, name);

  test('SRV records carry each member and its port', () => {
    expect(ask('_data._tcp.probe').srv).toEqual(
      [0, 1].map((one) => ({ target: `probe-${one}.probe.default.svc.cluster.local`, port: 7110 }))
    );
    expect(ask('_talk._udp.probe').srv).toHaveLength(2);
    expect(ask('_talk._tcp.probe').reason).toMatch(/no port talk over tcp/);
    expect(ask('_data._tcp.plain').srv).toEqual([{ target: 'plain.default.svc.cluster.local', port: 80 }]);
  });

  test('an ordinary service gives its own address, and no names to its members', () => {
    expect(ask('plain').addresses).toEqual([world.store.get('Service', 'default', 'plain')!.spec.clusterIP]);
    expect(ask('probe-0.plain').reason).toMatch(/not headless/);
  });

  test('a full name is asked for as it is; a trailing dot stops the search', () => {
    expect(ask('probe-1.probe.default.svc.cluster.local').answered).toBe('probe-1.probe.default.svc.cluster.local');
    expect(ask('probe-1.probe.default.svc.cluster.local.').tried).toHaveLength(1);
    expect(ask('probe-1.probe.').addresses).toEqual([]);
    expect(ask('PROBE-1.Probe').addresses).toHaveLength(1);
    expect(ask('example.org').addresses).toEqual([]);
    expect(ask('a.b.c.probe').reason).toMatch(/too many parts|no service/);
  });

  test('with publishNotReadyAddresses a member has its name before it is ready', () => {
    remove(world, ref('Pod', 'default', 'probe-1'));
    for (;;) {
      world.runUntil(world.nextMs!);
      const pod = world.store.get('Pod', 'default', 'probe-1');
      if (
        pod?.status?.podIP &&
        !pod.metadata.deletionTimestamp &&
        pod.status.conditions?.some((one) => one.type === 'Ready' && one.status === 'False')
      )
        break;
    }
    expect(ask('probe-1.probe').addresses).toHaveLength(1);
    world.runSettled();
  });
});

describe('the provider', () => {
  const world = south();

  test('images: host, path, what is known of them', () => {
    expect(imageParts('shelf.standin.example/engines/x:1.2@sha256:ab')).toEqual({
      host: 'shelf.standin.example',
      repository: 'shelf.standin.example/engines/x'
    });
    expect(imageParts('local:5000/x')).toEqual({ host: 'local:5000', repository: 'local:5000/x' });
    expect(imageParts('tool')).toEqual({ host: '', repository: 'tool' });
    expect(imageCard('shelf.standin.example/drivers/block-node:9').driverPart).toEqual({ driver: 'block.standin.example', part: 'node' });
    expect(imageCard('any.example/thing:1').sizeBytes).toBe(imageCard('any.example/thing:2').sizeBytes);
    // An open place reaches whatever an image names; a closed one says what it lacks.
    expect(pullOf(world.store, 'tool').fault).toBeUndefined();
    expect(pullOf(world.store, 'elsewhere.example/tool:1').registry?.spec.host).toBe('elsewhere.example');
    const shut = closed(south()).store;
    expect(pullOf(shut, 'tool').fault?.message).toBe('the reference names no registry');
    expect(pullOf(shut, 'elsewhere.example/tool:1').fault?.message).toBe('no registry elsewhere.example is known to this place');
    expect(isKnownImage('elsewhere.example/tool:1')).toBe(false);
    expect(isKnownImage('mirror.example/engines/log-broker:r3')).toBe(true);
  });

  test('shortages, in the words of the storage interface', () => {
    const backend = backendOf(world.store, 'block.standin.example')!;
    const gib = 2 ** 30;
    const of = (zone: string, sizeBytes: number, used = world.store.usedOf(backend.metadata.name)) =>
      shortagesIn(backend, zone, sizeBytes, used)[0]?.code;
    expect([of('a', gib), of('a', gib / 4), of('a', 17 * 1024 * gib), of('c', gib), of('a', 801 * gib)]).toEqual([
      undefined,
      'OUT_OF_RANGE',
      'OUT_OF_RANGE',
      'RESOURCE_EXHAUSTED',
      'RESOURCE_EXHAUSTED'
    ]);
    expect(of('b', gib, new Map([['a', { sizeBytes: 0, volumes: 40 }]]))).toBe('RESOURCE_EXHAUSTED');
    expect(of('a', 10 * gib, new Map([['a', { sizeBytes: 791 * gib, volumes: 1 }]]))).toBe('RESOURCE_EXHAUSTED');
  });

  test('the nearest identity is named when none matches', () => {
    expect(standingOf(world.store, 'block.standin.example', ['create', 'key-use'])).toMatchObject({
      identity: { metadata: { name: 'volume-keeper' } },
      missing: ['key-use']
    });
    expect(standingOf(world.store, 'other.example', ['create'])).toEqual({ missing: ['create'] });
  });

  test('a class by itself: which of its three supports break', () => {
    const states = (one: World) => supplyGates(one.store, one.store.get('StorageClass', '', 'steady-block')!).map((look) => look.state);
    expect(states(world)).toEqual(['holds', 'holds', 'broken']);
    expect(states(readySouth())).toEqual(['holds', 'holds', 'holds']);
  });
});

describe('selectors, taints, terms', () => {
  const labels = fc.dictionary(fc.constantFrom('a', 'b', 'c'), fc.constantFrom('1', '2'), { noNullPrototype: true });
  test("In and NotIn, Exists and DoesNotExist are each other's opposite", () => {
    fc.assert(
      fc.property(labels, fc.constantFrom('a', 'b', 'c'), fc.subarray(['1', '2'], { minLength: 1 }), (have, key, values) => {
        const by = (operator: 'In' | 'NotIn' | 'Exists' | 'DoesNotExist') =>
          selectorMatches({ matchExpressions: [{ key, operator, ...(operator.endsWith('In') ? { values } : {}) }] }, have);
        expect(by('In')).toBe(!by('NotIn'));
        expect(by('Exists')).toBe(!by('DoesNotExist'));
        expect(selectorMatches({ matchLabels: have }, have)).toBe(true);
        expect(termsMatch([{ matchExpressions: [{ key, operator: 'In', values }] }], have)).toBe(by('In'));
      })
    );
    expect([selectorMatches({}, { a: '1' }), selectorMatches(undefined, { a: '1' })]).toEqual([true, false]);
  });

  test('taints and tolerations', () => {
    const node = (taints: object[]): Node => ({
      apiVersion: 'v1',
      kind: 'Node',
      metadata: { name: 'n', labels: { disk: '10' } },
      spec: { taints: taints as never }
    });
    const taint = { key: 'k', value: 'v', effect: 'NoSchedule' };
    const held = (tolerations: object[]) => repellingTaint(node([taint]), tolerations as never) !== undefined;
    expect([
      held([]),
      held([{ operator: 'Exists' }]),
      held([{ key: 'k', value: 'v' }]),
      held([{ key: 'k', value: 'w' }]),
      held([{ key: 'k', operator: 'Exists', effect: 'NoExecute' }])
    ]).toEqual([true, false, false, true, true]);
    expect(repellingTaint(node([{ key: 'k', effect: 'PreferNoSchedule' }]), [])).toBeUndefined();
    const spec = (operator: string) =>
      ({
        containers: [],
        affinity: {
          nodeAffinity: {
            requiredDuringSchedulingIgnoredDuringExecution: {
              nodeSelectorTerms: [{ matchExpressions: [{ key: 'disk', operator, values: ['5'] }] }]
            }
          }
        }
      }) as never;
    expect([nodeWanted(spec('Gt'), node([])), nodeWanted(spec('Lt'), node([])), nodeWanted(spec('Odd'), node([]))]).toEqual([
      true,
      false,
      false
    ]);
  });
});

describe('small things', () => {
  test('a store finds by index what a scan finds', () => {
    const pod = fc.record({
      name: fc.constantFrom('a', 'b', 'c', 'd'),
      node: fc.constantFrom(undefined, 'n1', 'n2'),
      claim: fc.constantFrom(undefined, 'x', 'y'),
      phase: fc.constantFrom('Pending', 'Running', 'Succeeded'),
      gone: fc.boolean()
    });
    fc.assert(
      fc.property(fc.array(pod, { maxLength: 30 }), (changes) => {
        const store = new Store();
        for (const { name, node, claim, phase, gone } of changes) {
          const before = store.get('Pod', 'd', name);
          const after = {
            apiVersion: 'v1',
            kind: 'Pod',
            metadata: { name, namespace: 'd', labels: { app: phase } },
            spec: {
              ...(node ? { nodeName: node } : {}),
              containers: [],
              volumes: claim ? [{ name: 'v', persistentVolumeClaim: { claimName: claim } }] : []
            },
            status: { phase }
          } as Pod;
          store.place(before, gone ? undefined : after);
        }
        const all = store.list('Pod', 'd');
        const names = (list: readonly ApiObject[]) => list.map((one) => one.metadata.name).sort();
        for (const node of ['n1', 'n2'])
          expect(names(store.podsOn(node))).toEqual(
            names(all.filter((one) => one.spec.nodeName === node && one.status!.phase !== 'Succeeded'))
          );
        for (const claim of ['x', 'y'])
          expect(names(store.podsOfClaim('d', claim))).toEqual(names(all.filter((one) => claimsOf(one.spec).includes(claim))));
        for (const phase of ['Pending', 'Running'])
          expect(names([...store.by('podsByPair', `d|app=${phase}`)])).toEqual(names(all.filter((one) => one.status!.phase === phase)));
      })
    );
  });

  test('moments are written as the language itself writes them, near and far, before the beginning too', () => {
    const far = 8e15;
    fc.assert(
      fc.property(
        fc.oneof(fc.integer(), fc.integer({ min: -far, max: far - epochMs }), fc.double({ min: -1e9, max: 1e12, noNaN: true })),
        (atMs) => {
          expect(stampOf(atMs)).toBe(new Date(epochMs + atMs).toISOString());
        }
      )
    );
  });

  test('differences are none exactly when two values are the same, and name each leaf once', () => {
    fc.assert(
      fc.property(fc.jsonValue(), fc.jsonValue(), (a, b) => {
        expect(differences(a, b).length === 0).toBe(same(a, b));
        expect(differences(a, structuredClone(a))).toEqual([]);
      })
    );
    expect(differences({ a: { b: [1, 2] }, c: 1 }, { a: { b: [1, 3] }, d: 1 })).toEqual([
      { field: 'a.b[1]', before: 2, after: 3 },
      { field: 'd', before: undefined, after: 1 },
      { field: 'c', before: 1, after: undefined }
    ]);
    expect(stableJson({ b: 1, a: [undefined, { d: 1, c: undefined }] })).toBe('{"a":[null,{"d":1}],"b":1}');
    const list = (...names: string[]) => ({ containers: names.map((name) => ({ name, image: `${name}:1` })) });
    // A container put first leaves the others as they are; the same ones in another order are another list.
    expect(differences(list('main', 'helper'), list('front', 'main', 'helper'))).toEqual([
      { field: 'containers[0]', before: undefined, after: { name: 'front', image: 'front:1' } }
    ]);
    expect(differences(list('main', 'helper'), list('helper'))).toEqual([
      { field: 'containers[0]', before: { name: 'main', image: 'main:1' }, after: undefined }
    ]);
    expect(differences(list('a', 'b'), list('c', 'b'))).toEqual([
      { field: 'containers[0]', before: { name: 'a', image: 'a:1' }, after: { name: 'c', image: 'c:1' } }
    ]);
    const some = fc.uniqueArray(fc.constantFrom('a', 'b', 'c', 'd', 'e'), { maxLength: 5 });
    fc.assert(
      fc.property(some, some, (a, b) => {
        const fields = differences(list(...a), list(...b)).map((one) => one.field);
        expect(new Set(fields).size).toBe(fields.length);
        expect(fields.length === 0).toBe(a.join() === b.join());
      })
    );
    expect(differences(list('a', 'b'), list('b', 'a')).map((one) => one.field)).toEqual(['containers']);
    expect(differences({ ports: [{ port: 1, name: 'x' }] }, { ports: [{ port: 2, name: 'x' }] })).toEqual([
      { field: 'ports[0].port', before: 1, after: 2 }
    ]);
  });

  test('draws are even, repeatable and their own', () => {
    const draws = Array.from({ length: 4_000 }, (_, i) => draw(7, `key-${i}`));
    const tenths = Array.from({ length: 10 }, (_, tenth) => draws.filter((one) => Math.floor(one * 10) === tenth).length);
    // 4000 draws in ten parts: 400 each, and five standard deviations (95) to either side.
    for (const count of tenths) expect(Math.abs(count - 400)).toBeLessThan(95);
    expect(draw(7, 'a')).toBe(draw(7, 'a'));
    expect(draw(8, 'a')).not.toBe(draw(7, 'a'));
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 9 }), fc.integer({ min: 0, max: 9 }), fc.string(), (least, more, what) => {
        const drawn = drawInt(1, what, least, least + more);
        return drawn >= least && drawn <= least + more;
      })
    );
    const uids = new Set(Array.from({ length: 5_000 }, (_, i) => uidOf(3, `x${i}`)));
    expect(uids.size).toBe(5_000);
    for (const uid of [...uids].slice(0, 50)) expect(uid).toMatch(/^[0-9a-f]{8}-[0-9a-f]{4}-8[0-9a-f]{3}-a[0-9a-f]{3}-[0-9a-f]{12}$/);
    expect(suffix(1, 'x')).toMatch(/^[bcdfghjklmnpqrstvwxz2456789]{5}$/);
    expect(hash32('a')).not.toBe(hash32('b'));
  });

  test('times', () => {
    expect([wordsOf(400), wordsOf(22_000), wordsOf(95_000), wordsOf(3_600_000), wordsOf(3_900_000)]).toEqual([
      '400 ms',
      '22 s',
      '1 min 35 s',
      '1 h',
      '1 h 5 min'
    ]);
    expect(clockOf(401_999)).toBe('T+00:06:41');
    fc.assert(fc.property(fc.integer({ min: 0, max: 2_592_000_000 }), (ms) => momentOf(stampOf(ms)) === ms));
    expect(() => momentOf('yesterday')).toThrow(/RFC 3339/);
    expect(defaultClass(south().store)!.metadata.name).toBe('steady-block');
    expect(objects(smallSet())).toHaveLength(2);
  });
});
