/* Volumes that are lost, backends that have none to give, passwords that change under running members, and clients from outside. */
import { encode } from 'js-base64';
import { describe, expect, test } from 'vitest';
import { hasWayIn, impossible, faultNamed, offers, type Target } from '$core/drills';
import { asManifest } from '$core/manifest';
import type { ApiObject } from '$core/model';
import type { World } from '$core/standin';
import { ask, must } from '../roomy';
import { short, standing } from './help';
import { rows } from '../../rounds';

const content = (world: World, claim: string) => {
  const volume = world.store.get('PersistentVolumeClaim', 'space', claim)!.spec.volumeName;
  return world.store.list('PersistentVolume').find((one) => one.metadata.name === volume);
};

describe('a member loses its volume', () => {
  test.each(rows(2, ['document-set', 'object-store', 'log-broker', 'memory-store']))('%s: the others give it what they have', (engine) => {
    const { drill } = standing(engine);
    const got = drill('volume-lost', short);
    expect(got).toMatchObject({ state: 'expected', measured: { lostCount: 0 }, derived: { goesOn: true } });
    expect(got.derived.loses).toBeUndefined();
    expect(got.lanes.find((one) => one.stretches.some((two) => two.state !== 'ready'))).toBeDefined();
  });

  test('what it alone keeps is lost, all of it, and that is said before', () => {
    const { drill, scene } = standing('primary-standby-sql', { members: '1', synchronous: '0' });
    const got = drill('volume-lost', short);
    expect(got).toMatchObject({
      state: 'worse',
      derived: { loses: 'one-0 is the only member, and keeps it alone' }
    });
    // All of 20 s before it, and what was taken until it had ended.
    const { lost, lostCount } = got.measured;
    expect(lost).toEqual(Array.from({ length: lostCount! }, (_, i) => i + 1));
    expect([lostCount! >= 40, lostCount! <= 50]).toEqual([true, true]);
    expect(got.notes).toContain("By arithmetic what was acknowledged can't stay: one-0 is the only member, and keeps it alone.");
    // Who allows for that has nothing said against it.
    const target = faultNamed('volume-lost')!.target(scene()) as Target;
    expect(impossible(got.derived, { lost: 60 }, target, 0)).toEqual([]);
  });

  test('where the catalogue goes nothing can be read, though every store member keeps its rows', () => {
    const got = standing('time-series').drill('volume-lost', { pace: { faultMs: 60_000, calmMs: 10_000, mostAfterMs: 60_000 } });
    expect(got).toMatchObject({ state: 'worse', target: 'data-one-front-0' });
    expect(got.measured.lostCount).toBe(got.measured.writes.acknowledged);
    expect(got.measured.lostCount).toBeGreaterThan(30);
  });

  test('a volume is another one afterwards', () => {
    const { world } = standing('document-set');
    const before = content(world, 'data-one-0')!.metadata.name;
    const target = faultNamed('volume-lost')!.target({ facts: world.store, workload: standing('document-set').scene().workload });
    for (const action of (target as Target).begin) expect(world.act(action)).toEqual([]);
    world.runSettled();
    expect(content(world, 'data-one-0')!.metadata.name).not.toBe(before);
  });

  test('claims that no set makes again, and rooms that nobody can know, say so', () => {
    const not = (engine: string) => offers(standing(engine).scene()).find((one) => one.fault === 'volume-lost')!.not;
    expect([not('shared-files'), not('image-shelf')]).toEqual(Array(2).fill('its members have no claims that would be made again'));
  });
});

describe('a backend that gives none', () => {
  test.each([
    ['room-out', '0 GiB free in zone'],
    ['quota-out', 'quota of 0 volumes of work-volumes is used up']
  ] as const)('%s: the member waits for as long, and its root line says why; then it is made anew', (fault, says) => {
    const { drill, world } = standing('multi-primary-sql');
    const got = drill(fault, short);
    expect(got).toMatchObject({
      state: 'expected',
      measured: { lostCount: 0, writesPauseMs: 0 },
      cause: { from: 'break', says: expect.stringContaining(says) }
    });
    const away = got.lanes.find((one) => one.name === 'one-0')!.stretches.filter((one) => one.state !== 'ready');
    const lasted = away.reduce((sum, one) => sum + one.toMs - one.fromMs, 0);
    expect(lasted).toBeGreaterThan(60_000);
    // Nothing of it stays on the rehearsal itself.
    expect(world.store.list('Backend').find((one) => one.metadata.name === 'work-volumes')!.spec.quotaVolumes).toBeGreaterThan(0);
  });
});

describe('a password in a secret', () => {
  const secretOf = (world: World) => world.store.get('Secret', 'space', 'one-access')!;
  const changed = (world: World, key: string, text: string) =>
    must(world, asManifest({ ...secretOf(world), data: { ...secretOf(world).data, [key]: encode(text) } } as ApiObject));

  test('that changes under running members keeps clients out until each was started anew with it', () => {
    const { world } = standing('document-set');
    const [key] = Object.keys(secretOf(world).data!).filter((one) => /password/i.test(one));
    expect(ask(world, 'space', 'one', { do: 'list' }).outcome).toBe('acknowledged');
    changed(world, key!, 'another');
    expect(ask(world, 'space', 'one', { do: 'list' })).toMatchObject({
      outcome: 'refused',
      says: 'access denied: the password in the secret one-access is another one since one-0 was started'
    });
    world.act({ type: 'remove', ref: { kind: 'Pod', namespace: 'space', name: 'one-0' } });
    world.runSettled();
    expect(ask(world, 'space', 'one', { do: 'list' }).outcome).toBe('acknowledged');
  });

  test('is drilled: nobody gets in for as long, which is foreseen, and then all do', () => {
    const got = standing('multi-primary-sql').drill('password-changed', short);
    expect(got).toMatchObject({
      state: 'expected',
      derived: { goesOn: false, why: expect.stringContaining('all of 3 members were started with') }
    });
    expect(got.measured.writesPauseMs).toBeGreaterThan(58_000);
    expect(got.measured.writesPauseMs).toBeLessThan(64_000);
    expect(got.measured.lostCount).toBe(0);
    expect(got.notes).toEqual([]);
  });
});

test('clients from outside come by the address outside: where there is none nobody can be sent; a drill of theirs says so', () => {
  const shut = standing('primary-standby-sql');
  expect(hasWayIn(shut.scene())).toBe(false);
  expect(shut.tried('program-ends', { ...short, way: 'outside' })).toMatch(
    /^the load doesn't run even before the fault: no service of one-0 has/
  );
  const { drill, scene } = standing('primary-standby-sql', { reach: 'outside' });
  expect(hasWayIn(scene())).toBe(true);
  expect(drill('program-ends', { ...short, way: 'outside' })).toMatchObject({ way: 'outside', state: 'expected' });
  expect(drill('program-ends', short).way).toBeUndefined();
});
