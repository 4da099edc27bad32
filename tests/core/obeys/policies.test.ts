/* Who may call whom. Source: the cluster API's "Network Policies", NetworkPolicySpec v1 networking.k8s.io. */
import { expect, test } from 'vitest';
import { isReady } from '$core/model';
import { wayFault, type World } from '$core/standin';
import { bookings, firstBreak, mend, mendedSouth, send } from '../help';

const policy = (name: string, spec: string, space = 'tickets') =>
  `apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nmetadata: {name: ${name}, namespace: ${space}}\nspec: {${spec}}\n---\n`;
const member = (world: World, n: number) => world.store.get('Pod', 'tickets', `bookings-${n}`)!;
const readyOnes = (world: World) => [0, 1, 2].filter((n) => isReady(member(world, n))).length;
const asks = (world: World, way: 'inside' | 'outside' | 'tunnel' = 'inside') => wayFault(world.store, member(world, 0), way);

test('a policy that lets nobody in keeps members apart; the root line names it, and its remedy brings them together again', () => {
  const world = mendedSouth();
  expect(readyOnes(world)).toBe(3);
  send(world, policy('nobody', 'podSelector: {}'));
  world.runUntil(world.nowMs + 120_000);
  expect(readyOnes(world)).toBeLessThan(2);
  const broken = [0, 1, 2].map((n) => firstBreak(world, bookings(n))).find((one) => one)!;
  expect(broken.says).toMatch(/may not call bookings-\d at port 711[12]: no rule of the network policy nobody lets it in/);
  expect(broken.objects).toContainEqual({ kind: 'NetworkPolicy', namespace: 'tickets', name: 'nobody' });
  const which = [0, 1, 2].find((n) => firstBreak(world, bookings(n)))!;
  mend(world, bookings(which));
  world.runUntil(world.nowMs + 300_000);
  expect(readyOnes(world)).toBe(3);
  // Its clients are still kept out.
  expect(asks(world)).toContain('a pod without labels in the same namespace may not call bookings-0 at port 7110');
});

test('who is let in: by labels, namespaces, ports by number, name and range, and addresses', () => {
  const world = mendedSouth();
  const labels = JSON.stringify(member(world, 0).metadata.labels);
  const only = (rule: string) => {
    send(world, policy('some', `podSelector: {matchLabels: ${labels}}, policyTypes: [Ingress], ingress: [${rule}]`));
    return asks(world);
  };
  expect(only('{from: [{podSelector: {}}]}')).toBeUndefined();
  expect(only('{from: [{podSelector: {matchLabels: {app: desk}}}]}')).toContain('lets it in');
  expect(only('{from: [{namespaceSelector: {}}]}')).toBeUndefined();
  expect(only('{from: [{namespaceSelector: {matchLabels: {kubernetes.io/metadata.name: other}}}]}')).toContain('lets it in');
  expect(only('{ports: [{port: 7110}]}')).toBeUndefined();
  expect(only('{ports: [{port: 7110, protocol: UDP}]}')).toContain('lets it in');
  expect(only('{ports: [{port: 7000, endPort: 7109}]}')).toContain('lets it in');
  expect(only('{ports: [{port: 7000, endPort: 7110}]}')).toBeUndefined();
  expect(only('{from: [{ipBlock: {cidr: 0.0.0.0/0}}]}')).toContain('lets it in');
  expect(only('{}')).toBeUndefined();
  // Policies add up: one that lets in is enough.
  send(world, policy('nobody', 'podSelector: {}, policyTypes: [Ingress]'));
  expect(asks(world)).toBeUndefined();
});

test('what may go out is ruled where the caller stands, and a policy elsewhere rules nothing here', () => {
  const world = mendedSouth();
  send(world, policy('out', 'podSelector: {}, policyTypes: [Egress]'));
  expect(asks(world)).toContain('no rule of the network policy out lets it out');
  world.act({ type: 'remove', ref: { kind: 'NetworkPolicy', namespace: 'tickets', name: 'out' } });
  send(world, policy('elsewhere', 'podSelector: {}', 'default'));
  expect(asks(world)).toBeUndefined();
});

test('a service without a selector leads where a slice written by hand says', () => {
  const world = mendedSouth();
  for (const one of world.store.list('Service', 'tickets'))
    world.act({ type: 'remove', ref: { kind: 'Service', namespace: 'tickets', name: one.metadata.name } });
  expect(asks(world)).toBe('no service leads to bookings-0');
  send(
    world,
    `apiVersion: v1\nkind: Service\nmetadata: {name: hand, namespace: tickets}\nspec: {ports: [{name: sql, port: 7110}]}\n---\napiVersion: discovery.k8s.io/v1\nkind: EndpointSlice\nmetadata: {name: hand-1, namespace: tickets, labels: {kubernetes.io/service-name: hand}}\naddressType: IPv4\nendpoints: [{addresses: [${member(world, 0).status!.podIP}]}]\nports: [{name: sql, port: 7110}]\n`
  );
  expect(asks(world)).toBeUndefined();
  expect(wayFault(world.store, member(world, 1), 'inside')).toBe('no service leads to bookings-1');
});
