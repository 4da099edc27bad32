import { describe, expect, it } from 'vitest';
import { isReady, type ApiObject } from '$core/model';
import { podsIn } from '$core/proofs';
import { rootLine } from '$core/rootline';
import type { World } from '$core/standin';
import { objects as read } from '../help';
import { answered, ask, must, remove, roomy } from '../roomy';

/** Names of pods in the order in which they became ready, or went, since a change of the journal. */
const order = (world: World, from: number, what: 'ready' | 'gone') =>
  world.journal.changes.slice(from).flatMap(({ before, after }) => {
    if ((before ?? after)!.kind !== 'Pod') return [];
    const [was, is] = [before as never, after as never];
    if (what === 'gone') return after ? [] : [before!.metadata.name];
    return after && isReady(is) && !(before && isReady(was)) ? [after.metadata.name] : [];
  });

describe('workloads in their world', () => {
  it('coordinators, then brokers, then the helper, each in order; and the reverse when it rests; awake again with its messages', () => {
    const world = roomy();
    const from = world.journal.changes.length;
    must(world, ...answered('log-broker'));
    world.runSettled();
    const up = order(world, from, 'ready').filter((one) => one.startsWith('boarding'));
    const parts = ['boarding-coord-0', 'boarding-coord-1', 'boarding-coord-2', 'boarding-0', 'boarding-1', 'boarding-2'];
    expect(up.slice(0, 6)).toEqual(parts);
    expect(up[6]).toMatch(/^boarding-helper-/);
    expect(ask(world, 'events', 'boarding', { do: 'produce', place: 'gate-scans', value: 'ticket 1187' }).outcome).toBe('acknowledged');
    const resting = world.journal.changes.length;
    must(world, {
      apiVersion: 'standin.example/v1',
      kind: 'Rest',
      metadata: { name: 'boarding', namespace: 'events' },
      spec: { workload: 'boarding' }
    });
    world.runSettled();
    const down = order(world, resting, 'gone');
    expect(down[0]).toMatch(/^boarding-helper-/);
    expect(down.slice(1)).toEqual(['boarding-2', 'boarding-1', 'boarding-0', 'boarding-coord-2', 'boarding-coord-1', 'boarding-coord-0']);
    expect(world.store.get('Rest', 'events', 'boarding')!.status!.stage).toBe('at rest');
    const waking = world.journal.changes.length;
    remove(world, { kind: 'Rest', namespace: 'events', name: 'boarding' });
    world.runSettled();
    expect(order(world, waking, 'ready').slice(0, 6)).toEqual(parts);
    expect(ask(world, 'events', 'boarding', { do: 'consume', place: 'gate-scans', from: 'beginning' }).rows).toEqual([
      [expect.any(String), 'ticket 1187']
    ]);
  });

  it('a multi-primary cluster that lost power whole is founded again by the member that was furthest, and by no other', () => {
    const world = roomy();
    must(world, ...answered('multi-primary-sql'));
    world.runSettled();
    const nodeOf = (name: string) => world.store.get('Pod', 'tickets', name)!.spec.nodeName!;
    const dark = (nodes: string[]) =>
      must(world, { apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: 'o' }, spec: { dark: nodes } });
    // bookings-0 is away for the last writes, then all of them are.
    dark([nodeOf('bookings-0')]);
    world.runUntil(world.nowMs + 20_000);
    for (const key of ['late-1', 'late-2'])
      expect(ask(world, 'tickets', 'bookings', { do: 'write', key, value: key }, { member: 'bookings-1' }).outcome).toBe('acknowledged');
    dark([0, 1, 2].map((i) => nodeOf(`bookings-${i}`)));
    world.runUntil(world.nowMs + 20_000);
    const before = world.lines.length;
    remove(world, { kind: 'Outage', namespace: '', name: 'o' });
    world.runSettled();
    const leads = world.lines.slice(before).filter((one) => one.text.startsWith('leads from here on'));
    expect(leads.length).toBeGreaterThan(0);
    expect(leads.every((one) => one.subject !== 'Pod tickets/bookings-0')).toBe(true);
    expect(podsIn(world.store, { namespace: 'tickets', name: 'bookings' }).every(isReady)).toBe(true);
    for (const member of ['bookings-0', 'bookings-1', 'bookings-2'])
      expect(ask(world, 'tickets', 'bookings', { do: 'read', key: 'late-2' }, { member }).rows).toEqual([['late-2', 'late-2']]);
  });

  it('the agent on every node: one file for all, mounted again after a restart; without privileges refused, traced and mended', () => {
    const world = roomy();
    const objects = answered('shared-files', { users: 'nodes' });
    const weak = objects.map((one) =>
      one.kind === 'DaemonSet' ? (JSON.parse(JSON.stringify(one).replace('"privileged":true', '"privileged":false')) as ApiObject) : one
    );
    must(world, ...weak);
    world.runSettled();
    const agents = () => podsIn(world.store, { namespace: 'charts', name: 'chartroom' });
    expect(agents()).toHaveLength(6);
    const line = rootLine(world.store, { kind: 'Pod', namespace: 'charts', name: agents()[0]!.metadata.name })!;
    const broken = line.joints.find((one) => one.state === 'broken')!;
    expect(broken).toMatchObject({ joint: 'ready', says: expect.stringContaining('not privileged') });
    must(world, ...broken.remedy!.manifests!);
    world.runSettled();
    const [first, ...others] = agents().map((one) => one.metadata.name);
    expect(agents().every(isReady)).toBe(true);
    ask(world, 'charts', 'chartroom', { do: 'write', key: 'north.txt', value: 'depth 14' }, { member: first! });
    const lists = (member: string) => ask(world, 'charts', 'chartroom', { do: 'list' }, { member }).rows;
    for (const member of others) expect(lists(member)).toEqual([['north.txt', '8 bytes']]);
    const node = agents()[0]!.spec.nodeName!;
    must(world, { apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: 'o' }, spec: { dark: [node] } });
    world.runUntil(world.nowMs + 20_000);
    remove(world, { kind: 'Outage', namespace: '', name: 'o' });
    world.runSettled();
    expect(lists(first!)).toEqual([['north.txt', '8 bytes']]);
    expect(world.lines.filter((one) => one.subject.endsWith(first!) && one.text.startsWith('has mounted')).length).toBe(2);
  });

  it('an inside-only service is reached from outside by a tunnel, while it stands', () => {
    const world = roomy();
    must(world, ...answered('time-series'));
    world.runSettled();
    ask(world, 'gauges', 'tides', { do: 'make-table', place: 'readings' });
    const reach = (way: 'outside' | 'tunnel') => ask(world, 'gauges', 'tides', { do: 'query', place: 'readings' }, { way });
    expect([reach('outside'), reach('tunnel')].map((one) => one.outcome)).toEqual(['refused', 'refused']);
    must(world, {
      apiVersion: 'standin.example/v1',
      kind: 'Tunnel',
      metadata: { name: 't', namespace: 'gauges' },
      spec: { service: 'tides-sql' }
    });
    expect([reach('outside'), reach('tunnel')].map((one) => one.outcome)).toEqual(['refused', 'acknowledged']);
    remove(world, { kind: 'Tunnel', namespace: 'gauges', name: 't' });
    expect(reach('tunnel')).toMatchObject({ outcome: 'refused', says: 'no tunnel stands' });
  });

  it('a node that is lost: not ready after 40 s, its pods marked after 300 s more, no second one before it is back or given up', () => {
    const world = roomy();
    must(world, ...answered('multi-primary-sql'));
    world.runSettled();
    const pod = () => world.store.get('Pod', 'tickets', 'bookings-2');
    const [uid, node] = [pod()!.metadata.uid, pod()!.spec.nodeName!];
    const lostMs = world.nowMs;
    must(world, { apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: 'o' }, spec: { dark: [node] } });
    const ready = () => world.store.get('Node', '', node)!.status!.conditions!.find((one) => one.type === 'Ready')!.status;
    world.runUntil(lostMs + 39_000);
    expect(ready()).toBe('True');
    world.runUntil(lostMs + 41_000);
    expect(ready()).toBe('Unknown');
    world.runUntil(lostMs + 339_000);
    expect(pod()!.metadata.deletionTimestamp).toBeUndefined();
    world.runUntil(lostMs + 342_000);
    expect(pod()!.metadata.deletionTimestamp).toBeDefined();
    world.runUntil(lostMs + 3_600_000);
    expect(pod()!.metadata.uid).toBe(uid);
    const object = world.store.get('Node', '', node)!;
    must(world, {
      ...object,
      spec: { ...object.spec, taints: [...(object.spec?.taints ?? []), { key: 'node.kubernetes.io/out-of-service', effect: 'NoExecute' }] }
    });
    world.runSettled();
    expect(pod()!.metadata.uid).not.toBe(uid);
    expect(pod()!.spec.nodeName).not.toBe(node);
    expect(isReady(pod())).toBe(true);
  });

  it('a certificate that lacks a name keeps its member out; the remedy that is sent lets it in', () => {
    const world = roomy();
    const objects = answered('document-set').map((one) =>
      one.kind === 'Certificate'
        ? { ...one, spec: { ...one.spec, names: one.spec.names.filter((name) => !name.startsWith('crew-1.')) } }
        : one
    );
    must(world, ...objects);
    world.runSettled();
    const line = rootLine(world.store, { kind: 'Pod', namespace: 'people', name: 'crew-1' })!;
    const broken = line.joints.find((one) => one.state === 'broken')!;
    expect(broken.says).toContain("doesn't carry the name crew-1.crew.people.svc.cluster.local");
    must(world, ...broken.remedy!.manifests!);
    world.runSettled();
    expect(podsIn(world.store, { namespace: 'people', name: 'crew' }).filter(isReady)).toHaveLength(3);
  });
});

