import { expect, test, describe } from 'vitest';
import { asManifest } from '$core/manifest';
import { isReady } from '$core/model';
import { lineSentence, rootLine } from '$core/rootline';
import type { World } from '$core/standin';
import { claimOf, classOf, firstBreak, mend, must, podOf, readySouth, ref, remove, settle, size } from './help';

const rwo = 'accessModes: [ReadWriteOnce], storageClassName: steady-block';
const on = (node: string) => `, nodeSelector: {kubernetes.io/hostname: ${node}}`;
function without(world: World, right: string): World {
  const one = world.store.get('Identity', '', 'volume-keeper')!;
  must(world, {
    type: 'send',
    objects: [asManifest({ ...one, spec: { ...one.spec, rights: one.spec.rights.filter((two) => two !== right) } })]
  });
  return world;
}
const snapshots = (more = '') =>
  `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: s, annotations: {snapshot.storage.kubernetes.io/is-default-class: "true"}}\ndriver: block.standin.example\ndeletionPolicy: Delete\n---\n${more}`;
const snapshot = `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: shot, namespace: default}\nspec: {source: {persistentVolumeClaimName: c}}\n`;
const shot = ref('VolumeSnapshot', 'default', 'shot');

describe('rights that are called for later, each taken away', () => {
  test('to detach: the pod on the next node waits, and the right is the first break', () => {
    const world = without(settle(readySouth(), claimOf('c', `${rwo}, ${size('1Gi')}`) + podOf('one', 'c', on('node-a1'))), 'detach');
    remove(world, ref('Pod', 'default', 'one'));
    settle(world, podOf('two', 'c', on('node-a2')));
    const two = ref('Pod', 'default', 'two');
    expect(firstBreak(world, two)).toMatchObject({ joint: 'rights', says: 'the right to detach is missing' });
    expect(mend(world, two)).toBe('rights');
    world.runUntil(world.nowMs + 600_000);
    expect(isReady(world.store.get('Pod', 'default', 'two'))).toBe(true);
  });

  test('to delete: the volume stays Released with its asset, and its own line says why', () => {
    const world = without(
      settle(
        readySouth(),
        classOf('now', 'block.standin.example') + claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: now, ${size('1Gi')}`)
      ),
      'delete'
    );
    const volume = ref('PersistentVolume', '', world.store.get('PersistentVolumeClaim', 'default', 'c')!.spec.volumeName!);
    expect(lineSentence(rootLine(world.store, volume)!)).toMatch(/holds, from its name down to the disk/);
    remove(world, ref('PersistentVolumeClaim', 'default', 'c'));
    world.runSettled();
    expect(firstBreak(world, volume)).toMatchObject({ joint: 'rights', says: 'the right to delete is missing' });
    expect(
      rootLine(world.store, volume)!
        .joints.find((one) => one.joint === 'volume')!
        .evidence.map((one) => one.event?.reason)
    ).toContain('VolumeFailedDelete');
    mend(world, volume);
    world.runUntil(world.nowMs + 600_000);
    expect(world.store.list('Asset')).toEqual([]);
  });

  test('to take snapshots: the snapshot says so, and goes on when it is given', () => {
    const world = without(settle(readySouth(), snapshots() + claimOf('c', `${rwo}, ${size('1Gi')}`) + podOf('p', 'c')), 'snapshot');
    settle(world, snapshot);
    expect(firstBreak(world, shot)).toMatchObject({ joint: 'rights', says: 'the right to snapshot is missing' });
    mend(world, shot);
    expect(world.store.get('VolumeSnapshot', 'default', 'shot')!.status!.readyToUse).toBe(true);
    expect(firstBreak(world, shot)).toBeUndefined();
  });
});

describe('snapshots by themselves', () => {
  test('without a class the remedy sends one', () => {
    const world = settle(readySouth(), claimOf('c', `${rwo}, ${size('1Gi')}`) + podOf('p', 'c') + '' + snapshot);
    expect(firstBreak(world, shot)).toMatchObject({
      joint: 'snapshot',
      says: expect.stringContaining('no snapshot class is the default of block.standin.example')
    });
    expect(mend(world, shot)).toBe('snapshot');
    expect(lineSentence(rootLine(world.store, shot)!)).toMatch(/^shot holds/);
  });
  test('a kept volume by itself waits to be freed, and that is no break', () => {
    const world = settle(
      readySouth(),
      classOf('k', 'block.standin.example', 'reclaimPolicy: Retain') +
        claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: k, ${size('1Gi')}`)
    );
    const volume = ref('PersistentVolume', '', world.store.get('PersistentVolumeClaim', 'default', 'c')!.spec.volumeName!);
    remove(world, ref('PersistentVolumeClaim', 'default', 'c'));
    world.runSettled();
    const line = rootLine(world.store, volume)!;
    expect([line.firstBreak, lineSentence(line)]).toEqual([null, `${volume.name} is Released and kept; it waits to be freed.`]);
    must(world, { type: 'send', objects: line.joints.find((one) => one.joint === 'volume')!.remedy!.manifests! });
    world.runSettled();
    expect(world.store.get('PersistentVolume', '', volume.name)!.status!.phase).toBe('Available');
  });
});
