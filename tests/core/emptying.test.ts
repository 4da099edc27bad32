import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { asManifest } from '$core/manifest';
import { isReady, zoneOf, type ApiObject } from '$core/model';
import { emptyingSheet, World } from '$core/standin';
import { objects as read } from './help';
import { answered, ask, must, remove, roomy } from './roomy';

const empty = (nodes: string[], losesDirectories = false): ApiObject => ({
  apiVersion: 'standin.example/v1',
  kind: 'Emptying',
  metadata: { name: 'work' },
  spec: { nodes, losesDirectories }
});
const nodeOf = (world: World, name: string) => world.store.get('Pod', 'tickets', name)!.spec.nodeName!;
const ready = (world: World) => world.store.list('Pod', 'tickets').filter(isReady).length;

describe('emptying nodes', () => {
  it('sends members away one after another, so that the budget holds at every moment; their data come along; taken back, the nodes are open', () => {
    const world = roomy();
    must(world, ...answered('multi-primary-sql'));
    world.runSettled();
    expect(ask(world, 'tickets', 'bookings', { do: 'write', key: 'a', value: '1' }).outcome).toBe('acknowledged');
    const before = [nodeOf(world, 'bookings-0'), nodeOf(world, 'bookings-1')];
    must(world, empty(before));
    let least = 3;
    const untilMs = world.nowMs + 600_000;
    while (world.nextMs !== undefined && world.nextMs <= untilMs && (world.store.get('Emptying', '', 'work')!.status?.left ?? 1) > 0) {
      world.runUntil(world.nextMs);
      least = Math.min(least, ready(world));
    }
    world.runSettled();
    expect(least).toBe(2);
    expect(world.store.get('Emptying', '', 'work')!.status).toEqual({ left: 0, waits: [] });
    expect(ready(world)).toBe(3);
    for (const member of ['bookings-0', 'bookings-1']) {
      expect(before).not.toContain(nodeOf(world, member));
      expect(ask(world, 'tickets', 'bookings', { do: 'read', key: 'a' }, { member }).rows).toEqual([['a', '1']]);
    }
    const closed = () => world.store.list('Node').flatMap((one) => (one.spec?.unschedulable ? [one.metadata.name] : []));
    expect(closed().sort()).toEqual([...before].sort());
    remove(world, { kind: 'Emptying', namespace: '', name: 'work' });
    world.runSettled();
    expect(closed()).toEqual([]);
  });

  it('is shown before it is begun: where each pod can go, or that no other node takes it; and so it comes', () => {
    const world = roomy();
    must(world, ...answered('multi-primary-sql'));
    world.runSettled();
    const from = nodeOf(world, 'bookings-0');
    const sheet = (on: World) => emptyingSheet(on.store, from, false).find((one) => one.name === 'bookings-0')!;
    // Its volume is bound to its zone, which has one more node.
    const [other] = world.store
      .list('Node')
      .filter((one) => zoneOf(one) === zoneOf(world.store.get('Node', '', from)!) && one.metadata.name !== from);
    expect(sheet(world)).toMatchObject({ does: 'goes', says: `is made anew on ${other!.metadata.name}` });
    const shut = World.restore(world.seed, world.save());
    must(world, empty([from]));
    world.runSettled();
    expect(nodeOf(world, 'bookings-0')).toBe(other!.metadata.name);
    must(shut, asManifest({ ...other!, spec: { ...other!.spec, unschedulable: true } }));
    expect(sheet(shut).does).toBe('strands');
    expect(sheet(shut).says).toMatch(/^5 other nodes: 4 .*, 1 cordoned$/);
    must(shut, empty([from]));
    shut.runSettled();
    expect(shut.store.get('Pod', 'tickets', 'bookings-0')!.spec.nodeName).toBeUndefined();
  });

  it('each finds its place beside those before it; claims of its own are made anew; one that finds none keeps back whom its budget means; who tolerates all comes back', () => {
    const image = 'shelf.standin.example/tools/t:1';
    const maker = (name: string, count: number, more: string, cpu: string) =>
      `apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: ${name}, namespace: default}\nspec: {replicas: ${count}, selector: {matchLabels: {app: ${name}}}, template: {metadata: {labels: {app: ${name}}}, spec: {${more}containers: [{name: m, image: "${image}", resources: {requests: {cpu: "${cpu}"}}}]}}}\n---\n`;
    const on = 'nodeSelector: {kubernetes.io/hostname: w-a-1}, ';
    const own =
      'volumes: [{name: o, ephemeral: {volumeClaimTemplate: {spec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 1Gi}}}}}}], ';
    const budget =
      'apiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: guard, namespace: default}\nspec: {maxUnavailable: 1, selector: {matchLabels: {app: kept}}}\n---\n';
    const filled = (zones: readonly string[]) =>
      zones.map((zone) => maker(`full-${zone}`, 1, `nodeSelector: {kubernetes.io/hostname: w-${zone}-1}, `, '4')).join('');
    const world = roomy({ nodes: 1, cpu: '8' });
    must(world, ...read(`${filled(['b', 'c'])}${maker('own', 1, own, '100m')}${budget}${maker('kept', 2, on, '100m')}`));
    world.runSettled();
    // All of them stand on w-a-1, the roomiest by then; two that need 3 CPU each: w-b-1 and w-c-1 take one each, of three.
    must(world, ...read(maker('wide', 3, 'tolerations: [{key: a, operator: Exists}], ', '2500m')));
    world.runSettled();
    must(world, ...read(maker('bears', 1, `tolerations: [{operator: Exists}], ${on}`, '100m')));
    world.runSettled();
    const standing = world.store.podsOn('w-a-1');
    const sheet = emptyingSheet(world.store, 'w-a-1', false).filter((one) => one.namespace === 'default');
    const of = (app: string) => sheet.filter(({ name }) => name.startsWith(`${app}-`)).map(({ does, says }) => `${does}: ${says}`);
    const counted = (app: string) => standing.filter((one) => one.metadata.labels?.app === app).length;
    expect([counted('own'), counted('kept'), counted('bears')]).toEqual([1, 2, 1]);
    expect(of('own')).toEqual(['goes: is made anew on w-b-1 or w-c-1']);
    expect(of('kept')).toEqual([
      'strands: 2 other nodes: 2 not asked for by the pod',
      expect.stringMatching(/^waits: the budget guard lets nobody go while kept-\S+ finds no place$/)
    ]);
    expect(of('bears')).toEqual(['stays: tolerates that w-a-1 is closed, and comes back to it']);
    must(world, empty(['w-a-1']));
    world.runUntil(world.nowMs + 120_000);
    const now = (app: string) =>
      world.store.list('Pod', 'default').filter(({ metadata }) => metadata.labels?.app === app && !metadata.deletionTimestamp);
    expect(now('own').map((one) => isReady(one))).toEqual([true]);
    expect(
      now('kept')
        .map((one) => one.spec.nodeName ?? '-')
        .sort()
    ).toEqual(['-', 'w-a-1']);
    expect(now('bears').map((one) => one.spec.nodeName)).toEqual(['w-a-1']);
    expect(of('wide').length).toBe(counted('wide'));
    const stranded = of('wide').filter((one) => one.startsWith('strands')).length;
    expect(now('wide').filter((one) => one.spec.nodeName === undefined)).toHaveLength(stranded);
  });

  it('one that would not be let in again finds no place, and comes by the template that its set has by now; budgets of one name are told apart by namespace', () => {
    const image = 'shelf.standin.example/tools/t:1';
    const set = (namespace: string, cpu: string) =>
      `apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: a, namespace: ${namespace}}\nspec: {replicas: 2, serviceName: a, updateStrategy: {type: OnDelete}, selector: {matchLabels: {app: a}}, template: {metadata: {labels: {app: a}}, spec: {nodeSelector: {topology.kubernetes.io/zone: a}, containers: [{name: m, image: "${image}", resources: {requests: {cpu: "${cpu}"}}}]}}}\n---\napiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: guard, namespace: ${namespace}}\nspec: {maxUnavailable: 2, selector: {matchLabels: {app: a}}}\n---\n`;
    const world = roomy({ nodes: 2, cpu: '4' });
    must(
      world,
      ...read('apiVersion: v1\nkind: Namespace\nmetadata: {name: one}\n---\napiVersion: v1\nkind: Namespace\nmetadata: {name: two}\n')
    );
    must(world, ...read(`${set('one', '100m')}${set('two', '100m')}`));
    world.runSettled();
    const lines = () =>
      emptyingSheet(world.store, 'w-a-1', false)
        .filter(({ namespace }) => namespace === 'one' || namespace === 'two')
        .map(({ namespace, name, does, says }) => `${namespace}/${name} ${does}: ${says}`)
        .sort();
    expect(lines().every((one) => one.endsWith('goes: is made anew on w-a-2'))).toBe(true);
    // Nobody starts anew for it, but whoever is made anew asks for it.
    must(world, ...read(set('two', '3900m')));
    must(world, ...read('apiVersion: v1\nkind: ResourceQuota\nmetadata: {name: q, namespace: one}\nspec: {hard: {pods: "1"}}\n'));
    world.runSettled();
    const said = lines();
    expect(said.filter((one) => one.startsWith('one/'))).toEqual([
      expect.stringMatching(/^one\/a-\d strands: can't be made anew: the quota q is exceeded: 1 of pods asked for, 1 used, 1 allowed$/)
    ]);
    expect(said.filter((one) => one.startsWith('two/'))).toEqual([
      expect.stringMatching(/^two\/a-\d strands: .*without the CPU asked for/)
    ]);
    must(world, empty(['w-a-1']));
    world.runUntil(world.nowMs + 120_000);
    for (const space of ['one', 'two'])
      expect(
        world.store.list('Pod', space).filter((one) => one.spec.nodeName),
        space
      ).toHaveLength(1);
  });

  it('whatever is emptied and opened again, in whatever order: never more away than the budget allows, and nothing is lost', () => {
    const step = fc.oneof(
      fc.record({ do: fc.constant('empty' as const), nodes: fc.uniqueArray(fc.integer({ min: 0, max: 5 }), { maxLength: 4 }) }),
      fc.record({ do: fc.constant('open' as const) }),
      fc.record({ do: fc.constant('run' as const), ms: fc.integer({ min: 1_000, max: 90_000 }) })
    );
    const start = roomy();
    must(start, ...answered('multi-primary-sql'));
    start.runSettled();
    expect(ask(start, 'tickets', 'bookings', { do: 'write', key: 'kept', value: 'yes' }).outcome).toBe('acknowledged');
    const saved = start.save();
    fc.assert(
      fc.property(fc.array(step, { minLength: 2, maxLength: 7 }), (steps) => {
        const world = World.restore(start.seed, saved);
        const nodes = world.store.list('Node').map((one) => one.metadata.name);
        const budget = () => world.store.get('PodDisruptionBudget', 'tickets', 'bookings')!.status!;
        const run = (untilMs: number) => {
          while (world.nextMs !== undefined && world.nextMs <= untilMs) {
            world.runUntil(world.nextMs);
            expect(ready(world)).toBeGreaterThanOrEqual(2);
            expect(budget().disruptionsAllowed).toBeGreaterThanOrEqual(0);
          }
        };
        for (const one of steps) {
          if (one.do === 'empty') must(world, empty(one.nodes.map((i) => nodes[i]!)));
          else if (one.do === 'open' && world.store.get('Emptying', '', 'work'))
            remove(world, { kind: 'Emptying', namespace: '', name: 'work' });
          else if (one.do === 'run') run(world.nowMs + one.ms);
        }
        if (world.store.get('Emptying', '', 'work')) remove(world, { kind: 'Emptying', namespace: '', name: 'work' });
        run(world.nowMs + 600_000);
        expect(ready(world)).toBe(3);
        expect(world.store.list('Node').some((one) => one.spec?.unschedulable)).toBe(false);
        for (const member of ['bookings-0', 'bookings-1', 'bookings-2'])
          expect(ask(world, 'tickets', 'bookings', { do: 'read', key: 'kept' }, { member }).rows).toEqual([['kept', 'yes']]);
      }),
      { numRuns: 25, seed: 11 }
    );
  });

  it('says of everybody who stays why: a budget that lets nobody go, a directory that would be lost, a pod that nobody makes anew', () => {
    const world = roomy();
    must(
      world,
      ...answered('multi-primary-sql').map((one) =>
        one.kind === 'PodDisruptionBudget' ? { ...one, spec: { ...one.spec, maxUnavailable: 0 } } : one
      )
    );
    world.runSettled();
    const node = nodeOf(world, 'bookings-0');
    const at = `nodeName: ${node}`;
    must(
      world,
      ...read(`apiVersion: v1
kind: Pod
metadata: {name: alone, namespace: tickets}
spec: {${at}, containers: [{name: tool, image: shelf.standin.example/tools/look:1}]}
---
apiVersion: apps/v1
kind: Deployment
metadata: {name: desk, namespace: tickets}
spec:
  selector: {matchLabels: {app: desk}}
  template:
    metadata: {labels: {app: desk}}
    spec:
      nodeSelector: {kubernetes.io/hostname: ${node}}
      containers: [{name: desk, image: shelf.standin.example/tools/desk:1}]
      volumes: [{name: scratch, emptyDir: {}}]
`)
    );
    world.runSettled();
    must(world, empty([node]));
    world.runUntil(world.nowMs + 60_000);
    const waits = () =>
      world.store
        .get('Emptying', '', 'work')!
        .status!.waits.map((one) => [one.name.replace(/^desk-.*/, 'desk'), one.says] as const)
        .sort();
    expect(waits()).toEqual([
      ['alone', 'nobody would make it anew; take it away by hand'],
      ['bookings-0', 'the budget bookings lets nobody go: 3 ready, 3 have to be'],
      ['desk', 'what is in its directory scratch would be lost']
    ]);
    must(world, empty([node], true));
    world.runUntil(world.nowMs + 60_000);
    expect(waits().map(([name]) => name)).toEqual(['alone', 'bookings-0']);
    expect(ready(world)).toBeGreaterThanOrEqual(3);
  });
});
