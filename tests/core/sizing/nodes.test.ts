import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { nodeFit, readNodesAsk, readPrices, takenNodes, type NodesAsked, type Prices } from '$core/sizing';
import { askOf, roomOf, type ApiObject } from '$core/model';
import { objects } from '../help';
import { answered, must, roomy } from '../roomy';
import { rounds } from '../../rounds';
import { solveNodes, firstNodes } from '$core/sizing/nodes/solve';

type Members = NodesAsked['members'][number];
type Kind = NodesAsked['nodes'][number];
const kind = (name: string, room: number[], more: Partial<Kind> = {}): Kind => ({ name, room, most: Infinity, price: undefined, ...more });
const ask = (members: readonly Members[], nodes: readonly Kind[], more: Partial<NodesAsked> = {}): NodesAsked => ({
  members,
  nodes,
  zones: 1,
  by: 'nodes',
  ...more
});
const one = (name: string, count: number, size: number[], apart: Members['apart'] = 'no'): Members => ({ name, count, size, apart });

/** What a packing breaks: room, keeping apart, even zones, what can be had, or who is missing. */
function broken({ members, nodes, zones }: NodesAsked, { nodes: packed, left }: Awaited<ReturnType<typeof solveNodes>>): string[] {
  const says: string[] = [];
  packed.forEach(({ kind: k, holds }, n) =>
    nodes[k]!.room.forEach((room, d) => {
      if (holds.reduce((sum, count, i) => sum + count * members[i]!.size[d]!, 0) > room) says.push(`node ${n} is over full`);
    })
  );
  members.forEach(({ name, count, apart }, i) => {
    const placed = packed.reduce((sum, node) => sum + node.holds[i]!, 0);
    if (placed + left[i]! !== count) says.push(`${name}: ${placed} and ${left[i]} of ${count}`);
    if ((apart === 'nodes' || apart === 'both') && packed.some((node) => node.holds[i]! > 1)) says.push(`${name} share a node`);
    if ((apart === 'zones' || apart === 'both') && !left[i]) {
      const each = Array.from({ length: zones }, (_, z) =>
        packed.filter((node) => node.zone === z).reduce((sum, node) => sum + node.holds[i]!, 0)
      );
      if (Math.max(...each) - Math.min(...each) > 1) says.push(`${name} lean to a zone: ${each.join()}`);
    }
  });
  nodes.forEach((one, k) => {
    if (packed.filter((node) => node.kind === k).length > one.most) says.push(`too many of ${one.name}`);
  });
  return says;
}

/** The least cost by trying everything: each member on each node that is there, or on a new one of each kind in each zone. */
function leastOf({ members, nodes, zones, by }: NodesAsked): number {
  const all = members.flatMap((two, i) => Array.from({ length: two.count }, () => i));
  const free: { kind: number; zone: number; room: number[]; has: number[] }[] = [];
  let best = Infinity;
  const even = () =>
    members.every((two, i) => {
      if (two.apart !== 'zones' && two.apart !== 'both') return true;
      const each = Array.from({ length: zones }, (_, z) =>
        free.filter((node) => node.zone === z).reduce((sum, node) => sum + node.has[i]!, 0)
      );
      return Math.max(...each) - Math.min(...each) <= 1;
    });
  const go = (at: number, cost: number): void => {
    if (cost >= best) return;
    if (at === all.length) {
      if (even()) best = cost;
      return;
    }
    const i = all[at]!;
    const { size, apart } = members[i]!;
    const lone = apart === 'nodes' || apart === 'both';
    const put = (node: (typeof free)[number], more: number) => {
      if (size.some((want, d) => want > node.room[d]!) || (lone && node.has[i]!)) return;
      size.forEach((want, d) => (node.room[d]! -= want));
      node.has[i]! += 1;
      go(at + 1, cost + more);
      node.has[i]! -= 1;
      size.forEach((want, d) => (node.room[d]! += want));
    };
    for (const node of [...free]) put(node, 0);
    nodes.forEach((two, k) => {
      if (free.filter((node) => node.kind === k).length >= two.most) return;
      for (let zone = 0; zone < zones; zone += 1) {
        const node = { kind: k, zone, room: [...two.room], has: members.map(() => 0) };
        free.push(node);
        put(node, by === 'price' ? two.price! : 1);
        free.pop();
      }
    });
  };
  go(0, 0);
  return best;
}

