import { expect, test } from 'vitest';
import { check } from '$core/checker';
import { applyEdits, readManifests, readWritten } from '$core/manifest';
import { moveNamespace } from '$core/drafts';
import type { ApiObject, Claim, StatefulSet } from '$core/model';
import { nodeFit, type NodesAsked } from '$core/sizing';
import { rateText } from '$core/sizing/calc/texts';
import { firstFit } from '$core/sizing/nodes/first';
import { provedWorkload, workloadNamed } from '$core/proofs';
import { order } from '$core/proofs/order';
import { Store, takenBy, World } from '$core/standin';
import { isImageOf } from '$core/standin/engines/shelf';
import { tryCleanUp } from '$core/change';
import { asLeft, classOf, objects } from './help';
import { standing } from './drills/help';
import { answered } from './roomy';

/** Lines that planted faults showed untested, each by examples. */

test.each<[string, [string, number][]]>([
  [
    'north-quay 2, harbour 1',
    [
      ['north-quay', 2],
      ['harbour', 1]
    ]
  ],
  ['north-quay: 02', [['north-quay', 2]]],
  ['  north-quay :  3  ,', [['north-quay', 3]]],
  ['x north-quay 2, north-quay 2 x, north-quay 2x, north-quay, North-quay 2, harbour 1', [['harbour', 1]]]
])('members in clusters are read from "%s"', (over, clusters) => {
  const one = answered('document-set', { by: 'operator', where: 'several', over }).find((each) => each.kind === 'DocumentSet');
  const { spec } = one as { spec: { members: number; clusters?: { cluster: string; members: number }[] } };
  expect([spec.members, spec.clusters?.map((each) => [each.cluster, each.members]) ?? []]).toEqual([
    clusters.reduce((sum, [, n]) => sum + n, 0),
    clusters
  ]);
});

test('names and figures at their limits', () => {
  const key = (length: number) =>
    readManifests(`apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a}\ndata:\n  ? ${'k'.repeat(length)}\n  : v\n`).problems.length;
  expect([key(253), key(254)]).toEqual([0, 1]);
  expect([999, 1_000, 999_999, 1e6].map(rateText)).toEqual(['999 B/s', '1 kB/s', '999.999 kB/s', '1 MB/s']);
  expect([isImageOf('a/b:r1', 'a/b:r1'), isImageOf('a/b:r1', 'a/b'), isImageOf('a/b:r1', 'a/b:r'), isImageOf('a/bc:r1', 'a/b')]).toEqual([
    true,
    true,
    false,
    false
  ]);
});

test('a claim without a class counts for the class that is the default now', () => {
  const store = new Store();
  const mark = (on: boolean) => `, annotations: {storageclass.kubernetes.io/is-default-class: "${on}"}`;
  const classes = (first: boolean) =>
    objects([classOf(`one${mark(first)}`, 'x.example'), classOf(`two${mark(!first)}`, 'x.example')].join('')).forEach((one, i) =>
      store.place(store.list('StorageClass')[i], one)
    );
  const claim = objects(
    'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: c, namespace: default}\nspec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 3Gi}}}\n'
  )[0] as Claim;
  const counts = () => [...takenBy(claim, store).keys()].flatMap((name) => /^(one|two)\./.exec(name)?.[1] ?? []);
  classes(true);
  const before = counts();
  classes(false);
  expect([[...new Set(before)], [...new Set(counts())]]).toEqual([['one'], ['two']]);
});

test('of node kinds that cost the same the first is taken, and members that keep apart need as many nodes as there are of them', async () => {
  const kind = (name: string) => ({ name, room: [4, 4, 8], most: Infinity, price: 10 });
  const asked = (apart: 'no' | 'nodes' | 'both' | 'zones', zones = 1): NodesAsked => ({
    members: [{ name: 'm', count: 3, size: [1, 1, 1], apart }],
    nodes: [kind('a'), kind('b')],
    zones,
    by: 'price'
  });
  expect(firstFit(asked('no')).nodes.map((one) => one.kind)).toEqual([0]);
  const least = async (apart: 'no' | 'nodes' | 'both' | 'zones') => (await nodeFit(asked(apart), true)).alone.map((one) => one.least);
  expect(await Promise.all((['no', 'nodes', 'both', 'zones'] as const).map(least))).toEqual([
    [1, 1],
    [3, 3],
    [3, 3],
    [1, 1]
  ]);
});

