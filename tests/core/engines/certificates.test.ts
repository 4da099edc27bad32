/* SQL and coordinators with certificates, and what goes with a workload that is taken away. */
import { describe, expect, test } from 'vitest';
import { removalSheet } from '$core/change';
import { isReady } from '$core/model';
import { wayFault, type World } from '$core/standin';
import { answerFaults, blueprints } from '$core/blueprints';
import { objects } from '../help';
import { answered, must, roomy } from '../roomy';

const sent = (id: string, more: Record<string, string> = {}): World => {
  const world = roomy();
  must(world, ...answered(id, more));
  world.runSettled();
  return world;
};
const podsOf = (world: World, app: string) => world.store.list('Pod').filter((one) => one.metadata.labels?.app === app);

describe.each([
  ['multi-primary-sql', 'bookings', 'tickets', 7110],
  ['primary-standby-sql', 'timetable', 'plans', 7120]
] as const)('%s with certificates', (id, name, space, plain) => {
  test('serves by names that its certificate carries, takes no plain calls, and goes on over a renewal', () => {
    const world = sent(id);
    const pods = podsOf(world, name);
    expect(pods.filter(isReady)).toHaveLength(3);
    expect(wayFault(world.store, pods[0]!, 'inside')).toBeUndefined();
    must(
      world,
      ...objects(
        `apiVersion: v1\nkind: Service\nmetadata: {name: ${name}-sql, namespace: ${space}}\nspec: {selector: {app: ${name}}, ports: [{name: sql, port: ${plain}}]}\n---\napiVersion: v1\nkind: Service\nmetadata: {name: ${name}, namespace: ${space}}\nspec: {clusterIP: None, publishNotReadyAddresses: true, selector: {app: ${name}}, ports: [{name: sql, port: ${plain}}]}\n`
      )
    );
    expect(wayFault(world.store, pods[0]!, 'inside')).toContain('takes no plain calls');
    const serial = () => world.store.get('Secret', space, `${name}-tls`)!.data!['tls.crt'];
    const first = serial();
    world.runUntil(world.nowMs + 80 * 86_400_000);
    expect(serial()).not.toBe(first);
    expect(podsOf(world, name).filter(isReady)).toHaveLength(3);
  });

  test('members whose certificate lacks their names stand alone', () => {
    const world = sent(id);
    const [wish] = world.store.list('Certificate', space);
    world.put({ ...wish!, spec: { ...wish!.spec, names: ['elsewhere.example'] } });
    world.runUntil(world.nowMs + 120_000);
    expect(podsOf(world, name).filter(isReady).length).toBeLessThan(2);
  });

  test('an issuer that is named has to stand in the same namespace', () => {
    const world = roomy();
    const blueprint = blueprints.find((one) => one.id === id)!;
    const answers = Object.fromEntries(blueprint.questions.map((one) => [one.id, one.kind === 'class' ? 'steady-block' : one.start]));
    expect(answerFaults(blueprint, { ...answers, tls: 'issuer' }, world.store)).toEqual([
      { question: 'issuer', message: expect.stringContaining(`no issuer house-authority in ${space}`) }
    ]);
    must(
      world,
      ...objects(
        `apiVersion: v1\nkind: Namespace\nmetadata: {name: ${space}}\n---\napiVersion: engines.standin.example/v1\nkind: Issuer\nmetadata: {name: house-authority, namespace: ${space}}\nspec: {authority: house-authority, make: true}\n`
      )
    );
    expect(answerFaults(blueprint, { ...answers, tls: 'issuer' }, world.store)).toEqual([]);
    must(world, ...answered(id, { tls: 'issuer' }));
    world.runSettled();
    expect(world.store.list('Issuer', space)).toHaveLength(1);
    expect(podsOf(world, name).filter(isReady)).toHaveLength(3);
  });
});

test("a broker's coordinators show certificates too: without theirs nobody decides", () => {
  const world = sent('log-broker');
  expect([...podsOf(world, 'boarding'), ...podsOf(world, 'boarding-coord')].filter(isReady)).toHaveLength(6);
  const wish = world.store.get('Certificate', 'events', 'boarding-coord')!;
  world.put({ ...wish, spec: { ...wish.spec, names: ['elsewhere.example'] } });
  world.runUntil(world.nowMs + 120_000);
  expect(podsOf(world, 'boarding-coord').filter(isReady).length).toBeLessThan(2);
});

test.each([
  ['members', []],
  ['claims', ['PersistentVolumeClaim']],
  ['all', ['PersistentVolumeClaim', 'Secret', 'Service', 'ConfigMap', 'PodDisruptionBudget']]
] as const)('a workload that takes %s along says so on its removal sheet, and does', (takes, kinds) => {
  const world = sent('multi-primary-sql', { takes });
  const ref = { kind: 'StatefulSet', namespace: 'tickets', name: 'bookings' } as const;
  const sheet = removalSheet(world.store, ref);
  const along = sheet.with.filter((one) => one.goes).map((one) => one.ref);
  expect(sheet.lost.length + sheet.with.filter((one) => one.goes).flatMap((one) => one.lost).length > 0).toBe(takes !== 'members');
  world.act({ type: 'remove', ref, more: along });
  world.runSettled();
  const watched = ['PersistentVolumeClaim', 'Secret', 'Service', 'ConfigMap', 'PodDisruptionBudget'] as const;
  const left = watched.filter((kind) => world.store.list(kind, 'tickets').length);
  expect(left).toEqual(watched.filter((kind) => !(kinds as readonly string[]).includes(kind)));
});
