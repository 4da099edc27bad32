/* What stands fills the slots; and what is reckoned from it is what the stand-in then has. */
import { describe, expect, test } from 'vitest';
import { asManifest } from '$core/manifest';
import { calculationNamed, sizedBy, taken, type CalcId, type Sized, type Taken } from '$core/sizing';
import { fileSystemRoom, roomIn, storeLayoutOf, type World } from '$core/standin';
import { harbourPool, objects } from '../help';
import { answered, must, roomy } from '../roomy';

const of = { namespace: 'space', name: 'one' };
function standing(id: string, more: Record<string, string> = {}): World {
  const world = roomy({ nodes: 2, capacity: '40000Gi' });
  must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
  must(world, ...answered(id, { ...of, ...more }));
  world.runSettled();
  return world;
}
function filled(world: World, id: CalcId, more: Record<string, string> = {}): Record<string, number> {
  const found = taken(world.store, id, of);
  if (typeof found === 'string') throw new Error(found);
  const sized = sizedBy(calculationNamed(id)!, { ...found.written, ...more }) as Sized;
  return Object.fromEntries(sized.figures.map((one) => [one.id, one.value]));
}

describe('from what stands', () => {
  test('an object store: what it holds and may lose is what the store itself has, for any members, volumes and parity', () => {
    for (const [members, volumes, parity, size] of [
      ['4', '2', '1', '40Gi'],
      ['4', '1', '2', '200Gi'],
      ['5', '2', '2', '64Gi'],
      ['6', '3', '2', '20Gi'],
      ['3', '1', '0', '500Gi']
    ] as const) {
      const world = standing('object-store', { members, volumes, parity, size });
      const asset = world.store.list('Asset').find((one) => one.spec.driver === 'block.standin.example');
      const layout = storeLayoutOf(world.store, of, roomIn(asset!));
      const got = filled(world, 'store', { object: '64 MiB' });
      expect(Math.abs(got.usable! / layout.usableBytes - 1), `${members} ${volumes} ${parity}`).toBeLessThan(0.05);
      expect(got).toMatchObject({
        members: layout.losableMembers,
        volumesLost: layout.losableVolumes,
        writable: layout.writableWithoutMembers
      });
    }
  });

  test('the pool that stands: usable, room to heal and time within 5 % though its nodes differ', () => {
    const { world } = harbourPool();
    const status = world.store.list('Pool')[0]!.status!;
    const got = filled(world, 'pool', { stored: '300 GiB' });
    expect(Math.abs(got.usable! / status.usableBytes - 1)).toBeLessThan(0.05);
    expect(Math.abs(got.raw! / status.rawBytes - 1)).toBeLessThan(0.001);
  });

  test('slots of nodes: what is left is what nodes say, less what is attached', () => {
    const world = standing('document-set');
    const nodes = world.store.list('CSINode');
    const limit = nodes[0]!.spec.drivers.find((one) => one.name === 'block.standin.example')!.allocatable!.count!;
    const attached = world.store.list('VolumeAttachment').length;
    const found = taken(world.store, 'slots', of);
    expect(found).toMatchObject({ written: { members: '3', volumes: '1', nodes: '6', limit: String(limit), taken: '0' } });
    expect(filled(world, 'slots', { lost: '0' }).spare).toBe(limit * 6 - attached);
  });

  test('a broker, a volume’s speed and its fill; each says what it can not see', () => {
    const world = standing('log-broker');
    // Copies are those of its topics; with two kinds of them nobody can say.
    expect(taken(world.store, 'broker', of)).toMatchObject({
      written: { brokers: '3', copies: '3' },
      not: expect.stringContaining('messages')
    });
    const [topic] = world.store.list('Topic');
    must(world, asManifest({ ...topic!, metadata: { ...topic!.metadata, name: 'other' }, spec: { ...topic!.spec, copies: 2, least: 1 } }));
    world.runSettled();
    const mixed = taken(world.store, 'broker', of) as Taken;
    expect(mixed.not).toMatch(/^copies, what comes in/);
    expect(mixed.written).not.toHaveProperty('copies');
    const [asset] = world.store.list('Asset');
    expect(taken(world.store, 'speed', of)).toMatchObject({
      written: { base: expect.any(String) },
      not: expect.stringContaining('what is asked for')
    });
    expect(fileSystemRoom('ext4', 2 ** 35).availableBytes).toBeLessThan(2 ** 35);
    expect(asset).toBeDefined();
    const fill = taken(world.store, 'fill', of);
    if (typeof fill !== 'string') expect(fill.not).toMatch(/the fullest$/);
  });

  test('what can not be taken says why', () => {
    const world = standing('document-set');
    expect(taken(world.store, 'store', of)).toBe('it is no object store');
    expect(taken(world.store, 'broker', of)).toBe('it is no log broker');
    expect(taken(world.store, 'pool', undefined)).toBe('no pool stands here');
    expect(taken(world.store, 'backup', of)).toBe('no plan copies it: make one under Backups');
    expect(taken(standing('log-broker').store, 'durability', of)).toMatch(/^its topics have copies of their own/);
    expect(taken(world.store, 'spread', { namespace: 'space', name: 'none' })).toBe('there is no such workload');
    expect(taken(standing('image-shelf').store, 'spread', of)).toBe('nobody of it decides by majority');
    expect(filled(world, 'spread')).toMatchObject({ majority: 2, mayZones: 1, mayNodes: 1 });
  });
});
