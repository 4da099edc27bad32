/* Programs that hang, members and clients that are cut off from each other, volumes without room. Sources: "Liveness, Readiness, and Startup Probes"; the rest is the stand-in's own. */
import { expect, test } from 'vitest';
import { isReady } from '$core/model';
import { wayFault, type World } from '$core/standin';
import { closed, mendedSouth } from '../help';
import { ask } from '../roomy';
import { eventsAbout, get, image, ready, remove, send, set } from './help';

const outage = (spec: string) => `apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: gone}\nspec: {${spec}}\n---\n`;
const over = (world: World) => world.act({ type: 'remove', ref: { kind: 'Outage', namespace: '', name: 'gone' } });
const member = (world: World, n: number) => world.store.get('Pod', 'tickets', `bookings-${n}`)!;
const hangs = (n: number) => outage(`hangs: [{namespace: tickets, pod: bookings-${n}}]`);
const write = (key: string) => ({ do: 'write', place: 'main', key, value: key });
const leader = (world: World) => world.store.get('Process', 'tickets', 'bookings-0')!.status!.leader!;

test('a program that hangs answers nobody and stands as it stood; the others go on, and what came for it waits until it goes on', () => {
  const world = closed(mendedSouth());
  // Nobody asks it: it counts as ready.
  const pod = member(world, 1);
  const containers = pod.spec.containers.map(({ readinessProbe: _, livenessProbe: _l, startupProbe: _s, ...rest }) => rest);
  world.put({ ...pod, spec: { ...pod.spec, containers } });
  send(world, hangs(1));
  world.runUntil(world.nowMs + 60_000);
  expect([isReady(member(world, 1)), isReady(member(world, 0)), isReady(member(world, 2))]).toEqual([true, true, true]);
  const asked = ask(world, 'tickets', 'bookings', { do: 'members' }, { member: 'bookings-1' });
  expect(asked).toMatchObject({ outcome: 'unknown' });
  expect(ask(world, 'tickets', 'bookings', write('while'), { member: 'bookings-0' }).outcome).toBe('acknowledged');
  over(world);
  world.runUntil(world.nowMs + 60_000);
  const read = ask(world, 'tickets', 'bookings', { do: 'read', place: 'main', key: 'while' }, { member: 'bookings-1' });
  expect(read.rows).toEqual([['while', 'while']]);
});

test('probes find a program that hangs: it is taken out of the service, and started again, after as many looks as they take', () => {
  const probe = (kind: string, period: number, fails: number) =>
    `${kind}: {tcpSocket: {port: 7110}, periodSeconds: ${period}, failureThreshold: ${fails}}`;
  const world = mendedSouth();
  const one = world.store.get('StatefulSet', 'tickets', 'bookings')!;
  const [container, ...rest] = one.spec.template.spec.containers;
  const tcp = (periodSeconds: number, failureThreshold: number) => ({ tcpSocket: { port: 7110 }, periodSeconds, failureThreshold });
  expect(probe('x', 1, 1)).toContain('7110');
  const { startupProbe: _, ...bare } = container!;
  const watched = { ...bare, readinessProbe: tcp(5, 2), livenessProbe: { ...tcp(10, 4), initialDelaySeconds: 200 } };
  world.put({
    ...one,
    spec: { ...one.spec, template: { ...one.spec.template, spec: { ...one.spec.template.spec, containers: [watched, ...rest] } } }
  });
  world.runSettled();
  const began = world.nowMs;
  send(world, hangs(0));
  const until = (ms: number) => world.runUntil(began + ms);
  until(9_000);
  expect(isReady(member(world, 0))).toBe(true);
  until(11_000);
  expect(isReady(member(world, 0))).toBe(false);
  until(39_000);
  expect(member(world, 0).status!.containerStatuses![0]!.restartCount).toBe(0);
  until(42_000);
  expect(member(world, 0).status!.containerStatuses![0]!.restartCount).toBe(1);
  expect(
    world.store
      .eventsOf({ kind: 'Pod', namespace: 'tickets', name: 'bookings-0' })
      .map((two) => two.message)
      .join()
  ).toContain('gets no answer');
  // Started again it doesn't hang any more, though the outage stands.
  until(400_000);
  expect([isReady(member(world, 0)), world.store.list('Outage').length]).toEqual([true, 1]);
});

