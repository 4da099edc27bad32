/* Claims, volumes and finalizers, tried by behaviour. Sources: "Persistent Volumes", "Volume Snapshots", "Volume populators and data sources", "Finalizers". */
import { expect, test } from 'vitest';
import { claim, eventsAbout, get, mounts, pod, ready, remove, send, set } from './help';

test('a source named by dataSourceRef is copied as by dataSource; one that lacks, or lies elsewhere, is waited for', () => {
  const world = ready();
  send(world, claim('first') + pod('p', mounts('first')));
  world.runSettled();
  const from = (name: string, source: string) => claim(name, `dataSourceRef: {${source}}`) + pod(`of-${name}`, mounts(name));
  send(world, from('copy', 'kind: PersistentVolumeClaim, name: first'));
  send(world, from('lacks', 'apiGroup: snapshot.storage.k8s.io, kind: VolumeSnapshot, name: gone'));
  send(world, from('elsewhere', 'kind: PersistentVolumeClaim, name: first, namespace: default'));
  send(world, from('strange', 'apiGroup: example.test, kind: Picture, name: one'));
  world.runSettled();
  expect(get(world, 'PersistentVolumeClaim', 'copy')).toMatchObject({
    spec: { dataSource: { kind: 'PersistentVolumeClaim', name: 'first' } },
    status: { phase: 'Bound' }
  });
  const said = { lacks: "gone doesn't exist", elsewhere: 'lies in another namespace', strange: 'nobody here fills volumes from a Picture' };
  for (const [name, why] of Object.entries(said)) {
    expect(get(world, 'PersistentVolumeClaim', name)!.status!.phase).toBe('Pending');
    expect(eventsAbout(world, 'PersistentVolumeClaim', name).join()).toContain(why);
  }
});

test("a member's claim that is replaced under a running set is made anew, and the member comes back", () => {
  const world = ready();
  send(world, set());
  world.runSettled();
  const old = get(world, 'PersistentVolumeClaim', 'd-s-1')!.metadata.uid;
  remove(world, 'PersistentVolumeClaim', 'd-s-1');
  world.runSettled();
  remove(world, 'Pod', 's-1');
  world.runSettled();
  const made = get(world, 'PersistentVolumeClaim', 'd-s-1')!;
  expect(made.metadata.uid).not.toBe(old);
  expect([made.status!.phase, get(world, 'Pod', 's-1')!.status!.phase]).toEqual(['Bound', 'Running']);
});

test("somebody else's finalizer is waited for without a stir, and goes when it is taken off", () => {
  const world = ready();
  const held = claim('held').replace('name: held,', 'name: held, finalizers: [example.test/keep],');
  const config = (more: string) => `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: c, namespace: space${more}}\ndata: {a: b}\n`;
  send(world, held + config(', finalizers: [example.test/keep]'));
  world.runSettled();
  remove(world, 'PersistentVolumeClaim', 'held');
  remove(world, 'ConfigMap', 'c');
  const before = world.journal.changes.length;
  world.runUntil(world.nowMs + 600_000);
  expect(world.journal.changes.length - before).toBeLessThan(10);
  expect(get(world, 'PersistentVolumeClaim', 'held')!.metadata.finalizers).toEqual(['example.test/keep']);
  send(world, claim('held').replace('name: held,', 'name: held, finalizers: [],') + config(', finalizers: []'));
  world.runSettled();
  expect([get(world, 'PersistentVolumeClaim', 'held'), get(world, 'ConfigMap', 'c')]).toEqual([undefined, undefined]);
});

test('a released volume is handed out again when its claimRef is taken out, or names the new claim', () => {
  const world = ready();
  const one = world.store.get('StorageClass', '', 'steady-block')!;
  world.put({ ...one, reclaimPolicy: 'Retain' });
  send(world, claim('first') + pod('p', mounts('first')));
  world.runSettled();
  const name = get(world, 'PersistentVolumeClaim', 'first')!.spec.volumeName!;
  remove(world, 'Pod', 'p');
  world.runSettled();
  remove(world, 'PersistentVolumeClaim', 'first');
  world.runSettled();
  const volume = () => world.store.get('PersistentVolume', '', name)!;
  expect(volume().status!.phase).toBe('Released');
  const { csi, capacity, accessModes, nodeAffinity } = volume().spec;
  const freed = (ref: string) =>
    `apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: ${name}}\nspec: ${JSON.stringify({ csi, capacity, accessModes, nodeAffinity, storageClassName: 'steady-block' }).slice(0, -1)}, "claimRef": ${ref}}\n`;
  send(world, freed('null'));
  world.runSettled();
  expect(volume().status!.phase).toBe('Available');
  send(world, claim('second', `volumeName: ${name}`));
  world.runSettled();
  expect(volume().spec.claimRef).toMatchObject({ name: 'second' });
  remove(world, 'PersistentVolumeClaim', 'second');
  world.runSettled();
  send(world, claim('third', `volumeName: ${name}`));
  world.runSettled();
  expect(get(world, 'PersistentVolumeClaim', 'third')!.status!.phase).toBe('Pending');
  const { uid } = get(world, 'PersistentVolumeClaim', 'third')!.metadata;
  send(world, freed(`{"kind": "PersistentVolumeClaim", "namespace": "space", "name": "third", "uid": "${uid}"}`));
  world.runSettled();
  expect(get(world, 'PersistentVolumeClaim', 'third')!.status!.phase).toBe('Bound');
});