describe('where members stand, and how many may be away', () => {
  const spread = (zone: string) =>
    `topologySpreadConstraints: [{maxSkew: 1, topologyKey: topology.kubernetes.io/zone, whenUnsatisfiable: DoNotSchedule, labelSelector: {matchLabels: {app: even}}}]${zone}`;
  const set = (replicas: number, more = '') =>
    read(`
apiVersion: apps/v1
kind: StatefulSet
metadata: {name: even, namespace: default}
spec:
  replicas: ${replicas}
  podManagementPolicy: Parallel
  serviceName: even
  selector: {matchLabels: {app: even}}
  template:
    metadata: {labels: {app: even}}
    spec:
      ${spread(more)}
      containers: [{name: main, image: shelf.standin.example/tools/even:1, resources: {requests: {cpu: 100m, memory: 64Mi}}}]
---
apiVersion: policy/v1
kind: PodDisruptionBudget
metadata: {name: even, namespace: default}
spec: {minAvailable: "60%", selector: {matchLabels: {app: even}}}
`);

  it('no zone gets more than one member more than another; with a zone closed the rest wait, and say why', () => {
    const world = roomy();
    must(world, ...set(6));
    world.runSettled();
    const zoneCounts = () => {
      const counts = new Map<string, number>();
      for (const pod of world.store.list('Pod', 'default')) {
        const zone = world.store.get('Node', '', pod.spec.nodeName ?? '')?.metadata.labels?.['topology.kubernetes.io/zone'] ?? 'nowhere';
        counts.set(zone, (counts.get(zone) ?? 0) + 1);
      }
      return Object.fromEntries(counts);
    };
    expect(zoneCounts()).toEqual({ a: 2, b: 2, c: 2 });
    // 60 % of six, rounded up, is four.
    expect(world.store.get('PodDisruptionBudget', 'default', 'even')!.status).toEqual({
      currentHealthy: 6,
      desiredHealthy: 4,
      expectedPods: 6,
      disruptionsAllowed: 2
    });
    for (const node of world.store.list('Node').filter((one) => one.metadata.name.startsWith('w-c')))
      must(world, { ...node, spec: { ...node.spec, unschedulable: true } });
    must(world, ...set(9));
    world.runSettled();
    expect(zoneCounts()).toEqual({ a: 3, b: 3, c: 2, nowhere: 1 });
    const waits = world.store.list('Pod', 'default').find((one) => !one.spec.nodeName)!;
    expect(JSON.stringify(waits.status!.conditions)).toContain('than the spread allows');
  });
});