test('a member that is cut off from the others steps back; one that clients are cut off from goes on among the members', () => {
  const world = mendedSouth();
  const first = leader(world);
  send(world, outage(`apart: [{namespace: tickets, pod: ${first}, from: members}]`));
  world.runUntil(world.nowMs + 60_000);
  expect(world.store.get('Process', 'tickets', first)!.status!.ready).toBe(false);
  const others = [0, 1, 2].map((n) => `bookings-${n}`).filter((name) => name !== first);
  expect(ask(world, 'tickets', 'bookings', write('a'), { member: others[0]! }).outcome).toBe('acknowledged');
  over(world);
  world.runUntil(world.nowMs + 120_000);
  expect([0, 1, 2].every((n) => isReady(member(world, n)))).toBe(true);
  const now = leader(world);
  send(world, outage(`apart: [{namespace: tickets, pod: ${now}, from: clients}]`));
  world.runUntil(world.nowMs + 60_000);
  expect([leader(world), world.store.get('Process', 'tickets', now)!.status!.ready]).toEqual([now, true]);
  expect(ask(world, 'tickets', 'bookings', write('b'), { member: now })).toMatchObject({
    outcome: 'refused',
    says: expect.stringContaining('cut off')
  });
  // Who names nobody is led to another.
  expect(ask(world, 'tickets', 'bookings', write('c'))).toMatchObject({ outcome: 'acknowledged' });
  expect(wayFault(world.store, member(world, 0), 'inside')).toBeUndefined();
});

test('a volume without room ends its member until somebody makes some', () => {
  const world = ready();
  send(world, set());
  world.runSettled();
  send(world, outage('full: [{namespace: space, claim: d-s-1}]'));
  world.runUntil(world.nowMs + 30_000);
  expect(get(world, 'Pod', 's-1')!.status!.containerStatuses![0]!.state!.waiting?.reason).toBe('CrashLoopBackOff');
  expect(eventsAbout(world, 'Pod', 's-1').join()).toContain('no space left on device: the volume of d-s-1 is full');
  expect(isReady(get(world, 'Pod', 's-0')!)).toBe(true);
  over(world);
  world.runUntil(world.nowMs + 400_000);
  expect(isReady(get(world, 'Pod', 's-1')!)).toBe(true);
  expect([image, remove(world, 'Pod', 's-0')]).toEqual([image, []]);
});

test('an outage that is changed later catches who runs then; what it names and is not there is said', () => {
  const world = closed(mendedSouth());
  const caught = () => world.store.get('Outage', '', 'gone')!.status?.hung?.map((one) => one.pod);
  send(world, outage('hangs: [{namespace: tickets, pod: nobody}], dark: [no-node], full: [{namespace: tickets, claim: none}]'));
  world.runUntil(world.nowMs + 1_000);
  expect(eventsAbout(world, 'Outage', 'gone', '').join()).toContain(
    'names the node no-node, the pod tickets/nobody, the claim tickets/none'
  );
  send(world, hangs(1));
  world.runUntil(world.nowMs + 1_000);
  expect(ask(world, 'tickets', 'bookings', { do: 'members' }, { member: 'bookings-1' }).outcome).toBe('unknown');
  const { sinceMs } = world.store.get('Outage', '', 'gone')!.status!.hung![0]!;
  send(world, outage('hangs: [{namespace: tickets, pod: bookings-1}, {namespace: tickets, pod: bookings-2}]'));
  world.runUntil(world.nowMs + 1_000);
  expect([caught(), world.store.get('Outage', '', 'gone')!.status!.hung![0]!.sinceMs]).toEqual([['bookings-1', 'bookings-2'], sinceMs]);
});