test('a copy that the backend has already is bound by a content written by hand, and restored from; one that is meant for another is not', () => {
  const world = ready();
  const snaps = (namespace: string, source: string, name = 'then') =>
    `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: ${name}, namespace: ${namespace}}\nspec: {source: {${source}}, volumeSnapshotClassName: kept}\n---\n`;
  const content = (handle: string, target: string) =>
    `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotContent\nmetadata: {name: by-hand}\nspec: {driver: block.standin.example, deletionPolicy: Retain, source: {snapshotHandle: ${handle}}, volumeSnapshotRef: {${target}}}\n---\n`;
  send(
    world,
    'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: kept}\ndriver: block.standin.example\ndeletionPolicy: Retain\n---\n'
  );
  send(world, claim('first') + pod('p', mounts('first')) + snaps('space', 'persistentVolumeClaimName: first'));
  world.runSettled();
  const { snapshotHandle } = world.store.list('VolumeSnapshotContent')[0]!.status!;
  // Its namespace goes; the copy stays at the backend.
  remove(world, 'VolumeSnapshot', 'then');
  world.runSettled();
  send(world, 'apiVersion: v1\nkind: Namespace\nmetadata: {name: other}\n---\n');
  send(world, content('snap-unknown', 'name: then, namespace: other') + snaps('other', 'volumeSnapshotContentName: by-hand'));
  world.runUntil(world.nowMs + 60_000);
  const found = () => world.store.get('VolumeSnapshot', 'other', 'then')!.status;
  expect(found()).toMatchObject({
    readyToUse: false,
    error: { message: expect.stringContaining('NOT_FOUND: block.standin.example has no snapshot') }
  });
  world.act({ type: 'remove', ref: { kind: 'VolumeSnapshotContent', namespace: '', name: 'by-hand' } });
  send(world, content(snapshotHandle!, 'name: else, namespace: other'));
  world.runUntil(world.nowMs + 60_000);
  expect(found()!.error!.message).toContain('is meant for other/else');
  world.act({ type: 'remove', ref: { kind: 'VolumeSnapshotContent', namespace: '', name: 'by-hand' } });
  send(world, content(snapshotHandle!, 'name: then, namespace: other'));
  world.runUntil(world.nowMs + 600_000);
  expect(found()).toMatchObject({ readyToUse: true, boundVolumeSnapshotContentName: 'by-hand' });
  send(
    world,
    (
      claim('again', 'dataSource: {apiGroup: snapshot.storage.k8s.io, kind: VolumeSnapshot, name: then}') + pod('q', mounts('again'))
    ).replaceAll('namespace: space', 'namespace: other')
  );
  world.runSettled();
  expect(world.store.get('PersistentVolumeClaim', 'other', 'again')!.status!.phase).toBe('Bound');
});

test('a volume whose handle the backend does not know fails to attach, and says so', () => {
  const world = ready();
  send(
    world,
    `apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: lost}\nspec: {capacity: {storage: 1Gi}, accessModes: [ReadWriteOnce], storageClassName: "", csi: {driver: block.standin.example, volumeHandle: nowhere}}\n---\n${claim('c', 'storageClassName: "", volumeName: lost')}${pod('p', mounts('c'))}`
  );
  world.runUntil(world.nowMs + 60_000);
  expect(eventsAbout(world, 'Pod', 'p').join()).toContain('FailedAttachVolume: NOT_FOUND: block.standin.example has no volume nowhere');
  expect(world.store.list('VolumeAttachment').find((one) => one.spec.source.persistentVolumeName === 'lost')!.status!.attached).toBe(false);
});
