import { describe, expect, test } from 'vitest';
import { changeSheet } from '$core/change';
import { asManifest } from '$core/manifest';
import { isReady, type Node } from '$core/model';
import { driverGates } from '$core/rootline';
import { poolObject, type World } from '$core/standin';
import { asLeft, claimOf, classOf, firstBreak, must, podOf, ref, send, settle, size } from './help';

const c = ref('PersistentVolumeClaim', 'default', 'c');
const p = ref('Pod', 'default', 'p');

describe('a pool that fails', () => {
  const pool = 'pool.standin.example';
  const broken = (world: World) => driverGates(world.store, pool).find((one) => one.state === 'broken');
  /** harbour with its disks changed, run through the gates as far as the drafts carry. */
  function harbour(change: (world: World) => void, objects = [poolObject('harbour-pool')]): World {
    const world = asLeft('harbour');
    change(world);
    for (let i = 0; i < 10; i += 1) {
      const gate = broken(world);
      const manifests = gate?.joint === 'disks' && !world.store.list('Pool').length ? objects : gate?.remedy?.manifests;
      if (!gate || !manifests) break;
      must(world, { type: 'send', objects: manifests });
      world.runSettled();
    }
    return world;
  }
  const disk = (name: string, node: string, spec: string) =>
    `apiVersion: standin.example/v1\nkind: Disk\nmetadata: {name: ${name}}\nspec: {node: ${node}, ${spec}}\n---\n`;
  /** All usable disks of five nodes: two nodes are left with any. */
  const many = ['shed-1', 'shed-3', 'shed-5', 'tower-2'].flatMap((one) => [`${one}-raw-1`, `${one}-raw-2`]).concat('shed-2-raw-1');
  const wear = (worn: readonly string[]) => (world: World) =>
    void send(world, worn.map((one) => disk(one, one.slice(0, one.indexOf('-raw')), 'size: 720Gi, worn: true')).join(''));

  test('one prepare job that fails is told, and the pool does without that disk', () => {
    const world = harbour(wear(['shed-1-raw-1']));
    const gate = driverGates(world.store, pool).find((one) => one.joint === 'disks')!;
    expect(gate).toMatchObject({ state: 'holds', says: '11 prepared, 2 refused, 1 failed' });
    expect(gate.evidence.map((one) => one.value)).toContain('could not be prepared');
  });

  test('too many that fail leave no pool: the jobs are the break', () => {
    const world = harbour(wear(many));
    expect(broken(world)).toMatchObject({
      joint: 'disks',
      says: expect.stringMatching(/prepare job of .* failed, and too few nodes are left for 3 copies/)
    });
    expect(
      broken(world)!
        .evidence.map((one) => one.event?.message ?? one.value)
        .join('\n')
    ).toMatch(/write errors/);
  });

  test('disks that carry something are refused with the reason; cleared, they join', () => {
    const world = asLeft('harbour');
    send(world, many.map((name) => disk(name, name.slice(0, name.indexOf('-raw')), 'size: 720Gi, holds: partition table')).join(''));
    expect(broken(world)).toMatchObject({
      joint: 'storage-nodes',
      says: expect.stringMatching(/2 nodes have usable disks, and 3 copies need 3/)
    });
    // Clearing them is offered, and the change sheet says what that loses before it is sent.
    const { manifests } = broken(world)!.remedy!;
    expect(changeSheet(world.store, manifests!).lost.map((one) => one.ref.name)).toEqual(expect.arrayContaining(many));
    must(world, { type: 'send', objects: manifests! });
    world.runSettled();
    expect(broken(world)?.says).toMatch(/only 0 of 7 nodes with usable disks carry/);
  });

  test('without a majority of keepers nothing is mounted, and it comes back with them', () => {
    const world = harbour(() => {});
    settle(
      world,
      classOf('pool-three', pool, 'volumeBindingMode: WaitForFirstConsumer') +
        claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: pool-three, ${size('10Gi')}`)
    );
    const keepers = world.store.list('Pod', 'storage-system').filter((one) => one.metadata.labels?.part === 'pool-keeper');
    const down = keepers.slice(0, 2).map((one) => world.store.get('Node', '', one.spec.nodeName!)!);
    const sick = (node: Node, status: string): Node => ({ ...node, status: { ...node.status, conditions: [{ type: 'Ready', status }] } });
    must(world, { type: 'send', objects: down.map((node) => asManifest(sick(node, 'False'))) });
    settle(world, podOf('p', 'c'));
    expect(firstBreak(world, p)).toMatchObject({ joint: 'keepers', says: expect.stringMatching(/1 of 3 keepers answer, 2 are needed/) });
    expect(isReady(world.store.get('Pod', 'default', 'p'))).toBe(false);
    must(world, { type: 'send', objects: down.map((node) => asManifest(sick(node, 'True'))) });
    world.runUntil(world.nowMs + 400_000);
    expect(firstBreak(world, p)).toBeUndefined();
    expect(isReady(world.store.get('Pod', 'default', 'p'))).toBe(true);
  });

  test('a full pool hands out nothing more, and says that it is at its threshold', () => {
    const world = harbour(() => {});
    const asks = (name: string, storage: string) =>
      claimOf(name, `accessModes: [ReadWriteOnce], storageClassName: pool-three, ${size(storage)}`);
    settle(world, classOf('pool-three', pool) + asks('most', '2600Gi'));
    settle(world, asks('c', '100Gi'));
    // 92 % of 2,880 GiB is 2,649 GiB; 2,600 are stored.
    expect(firstBreak(world, c)).toMatchObject({
      joint: 'backend',
      says: expect.stringMatching(/49 GiB free in the pool/),
      remedy: { text: expect.stringMatching(/full to its threshold/) }
    });
  });

  test('keepers that find no room on the storage nodes are the break', () => {
    const world = harbour(
      (one) => {
        for (const node of one.store.list('Node'))
          must(one, {
            type: 'send',
            objects: [
              asManifest({ ...node, status: { ...node.status, allocatable: { cpu: '500m', memory: '47Gi', pods: '110' } } } as Node)
            ]
          });
      },
      [poolObject('harbour-pool', 3, 5)]
    );
    const gates = driverGates(world.store, pool).filter((one) => one.state === 'broken');
    expect(gates[0]!.says).toMatch(/without the CPU asked for/);
  });
});
