import fc from 'fast-check';
import { expect, test } from 'vitest';
import { keyOf, kindEntries, refOf, selectorMatches, type ApiObject, type Pod } from '$core/model';
import { asManifest, writeOne } from '$core/manifest';
import { placeFaultsNow, podClaimsOf, Store } from '$core/standin';
import { indexers } from '$core/standin/store';
import { asLeft, ref, send } from './help';

/** Whatever is looked up is found as if everything had been looked at. */

test('who keeps apart from whom is found by labels as it would be node by node, pod by pod', () => {
  const spaces = ['n', 'm'];
  const labels = fc.dictionary(fc.constantFrom('app', 'tier'), fc.constantFrom('a', 'b'), { maxKeys: 2 });
  const selector = fc.oneof(
    labels.map((matchLabels) => ({ matchLabels })),
    labels.map((matchLabels) => ({ matchLabels, matchExpressions: [{ key: 'app', operator: 'Exists' }] })),
    fc.constant(undefined)
  );
  const term = fc.record({
    topologyKey: fc.constantFrom('kubernetes.io/hostname', 'topology.kubernetes.io/zone'),
    labelSelector: selector,
    namespaces: fc.subarray(spaces)
  });
  const one = fc.record({
    namespace: fc.constantFrom(...spaces),
    labels,
    terms: fc.array(term, { maxLength: 2 }),
    node: fc.nat(3),
    done: fc.boolean()
  });
  type Given = typeof one extends fc.Arbitrary<infer T> ? T : never;
  const pod = ({ namespace, labels: mine, terms, node, done }: Given, i: number, placed: boolean) =>
    ({
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: { name: `p${i}`, namespace, labels: mine, uid: `u${i}` },
      spec: {
        containers: [],
        ...(placed ? { nodeName: `node-${node}` } : {}),
        affinity: { podAntiAffinity: { requiredDuringSchedulingIgnoredDuringExecution: terms } }
      },
      status: { phase: done ? 'Succeeded' : 'Running' }
    }) as unknown as Pod;
  const wants = (given: Given, other: Given, on: 'host' | 'zone') =>
    given.terms.some(
      (two) =>
        (on === 'host' || two.topologyKey !== 'kubernetes.io/hostname') &&
        (two.namespaces.length ? two.namespaces : [given.namespace]).includes(other.namespace) &&
        selectorMatches(two.labelSelector as never, other.labels)
    );
  fc.assert(
    fc.property(fc.array(one, { maxLength: 6 }), one, (others, seeker) => {
      const store = new Store();
      for (let i = 0; i < 4; i += 1)
        store.place(undefined, {
          apiVersion: 'v1',
          kind: 'Node',
          metadata: { name: `node-${i}`, labels: { 'kubernetes.io/hostname': `node-${i}`, 'topology.kubernetes.io/zone': `z${i % 2}` } },
          status: { allocatable: { cpu: '100', memory: '100Gi', pods: '110' }, conditions: [{ type: 'Ready', status: 'True' }] }
        } as unknown as ApiObject);
      others.forEach((two, i) => store.place(undefined, pod(two, i, true)));
      const mine = pod(seeker, 99, false);
      const faultOf = placeFaultsNow(store, mine, podClaimsOf(store, mine));
      const there = others.filter((two) => !two.done);
      for (const node of store.nodes()) {
        const at = Number(node.metadata.name.slice(5));
        const apart = there.some(
          (two) =>
            (two.node === at && (wants(seeker, two, 'host') || wants(two, seeker, 'host'))) ||
            (two.node % 2 === at % 2 && (wants(seeker, two, 'zone') || wants(two, seeker, 'zone')))
        );
        expect(faultOf(node)).toBe(apart ? 'anti-affinity' : undefined);
      }
    }),
    { seed: 4 }
  );
});

test('every index finds what a look at all objects finds, whatever has happened to them', () => {
  for (const name of ['north-quay', 'harbour', 'south-quay']) {
    const world = asLeft(name);
    world.runSettled();
    // Members go and come, a set is scaled, a node leaves.
    const [set] = world.store.list('StatefulSet');
    if (set) send(world, writeOne(asManifest({ ...set, spec: { ...set.spec, replicas: 2 } })));
    for (const pod of world.store.list('Pod').slice(0, 4)) world.act({ type: 'remove', ref: refOf(pod) });
    world.runUntil(world.nowMs + 30_000);
    world.act({ type: 'remove', ref: ref('Node', '', world.store.list('Node')[0]!.metadata.name) });
    world.runUntil(world.nowMs + 400_000);
    const all = kindEntries.flatMap((entry) => world.store.list(entry.kind) as ApiObject[]);
    for (const [index, { kind, keys }] of Object.entries(indexers)) {
      const wanted = new Map<string, string[]>();
      for (const object of all)
        if (kind === '*' || kind === object.kind)
          for (const key of new Set(keys(object))) wanted.set(key, [...(wanted.get(key) ?? []), keyOf(refOf(object))]);
      for (const [key, names] of wanted)
        expect(
          world.store
            .by(index as keyof typeof indexers, key)
            .map((one) => keyOf(refOf(one)))
            .sort(),
          `${name} ${index} ${key}`
        ).toEqual(names.sort());
    }
  }
});
