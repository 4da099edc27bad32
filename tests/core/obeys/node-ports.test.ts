/* Ports on nodes. Sources: the cluster API's "Service", type NodePort (range 30000 to 32767, its lower part left to who asks) and LoadBalancer. */
import { expect, test } from 'vitest';
import { mendedSouth } from '../help';
import { objects, send } from './help';
import { outsidePlaces, wayFault, type World } from '$core/standin';

const service = (name: string, type: string, ports = '{port: 7110}', more = '') =>
  `apiVersion: v1\nkind: Service\nmetadata: {name: ${name}, namespace: tickets}\nspec: {type: ${type}, selector: {app: bookings}, ports: [${ports}]${more}}\n---\n`;
const portsOf = (world: World, name: string) => world.store.get('Service', 'tickets', name)!.spec.ports!.map((one) => one.nodePort);

test('each port of a service that is reached from outside gets one on the nodes, unless a balancer needs none', () => {
  const world = mendedSouth();
  const two = '{name: a, port: 7110}, {name: b, port: 7111}';
  send(
    world,
    service('one', 'NodePort', two) +
      service('two', 'LoadBalancer') +
      service('none', 'LoadBalancer', '{port: 1}', ', allocateLoadBalancerNodePorts: false')
  );
  send(world, service('asked', 'NodePort', '{port: 7110, nodePort: 30010}') + service('inside', 'ClusterIP'));
  const handed = [...portsOf(world, 'one'), ...portsOf(world, 'two')] as number[];
  expect(new Set(handed).size).toBe(3);
  for (const one of handed) expect(one >= 30_086 && one <= 32_767).toBe(true);
  expect([portsOf(world, 'none'), portsOf(world, 'asked'), portsOf(world, 'inside')]).toEqual([[undefined], [30_010], [undefined]]);
  // Sent again they stay; without a way in from outside they are given back.
  send(world, service('one', 'NodePort', '{name: b, port: 7111}, {name: c, port: 7119}'));
  expect(portsOf(world, 'one')[0]).toBe(handed[1]);
  expect(portsOf(world, 'one')[1]).toBeGreaterThan(30_085);
  send(world, service('one', 'ClusterIP', '{port: 7110}'));
  expect(portsOf(world, 'one')).toEqual([undefined]);
});

test('a number that another of the batch asks for is not handed out, and one that is taken is refused', () => {
  const first = mendedSouth();
  send(first, service('a', 'NodePort'));
  const [drawn] = portsOf(first, 'a');
  const world = mendedSouth();
  send(world, service('a', 'NodePort') + service('b', 'NodePort', `{port: 7110, nodePort: ${drawn}}`));
  expect(portsOf(world, 'b')).toEqual([drawn]);
  expect(portsOf(world, 'a')).not.toEqual([drawn]);
  const [refused] = world.act({ type: 'send', objects: objects(service('c', 'NodePort', `{port: 7110, nodePort: ${drawn}}`)) });
  expect(refused).toMatchObject({ at: { field: 'spec.ports[0].nodePort' }, message: expect.stringContaining('tickets/b has') });
});

test('when no number is left nothing more is taken', () => {
  const world = mendedSouth();
  const many = (from: number, count: number) =>
    Array.from({ length: count }, (_, i) => `{name: p${from + i}, port: ${from + i}}`).join(', ');
  for (let i = 0; i < 4; i += 1) send(world, service(`s${i}`, 'NodePort', many(1_000 + i * 692, 692)));
  const all = [0, 1, 2, 3].flatMap((i) => portsOf(world, `s${i}`)) as number[];
  expect([new Set(all).size, Math.min(...all), Math.max(...all)]).toEqual([2_768, 30_000, 32_767]);
  const [refused] = world.act({ type: 'send', objects: objects(service('more', 'NodePort')) });
  expect(refused!.message).toContain('none is free');
  // What has its numbers is sent again as it was written; another protocol has numbers of its own.
  send(world, service('s0', 'NodePort', many(1_000, 692)));
  expect(portsOf(world, 's0')).toEqual(all.slice(0, 692));
  send(world, service('other', 'NodePort', '{port: 53, protocol: UDP}'));
  expect(portsOf(world, 'other')[0]).toBeGreaterThanOrEqual(30_000);
});

test('a batch that asks for more numbers than there are is refused as a whole', () => {
  const world = mendedSouth();
  const many = Array.from({ length: 692 }, (_, i) => `{name: p${i}, port: ${i + 1}}`).join(', ');
  const batch = [0, 1, 2, 3, 4].map((n) => service(`s${n}`, 'NodePort', many)).join('');
  expect(world.act({ type: 'send', objects: objects(batch) }).map((one) => one.at?.object)).toEqual(['Service tickets/s4']);
  expect(world.store.get('Service', 'tickets', 's0')).toBeUndefined();
});

test('callers outside come in by a port of any node that is heard of', () => {
  const world = mendedSouth();
  const bookings = world.store.get('Pod', 'tickets', 'bookings-0')!;
  expect(wayFault(world.store, bookings, 'outside')).toContain('no service of bookings-0 has an address outside');
  send(world, service('open', 'NodePort').replace('{app: bookings}', JSON.stringify(bookings.metadata.labels)));
  expect(wayFault(world.store, bookings, 'outside')).toBeUndefined();
  const open = world.store.get('Service', 'tickets', 'open')!;
  const address = world.store.nodes()[0]!.status!.addresses!.find((one) => one.type === 'InternalIP')!.address;
  expect(outsidePlaces(world.store, open)).toEqual([`${address}:${open.spec.ports![0]!.nodePort}`]);
});