const drawer = (seed: number) => {
  let state = seed;
  return (from: number, to: number) => {
    state = (state * 1_103_515_245 + 12_345) % 2 ** 31;
    return from + Math.floor((state / 2 ** 31) * (to - from + 1));
  };
};

describe('members on nodes', () => {
  test('like trying everything, in nodes and in money; and no packing breaks a rule', { timeout: 60_000 }, async () => {
    const members = fc.array(
      fc.record({
        count: fc.integer({ min: 1, max: 3 }),
        size: fc.tuple(fc.integer({ min: 1, max: 9 }), fc.integer({ min: 1, max: 9 }), fc.integer({ min: 0, max: 2 }), fc.constant(0)),
        apart: fc.constantFrom('no', 'nodes', 'zones', 'both')
      }),
      { minLength: 1, maxLength: 3 }
    );
    const nodes = fc.array(
      fc.record({
        room: fc.tuple(fc.integer({ min: 6, max: 16 }), fc.integer({ min: 6, max: 16 }), fc.integer({ min: 1, max: 4 }), fc.constant(0)),
        most: fc.constantFrom(Infinity, Infinity, 2),
        price: fc.integer({ min: 3, max: 9 })
      }),
      { minLength: 1, maxLength: 2 }
    );
    await fc.assert(
      fc.asyncProperty(members, nodes, fc.integer({ min: 1, max: 2 }), fc.constantFrom('nodes', 'price'), async (m, n, zones, by) => {
        const asked = ask(
          m.map((two, i) => ({ ...two, name: `m${i}` }) as Members),
          n.map((two, i) => ({ ...two, name: `n${i}` }) as Kind),
          { zones, by: by as NodesAsked['by'] }
        );
        const solved = await solveNodes(asked);
        expect(broken(asked, solved)).toEqual([]);
        const least = leastOf(asked);
        const cost = solved.nodes.reduce((sum, node) => sum + (by === 'price' ? n[node.kind]!.price : 1), 0);
        if (least === Infinity) expect(solved.left.some((count) => count > 0)).toBe(true);
        else expect([solved.left.some((count) => count > 0), cost, solved.proven]).toEqual([false, least, true]);
        expect(solved.least).toBeLessThanOrEqual(least + 1e-9);
        // The picture at once breaks no rule either, and promises no more than is so.
        const first = firstNodes(asked);
        expect(broken(asked, first)).toEqual([]);
        if (first.left.every((count) => count === 0)) {
          const its = first.nodes.reduce((sum, node) => sum + (by === 'price' ? n[node.kind]!.price : 1), 0);
          expect([its >= least - 1e-9, first.least <= least + 1e-9, first.proven && its > least + 1e-9]).toEqual([true, true, false]);
          expect(first.first).toBe(its);
        } else expect(first.proven).toBe(false);
      }),
      { numRuns: rounds(60, 150), seed: 7 }
    );
  });

  test('written out: what is asked is read, or said where it is wrong', async () => {
    const cells = { count: '3', cpu: '500m', memory: '1.5Gi', slots: '', disk: '', apart: 'no' as const };
    const node = { cpu: '4', memory: '16Gi', slots: '8', disk: '', most: '', price: '' };
    const good = readNodesAsk({
      members: [{ name: 'a', ...cells }],
      nodes: [{ name: 'n', ...node, memory: '16777215Ki' }],
      zones: '3',
      by: 'nodes'
    });
    expect(good).toEqual({
      members: [{ name: 'a', count: 3, size: [500, 1536, 0, 0], apart: 'no' }],
      nodes: [{ name: 'n', room: [4000, 16383, 8, 0], most: Infinity, price: undefined }],
      zones: 3,
      by: 'nodes'
    });
    const endless = readNodesAsk({
      members: [{ name: 'a', ...cells, slots: '40' }],
      nodes: [{ name: 'n', ...node, slots: '' }],
      zones: '1',
      by: 'nodes'
    });
    const free = await nodeFit(endless as NodesAsked);
    expect([free.nodes, free.groups[0]!.fills.map((one) => one.want)]).toEqual([1, ['cpu', 'memory']]);
    const bad = readNodesAsk({
      members: [
        { name: 'a', ...cells, count: '-1', cpu: 'much' },
        { name: 'a', ...cells, memory: '-3Gi', slots: '1.5' },
        { name: 'b', ...cells, cpu: '1e60', memory: '1e60', disk: '2Pi' }
      ],
      nodes: [
        { name: 'n', ...node, most: 'few', price: '1e3' },
        { name: 'o', ...node, price: '9'.repeat(39) }
      ],
      zones: '0',
      by: 'price'
    });
    expect(Object.keys((bad as { faults: object }).faults).sort()).toEqual([
      'members.0.count',
      'members.0.cpu',
      'members.1.memory',
      'members.1.name',
      'members.1.slots',
      'members.2.cpu',
      'members.2.disk',
      'members.2.memory',
      'nodes.0.most',
      'nodes.0.price',
      'nodes.1.price',
      'zones'
    ]);
  });

  test('what blocks is named: a member that is too large, wants that no kind has at once, nodes that can not be had', async () => {
    const berth = kind('berth', [4000, 16_384, 2, 0]);
    const blocked = await nodeFit(ask([one('large', 2, [6000, 1024, 3, 0]), one('small', 1, [500, 512, 0, 0])], [berth]));
    expect(blocked.headline).toBe('2 of large find no place.');
    expect(blocked.blocks).toEqual([
      'One of large needs 6 of CPU, and the most that a node has is 4; 3 of slots, and the most that a node has is 2.'
    ]);
    expect(blocked.nodes).toBe(1);
    const wide = kind('wide', [8000, 4096, 2, 0]);
    const both = await nodeFit(ask([one('odd', 1, [6000, 8192, 0, 0])], [berth, wide]));
    expect(both.blocks).toEqual(['One of odd needs 6 of CPU and 8Gi of memory at once, and no kind of nodes has all of it.']);
    const few = await nodeFit(ask([one('apart', 5, [500, 512, 0, 0], 'nodes')], [{ ...berth, most: 3 }]));
    expect([few.headline, few.blocks, few.nodes]).toEqual([
      '2 of apart find no place.',
      ['Not more than 3 of berth can be had; 5 of berth would hold all.'],
      3
    ]);
  });

  test('by hand: five of 3 CPU and five of 1 on nodes of 4; a spare for each zone; what a zone less takes; each kind alone', async () => {
    const berth = kind('berth', [4000, 8192, 4, 0], { price: 50 });
    const quay = kind('quay', [16_000, 32_768, 4, 0], { price: 180 });
    const members = [one('three', 5, [3000, 1024, 1, 0]), one('lone', 5, [1000, 1024, 0, 0])];
    const plain = await nodeFit(ask(members, [berth]));
    expect([plain.headline, plain.price, plain.least, plain.proven]).toEqual([
      '5 nodes hold all 10 members, and no fewer do.',
      250,
      5,
      true
    ]);
    expect(plain.groups).toHaveLength(1);
    expect(plain.groups[0]).toMatchObject({
      times: 5,
      holds: [
        { name: 'three', count: 1 },
        { name: 'lone', count: 1 }
      ]
    });
    expect(plain.groups[0]!.fills.map((two) => two.text)).toEqual(['4 of 4', '2Gi of 8Gi', '1 of 4']);
    expect(plain.spare).toEqual({ nodes: 6, says: '1 more of berth, kept empty' });
    expect(plain.zoneless).toBeUndefined();
    // 20 CPU: two of the large kind for 360, or one of them (16 CPU, but four slots) and what is left on a small one: 230.
    const money = await nodeFit(ask(members, [berth, quay], { by: 'price' }));
    expect([money.price, money.headline]).toEqual([230, '2 nodes hold all 10 members, and nothing costs less.']);
    expect(money.alone.map(({ kind: name, nodes, least }) => [name, nodes, least])).toEqual([
      ['berth', 5, 5],
      ['quay', 2, 2]
    ]);
    const spread = await nodeFit(ask([one('spread', 6, [3000, 1024, 1, 0], 'both')], [berth], { zones: 3 }));
    expect(spread.groups.map((two) => [two.zone, two.times])).toEqual([
      [1, 2],
      [2, 2],
      [3, 2]
    ]);
    expect(spread.spare!.nodes).toBe(9);
    expect(spread.zoneless!.nodes).toBe(9);
    // Volumes stay in one of two zones: a spare in each, of the cheapest kind that takes what any node of it holds.
    const two = await nodeFit(ask([one('bound', 2, [1000, 1024, 1, 0], 'both')], [quay, berth], { zones: 2, by: 'price' }));
    expect([two.nodes, two.spare]).toEqual([
      2,
      { nodes: 4, says: '2 more of berth, kept empty, for volumes and an even spread keep members in their zone' }
    ]);
  });

  test('from what stands: requests, slots of volumes that are attached, and nodes less what the fullest of them gives its daemon sets', () => {
    const world = roomy({ nodes: 1 });
    must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
    must(world, ...answered('document-set', { namespace: 'space', name: 'one' }));
    must(
      world,
      ...objects(`apiVersion: apps/v1
kind: DaemonSet
metadata: {name: heavy, namespace: space}
spec:
  selector: {matchLabels: {app: heavy}}
  template:
    metadata: {labels: {app: heavy}}
    spec:
      nodeSelector: {topology.kubernetes.io/zone: a}
      containers: [{name: main, image: 'shelf.standin.example/tools/writer:r1', resources: {requests: {cpu: 700m, memory: 1Gi}}}]
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: pile, namespace: space}
spec: {accessModes: [ReadWriteMany], storageClassName: shared, resources: {requests: {storage: 1Gi}}}
---
apiVersion: apps/v1
kind: Deployment
metadata: {name: reader, namespace: space}
spec:
  replicas: 2
  selector: {matchLabels: {app: reader}}
  template:
    metadata: {labels: {app: reader}}
    spec:
      containers: [{name: main, image: 'shelf.standin.example/tools/writer:r1', volumeMounts: [{name: pile, mountPath: /pile}]}]
      volumes: [{name: pile, persistentVolumeClaim: {claimName: pile}}]
`)
    );
    world.runSettled();
    const found = takenNodes(world.store, undefined);
    if (typeof found === 'string') throw new Error(found);
    const [set] = world.store.list('StatefulSet');
    const rows = new Map(found.ask.members.map((row) => [row.name, row]));
    expect(rows.get('one')).toMatchObject({ count: String(set!.spec.replicas), slots: '1' });
    // Files over the network take no slot; and who asks for nothing is told.
    expect(rows.get('reader')).toEqual({ name: 'reader', count: '2', cpu: '0', memory: '0', slots: '0', disk: '', apart: 'no' });
    expect(found.not).toContain('what one of them would need, for they ask for nothing');
    expect(found.ask.nodes).toHaveLength(1);
    const least = Math.min(
      ...world.store.list('Node').map((node) => {
        const daemons = world.store
          .podsOn(node.metadata.name)
          .filter((pod) => pod.metadata.ownerReferences?.[0]?.kind === 'DaemonSet')
          .reduce((sum, pod) => sum + askOf(pod.spec).milliCpu, 0);
        return roomOf(node).milliCpu - daemons;
      })
    );
    expect(least).toBeLessThanOrEqual(roomOf(world.store.list('Node')[0]!).milliCpu - 700);
    expect(found.ask.nodes[0]!.cpu).toBe(`${least}m`);
    const alone = takenNodes(world.store, { namespace: 'space', name: 'reader' });
    expect(typeof alone === 'string' ? alone : alone.ask.members.map((row) => row.name)).toEqual(['reader']);
    expect(takenNodes(world.store, { namespace: 'space', name: 'nobody' })).toBe('there is no such workload');
  });

  test('prices of a list: of a kind of nodes that cost the same; none where they differ, or the list does not name them', () => {
    const world = roomy({ nodes: 1 });
    must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
    must(world, ...answered('document-set', { namespace: 'space', name: 'one' }));
    world.runSettled();
    const list = (nodes: string) =>
      readPrices(`apiVersion: standin.example/v1\nkind: PriceList\nmetadata: {name: l}\nspec: {unit: u, nodes: [${nodes}]}\n`) as Prices;
    const [first, ...others] = world.store.list('Node');
    const { cpu, memory } = first!.status!.capacity as { cpu: string; memory: string };
    const own = `{name: a, cpu: '${cpu}', memory: ${memory}, price: 84 per month}`;
    const taken = (prices: Prices) => takenNodes(world.store, undefined, prices) as Exclude<ReturnType<typeof takenNodes>, string>;
    expect(taken(list(own)).ask.nodes).toMatchObject([{ price: '84' }]);
    expect(taken(list(own)).not).not.toContain('prices');
    expect(taken(list('')).ask.nodes).toMatchObject([{ price: '' }]);
    expect(taken(list('')).not).toContain('prices of nodes that the list doesn’t name');
    // What they give is alike, and what they have is not.
    const larger = { ...first!.status!.capacity, cpu: String(Number(cpu) * 2) };
    must(world, { ...first!, status: { ...first!.status, capacity: larger } } as ApiObject);
    expect(others.length).toBeGreaterThan(0);
    expect(taken(list(`${own}, {name: b, cpu: '${larger.cpu}', memory: ${memory}, price: 99 per month}`)).ask.nodes).toMatchObject([
      { price: '' }
    ]);
  });

  test('those whose optimum is known: cut from full nodes, and triplets, which leave nothing over', { timeout: 120_000 }, async () => {
    let told = 0;
    for (let seed = 1; seed <= rounds(16, 50); seed += 1) {
      const draw = drawer(seed * 7_919);
      const members: Members[] = [];
      const nodes = seed % 2 ? 8 + (seed % 5) : 4 + (seed % 4);
      for (let n = 0; n < nodes; n += 1) {
        // Triplets: Falkenauer 1996, a rule for instances where three of 250 to 499 fill each bin of 1000.
        if (seed % 2) {
          const a = draw(380, 490);
          const b = draw(250, Math.floor((1_000 - a) / 2));
          for (const size of [a, b, 1_000 - a - b]) members.push(one(`t${members.length}`, 1, [size, 0, 0, 0]));
        } else {
          let [cpu, memory] = [1_000, 1_000];
          for (let part = 0; part < 4; part += 1) {
            const [c, m] = part === 3 ? [cpu, memory] : [draw(1, Math.floor(cpu / 2)), draw(1, Math.floor(memory / 2))];
            members.push(one(`c${members.length}`, 1, [c, m, 0, 0]));
            [cpu, memory] = [cpu - c, memory - m];
          }
        }
      }
      const asked = ask(members, [kind('n', [1_000, 1_000, 0, 0])]);
      const solved = await solveNodes(asked);
      expect(broken(asked, solved), `seed ${seed}`).toEqual([]);
      expect(solved.least, `seed ${seed}`).toBe(nodes);
      if (solved.nodes.length === nodes && solved.proven) told += 1;
    }
    expect(told).toBe(rounds(16, 50));
  });
});