test('a service that is proposed for a set hears what its members hear, by the same protocol', () => {
  const text =
    'apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: s, namespace: default}\nspec: {serviceName: s, selector: {matchLabels: {a: b}}, template: {metadata: {labels: {a: b}}, spec: {containers: [{name: c, image: "i:1", ports: [{name: one, containerPort: 1}, {containerPort: 2, protocol: UDP}, {containerPort: 3, protocol: SCTP}, {containerPort: 4, protocol: TCP}]}]}}}\n';
  const mend = check([{ text }]).find((one) => one.code === 'set-service-missing')!.mend!;
  const made = readManifests(applyEdits(text, mend.edits)).objects.find(({ object }) => object.kind === 'Service')!.object as ApiObject & {
    kind: 'Service';
  };
  expect(made.spec.ports).toMatchObject([
    { name: 'one', port: 1 },
    { port: 2, protocol: 'UDP' },
    { port: 3, protocol: 'SCTP' },
    { port: 4 }
  ]);
  expect(made.spec.ports![3]).not.toHaveProperty('protocol');
});

test('of a long text the lines that change are shown, of a short one all of it', () => {
  const text =
    'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a, namespace: tickets}\ndata:\n  short: db.tickets.svc\n  long: |\n    first = 1\n    host = db.tickets.svc\n    last = 2\n';
  const places = moveNamespace(readWritten([{ text }]), 'tickets', 'sales').places.filter((one) => one.field.startsWith('data.'));
  expect(places.map(({ field, before, after }) => [field, before, after])).toEqual([
    ['data.short', 'db.tickets.svc', 'db.sales.svc'],
    ['data.long', 'host = db.tickets.svc', 'host = db.sales.svc']
  ]);
});

test('a clean-up that keeps copies leaves the plan that makes them', () => {
  const steps = (copies: boolean) =>
    tryCleanUp(asLeft('north-quay'), 'plans', 'timetable', { data: true, copies })!.steps.map((one) => one.id);
  expect([steps(true).includes('plans'), steps(false).includes('plans')]).toEqual([false, true]);
});

test('only a balancer that leads to the brokers is consumed through; one without a selector leads to nobody by itself', () => {
  const { world } = standing('log-broker', {}, (to) =>
    to.act({
      type: 'send',
      objects: ['', ', selector: {app: nobody}'].flatMap((more, i) =>
        objects(
          `apiVersion: v1\nkind: Service\nmetadata: {name: out-${i}, namespace: space}\nspec: {type: LoadBalancer${more}, ports: [{name: p, port: 80}]}\n`
        )
      )
    })
  );
  const proofs = provedWorkload({
    facts: world.store,
    workload: workloadNamed(world.store, 'space', 'one')!,
    changes: world.journal.changes,
    fork: () => World.restore(world.seed, world.save()),
    messages: 600
  });
  const produced = proofs.find((one) => one.id === 'produced')!;
  expect(produced.checks.filter((one) => !one.ok || one.asked.includes('outside'))).toEqual([]);
});

test('members that were made before the one before was ready are out of order, unless they start side by side', () => {
  const [set] = objects(
    'apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: s, namespace: default}\nspec: {replicas: 2, serviceName: s, selector: {matchLabels: {a: b}}, template: {metadata: {labels: {a: b}}, spec: {containers: [{name: c, image: "i:1"}]}}}\n'
  ) as [StatefulSet];
  const pod = (nth: number, readyAt?: string) => ({
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: { name: `s-${nth}`, namespace: 'default' },
    status: { conditions: readyAt ? [{ type: 'Ready', status: 'True', lastTransitionTime: readyAt }] : [] }
  });
  const at = '2026-03-02T06:00:05Z';
  // The second is made before the first is ready, or after.
  const early = [
    [undefined, pod(0)],
    [undefined, pod(1)],
    [pod(0), pod(0, at)],
    [pod(1), pod(1, at)]
  ];
  const late = [early[0]!, early[2]!, early[1]!, early[3]!];
  const states = [early, late].flatMap((list) =>
    ['OrderedReady', 'Parallel'].map((podManagementPolicy) => {
      const changes = list.map(([before, after], i) => ({ atMs: i * 1_000, before, after }));
      return order.run({ facts: new Store(), set: { ...set, spec: { ...set.spec, podManagementPolicy } }, changes } as never).state;
    })
  );
  expect(states).toEqual(['broken', 'holds', 'holds', 'holds']);
});
