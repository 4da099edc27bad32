import { describe, expect, test } from 'vitest';
import { bytesOf } from '$core/shared';
import { changeSheet, removalSheet } from '$core/change';
import { asManifest } from '$core/manifest';
import { isReady, memberClaim, type ApiObject, type StatefulSet } from '$core/model';
import { lineSentence, rootLine } from '$core/rootline';
import { daysTo, trendOf } from '$core/sizing';
import {
  checksumOf,
  claimAsset,
  consistencyMark,
  dayMs,
  fillAt,
  fileSystemRoom,
  fullAtMs,
  roomIn,
  storeHolds,
  type World
} from '$core/standin';
import { asLeft, claimOf, classOf, firstBreak, must, objects, podOf, readySouth, ref, remove, send, settle, size, smallSet } from './help';

const rwo = 'accessModes: [ReadWriteOnce], storageClassName: steady-block';
const claim = (world: World, name: string) => world.store.get('PersistentVolumeClaim', 'default', name)!;
const pod = (world: World, name: string) => world.store.get('Pod', 'default', name);
const asset = (world: World, name: string) => claimAsset(world.store, 'default', name)!;
const resized = (world: World, name: string, storage: string): ApiObject => {
  const one = claim(world, name);
  return asManifest({ ...one, spec: { ...one.spec, resources: { requests: { storage } } } });
};
const set3 = (more = '') => smallSet({ name: 'tri', set: `replicas: 3\n  ${more}`, claim: `{${rwo}, ${size('40Gi')}}` });

describe('a set of three grows from 40 to 60 GiB', () => {
  const world = readySouth();
  settle(world, set3());
  const members = [0, 1, 2].map((i) => `tri-${i}`);
  const claims = members.map((one) => `data-${one}`);
  const uids = () => members.map((one) => pod(world, one)?.metadata.uid);
  const before = uids();
  const set = world.store.get('StatefulSet', 'default', 'tri')!;
  const larger: StatefulSet = structuredClone(set);
  larger.spec.volumeClaimTemplates![0]!.spec.resources.requests.storage = '60Gi';
  const batch = [...claims.map((one) => resized(world, one, '60Gi')), asManifest(larger)];

  test('its template is refused by itself, and the way round is offered in steps', () => {
    const sheet = changeSheet(world.store, batch);
    expect(sheet.refused[0]!.refusal).toMatchObject({ code: 'immutable-field' });
    expect(sheet.wayRound).toMatchObject({ replace: [ref('StatefulSet', 'default', 'tri')], refused: [] });
    expect(sheet.wayRound!.steps.join('\n')).toMatch(/Grow data-tri-0, data-tri-1, data-tri-2[^]*keep its members[^]*Send tri anew/);
    expect(changeSheet(world.store, [asManifest(larger)]).wayRound!.steps[0]).toMatch(/keep their size/);
  });

  test('sent that way no member is ever down, volumes and file systems grow, the template is the new one', () => {
    must(world, { type: 'send', objects: batch, replace: [ref('StatefulSet', 'default', 'tri')] });
    let pending = false;
    let down = 0;
    while (!world.settled) {
      world.runUntil(world.nextMs!);
      if (!members.every((one) => isReady(pod(world, one)))) down += 1;
      pending ||= claims.some((one) =>
        claim(world, one).status?.conditions?.some((condition) => condition.type === 'FileSystemResizePending')
      );
    }
    expect([down, pending, uids()]).toEqual([0, true, before]);
    for (const name of claims) {
      expect(claim(world, name).status!.capacity!.storage).toBe('60Gi');
      expect(asset(world, name).spec.size).toBe('60Gi');
    }
    const now = world.store.get('StatefulSet', 'default', 'tri')!;
    expect(now.spec.volumeClaimTemplates![0]!.spec.resources.requests.storage).toBe('60Gi');
    expect(now.metadata.uid).not.toBe(set.metadata.uid);
    expect(members.every((one) => pod(world, one)!.metadata.ownerReferences![0]!.uid === now.metadata.uid)).toBe(true);
    expect(world.store.list('StatefulSet', 'default').find((one) => one.metadata.name === 'tri')!.status!.readyReplicas).toBe(3);
  });

  test('grown once more too soon: the driver waits for its cool-down, and the claim says until when', () => {
    must(world, { type: 'send', objects: [resized(world, claims[0]!, '70Gi')] });
    world.runSettled();
    const joint = rootLine(world.store, ref('PersistentVolumeClaim', 'default', claims[0]!))!.joints.find((one) => one.joint === 'claim')!;
    expect([joint.state, joint.says]).toEqual(['waiting', expect.stringMatching(/may grow again in 2 h/)]);
    world.runUntil(world.nowMs + 2.6 * 3_600_000);
    world.runSettled();
    expect(claim(world, claims[0]!).status!.capacity!.storage).toBe('70Gi');
  });

  test('refused with the reason: a class that does not grow, a smaller size, more than there is, no right', () => {
    const other = readySouth();
    settle(
      other,
      classOf('fixed', 'block.standin.example', 'volumeBindingMode: Immediate') +
        claimOf('f', `accessModes: [ReadWriteOnce], storageClassName: fixed, ${size('10Gi')}`)
    );
    const refusal = (name: string, to: string) => other.act({ type: 'send', objects: [resized(other, name, to)] })[0];
    expect(refusal('f', '20Gi')).toMatchObject({
      code: 'claim-cannot-grow',
      remedy: expect.stringMatching(/allowVolumeExpansion: true on the class/)
    });
    expect(refusal('f', '5Gi')).toMatchObject({ remedy: expect.stringMatching(/never shrinks/) });
    // The way out works: the class may change in this one field.
    settle(other, classOf('fixed', 'block.standin.example', 'volumeBindingMode: Immediate\nallowVolumeExpansion: true') + podOf('p', 'f'));
    must(other, { type: 'send', objects: [resized(other, 'f', '2000Gi')] });
    other.runSettled();
    expect(firstBreak(other, ref('PersistentVolumeClaim', 'default', 'f'))).toMatchObject({
      joint: 'claim',
      says: expect.stringMatching(/from 10Gi to 2000Gi: RESOURCE_EXHAUSTED/)
    });
    expect(isReady(pod(other, 'p'))).toBe(true);
  });
});

describe('deleting a set, then its claims', () => {
  test.each(['Delete', 'Retain'])('under %s: what the sheets say comes true at cluster and provider', (policy) => {
    const world = readySouth();
    settle(
      world,
      classOf('k', 'block.standin.example', `reclaimPolicy: ${policy}\nvolumeBindingMode: WaitForFirstConsumer`) +
        smallSet({ name: 'tri', set: 'replicas: 2', claim: `{accessModes: [ReadWriteOnce], storageClassName: k, ${size('10Gi')}}` })
    );
    const setRef = ref('StatefulSet', 'default', 'tri');
    const first = removalSheet(world.store, setRef);
    expect([first.goes.length, first.stays.length, first.lost.length]).toEqual([2, 2, 0]);
    remove(world, setRef);
    world.runSettled();
    for (const { ref: gone } of first.goes) expect(world.store.find(gone)).toBeUndefined();
    for (const { ref: kept } of first.stays) expect(world.store.find(kept)).toBeDefined();

    for (const name of ['data-tri-0', 'data-tri-1']) {
      const sheet = removalSheet(world.store, ref('PersistentVolumeClaim', 'default', name));
      const handle = asset(world, name).metadata.name;
      expect([sheet.lost.length, sheet.stays.length]).toEqual(policy === 'Delete' ? [1, 0] : [0, 2]);
      remove(world, sheet.ref);
      world.runSettled();
      for (const { ref: gone } of sheet.goes) expect(world.store.find(gone), gone.name).toBeUndefined();
      for (const { ref: kept } of sheet.stays) expect(world.store.find(kept), kept.name).toBeDefined();
      expect(world.store.get('Asset', '', handle) !== undefined).toBe(policy === 'Retain');
    }
  });

  test('a Released volume is freed by clearing its claimRef, and gives its data to the next claim', () => {
    const world = readySouth();
    settle(
      world,
      classOf('k', 'block.standin.example', 'reclaimPolicy: Retain') +
        claimOf('old', `accessModes: [ReadWriteOnce], storageClassName: k, ${size('10Gi')}`) +
        podOf('p', 'old')
    );
    const { store: data } = asset(world, 'old').status!;
    const name = claim(world, 'old').spec.volumeName!;
    remove(world, ref('Pod', 'default', 'p'));
    remove(world, ref('PersistentVolumeClaim', 'default', 'old'));
    world.runSettled();
    remove(world, ref('StorageClass', '', 'k'));
    settle(world, claimOf('new', `accessModes: [ReadWriteOnce], storageClassName: k, ${size('10Gi')}`));
    const joint = firstBreak(world, ref('PersistentVolumeClaim', 'default', 'new'))!;
    expect([joint.joint, joint.says]).toEqual(['volume', expect.stringContaining('it is Released')]);
    must(world, { type: 'send', objects: joint.remedy!.manifests! });
    world.runSettled();
    expect(claim(world, 'new')).toMatchObject({ status: { phase: 'Bound' }, spec: { volumeName: name } });
    expect(asset(world, 'new').status!.store).toEqual(data);
  });

  test('Retain switched on an existing volume keeps what its class would have deleted', () => {
    const world = readySouth();
    settle(world, claimOf('c', `${rwo}, ${size('10Gi')}`) + podOf('p', 'c'));
    const volume = world.store.get('PersistentVolume', '', claim(world, 'c').spec.volumeName!)!;
    must(world, { type: 'send', objects: [asManifest({ ...volume, spec: { ...volume.spec, persistentVolumeReclaimPolicy: 'Retain' } })] });
    remove(world, ref('Pod', 'default', 'p'));
    remove(world, ref('PersistentVolumeClaim', 'default', 'c'));
    world.runSettled();
    expect(world.store.get('PersistentVolume', '', volume.metadata.name)!.status!.phase).toBe('Released');
    expect(world.store.get('Asset', '', volume.spec.csi!.volumeHandle)).toBeDefined();
  });
});

describe('snapshots', () => {
  const snapshot = (name: string, of: string) =>
    `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: ${name}, namespace: default}\nspec: {source: {persistentVolumeClaimName: ${of}}}\n---\n`;
  const snapshotClass = `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: s, annotations: {snapshot.storage.kubernetes.io/is-default-class: "true"}}\ndriver: block.standin.example\ndeletionPolicy: Delete\n---\n`;
  const world = readySouth();
  settle(world, claimOf('c', `${rwo}, ${size('10Gi')}`) + podOf('p', 'c'));

  test('without a class it says so, and goes on when there is one', () => {
    settle(world, snapshot('early', 'c'));
    const early = () => world.store.get('VolumeSnapshot', 'default', 'early')!;
    expect(early().status).toMatchObject({
      readyToUse: false,
      error: { message: expect.stringMatching(/no snapshot class is the default of block/) }
    });
    settle(world, snapshotClass);
    expect(early().status).toMatchObject({ readyToUse: true, restoreSize: '10Gi' });
    expect(early().metadata.annotations![consistencyMark]).toMatch(/^crash-consistent: p had it mounted/);
  });

  test('damage, then a restore into a new claim: the checksum is that of the moment of the snapshot', () => {
    must(world, { type: 'write', namespace: 'default', pod: 'p', key: 'ledger', value: 'before' });
    const then = asset(world, 'c').status!.store!;
    settle(world, snapshot('keep', 'c'));
    must(world, { type: 'write', namespace: 'default', pod: 'p', key: 'ledger', value: 'after' });
    must(world, { type: 'damage', namespace: 'default', claim: 'c' });
    expect(storeHolds(asset(world, 'c').status!.store!)).toBe(false);
    const from = (name: string, storage = '10Gi') =>
      claimOf('back', `${rwo}, ${size(storage)}, dataSource: {apiGroup: snapshot.storage.k8s.io, kind: VolumeSnapshot, name: ${name}}`);
    settle(world, from('keep') + podOf('q', 'back'));
    expect(isReady(pod(world, 'q'))).toBe(true);
    const restored = asset(world, 'back').status!.store!;
    expect(restored).toEqual(then);
    expect(checksumOf(restored.rows)).toBe(then.checksum);
    expect(restored.rows.find(([key]) => key === 'ledger')![1]).toBe('before');
  });

  test('a clone carries the content of its moment; a smaller one and a missing source are refused', () => {
    const clone = (name: string, source: string, storage: string) =>
      claimOf(name, `${rwo}, ${size(storage)}, dataSource: {kind: PersistentVolumeClaim, name: ${source}}`) + podOf(`${name}-user`, name);
    settle(world, clone('twin', 'back', '20Gi'));
    expect(asset(world, 'twin').status!.store).toEqual(asset(world, 'back').status!.store);
    settle(world, clone('small', 'back', '5Gi') + clone('lost', 'nobody', '10Gi'));
    expect(firstBreak(world, ref('PersistentVolumeClaim', 'default', 'small'))!.says).toMatch(/OUT_OF_RANGE: back has 10Gi/);
    expect(firstBreak(world, ref('PersistentVolumeClaim', 'default', 'lost'))!.says).toMatch(
      /FAILED_PRECONDITION: the claim default\/nobody is missing/
    );
  });

  test('a snapshot that goes takes its asset along under Delete', () => {
    const count = () => world.store.list('Asset').filter((one) => one.spec.snapshotOf).length;
    expect(count()).toBe(2);
    remove(world, ref('VolumeSnapshot', 'default', 'keep'));
    world.runSettled();
    expect([count(), world.store.list('VolumeSnapshotContent').length]).toEqual([1, 1]);
  });
});

describe('who may mount', () => {
  const on = (node: string) => `, nodeSelector: {kubernetes.io/hostname: ${node}}`;
  test('RWO: two pods of one node share it, a pod on another node of the zone is refused', () => {
    const world = readySouth();
    settle(world, claimOf('c', `${rwo}, ${size('10Gi')}`) + podOf('one', 'c', on('node-a1')));
    settle(world, podOf('two', 'c', on('node-a1')) + podOf('far', 'c', on('node-a2')));
    expect([isReady(pod(world, 'one')), isReady(pod(world, 'two')), isReady(pod(world, 'far'))]).toEqual([true, true, false]);
    expect(firstBreak(world, ref('Pod', 'default', 'far'))).toMatchObject({
      joint: 'attaching',
      says: expect.stringMatching(/attached to node-a1, where one, two has it|attached to node-a1, where (one|two)/)
    });
  });

  test('RWOP: one pod only; the next one is placed when the first has gone', () => {
    const world = readySouth();
    settle(world, claimOf('c', `accessModes: [ReadWriteOncePod], storageClassName: steady-block, ${size('10Gi')}`) + podOf('one', 'c'));
    settle(world, podOf('two', 'c'));
    expect(firstBreak(world, ref('Pod', 'default', 'two'))).toMatchObject({
      joint: 'placing',
      says: expect.stringMatching(/another pod has the claim/)
    });
    remove(world, ref('Pod', 'default', 'one'));
    world.runSettled();
    expect(isReady(pod(world, 'two'))).toBe(true);
  });
});

describe('fill', () => {
  const filled = (writes: string, holds = '1Gi') =>
    smallSet({ name: 'log', claim: `{${rwo}, ${size('10Gi')}}` }).replace(
      'labels: {app: log}}',
      `labels: {app: log}, annotations: {standin.example/holds: ${holds}, standin.example/writes-a-day: ${writes}}}`
    );

  test('goes up through busy days and quiet nights, never down, by what is written in whole days', () => {
    const world = readySouth();
    settle(world, filled('2Gi'));
    const start = world.nowMs;
    const one = asset(world, 'data-log-0');
    const at = (days: number) => fillAt(one, start + days * dayMs);
    const hours = Array.from({ length: 97 }, (_, i) => at(i / 24));
    for (let i = 1; i < hours.length; i += 1) expect(hours[i]!).toBeGreaterThanOrEqual(hours[i - 1]!);
    expect(Math.abs(at(2) - at(1) - bytesOf('2Gi'))).toBeLessThan(10);
    expect(new Set(hours.slice(1, 25).map((bytes, i) => Math.round((bytes - hours[i]!) / 1e6))).size).toBeGreaterThan(5);
    // A least-squares line through four days of it finds the rate within its own interval.
    const trend = trendOf(hours.map((bytes, i) => ({ atMs: (i / 24) * dayMs, bytes })))!;
    expect(Math.abs(trend.bytesPerDay - bytesOf('2Gi'))).toBeLessThan(trend.plusMinus * 2);
    const [, , full] = daysTo(trend, roomIn(one));
    expect(Math.abs(full!.days - (fullAtMs(one)! - (start + 4 * dayMs)) / dayMs)).toBeLessThan(0.5);
  });

  test('a full volume stops its member, which is traced; grown, the member comes back by itself', () => {
    const world = readySouth();
    settle(world, filled('2Gi'));
    const fullMs = fullAtMs(asset(world, 'data-log-0'))!;
    world.runUntil(fullMs - 1_000);
    expect(isReady(pod(world, 'log-0'))).toBe(true);
    world.runUntil(fullMs + 1_000);
    expect(isReady(pod(world, 'log-0'))).toBe(false);
    const joint = firstBreak(world, ref('Pod', 'default', 'log-0'))!;
    expect([joint.joint, joint.says]).toEqual(['start', 'no space left on device: the volume of data-log-0 is full']);
    expect(fillAt(asset(world, 'data-log-0'), world.nowMs)).toBe(fileSystemRoom('ext4', bytesOf('10Gi')).availableBytes);
    must(world, { type: 'send', objects: [resized(world, 'data-log-0', '20Gi')] });
    world.runUntil(world.nowMs + 900_000);
    expect(isReady(pod(world, 'log-0'))).toBe(true);
    expect(firstBreak(world, ref('Pod', 'default', 'log-0'))).toBeUndefined();
  });

  test('shared files have none of it', () => {
    const world = asLeft('north-quay');
    expect(world.store.list('Asset').filter((one) => one.spec.driver === 'files.standin.example' && one.status?.fill)).toEqual([]);
  });
});

describe('claims of long standing', () => {
  test('a claim that only waits for a user is no fault, and the line says so', () => {
    const world = asLeft('north-quay');
    const line = rootLine(world.store, ref('PersistentVolumeClaim', 'events', 'scratch'))!;
    expect([line.firstBreak, lineSentence(line)]).toEqual([null, 'scratch waits for its first user; nothing is broken.']);
  });

  test('an orphan is adopted as a static volume, or deleted; one in use is neither', () => {
    const world = asLeft('north-quay');
    const orphan = world.store.get('Asset', '', 'blk-0051ea7d')!;
    must(world, { type: 'write', namespace: 'events', pod: 'boarding-0', key: 'k', value: 'v' });
    settle(
      world,
      `apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: found}\nspec: {capacity: {storage: 60Gi}, accessModes: [ReadWriteOnce], csi: {driver: block.standin.example, volumeHandle: ${orphan.metadata.name}, fsType: ext4}}\n---\n` +
        claimOf('found', `accessModes: [ReadWriteOnce], storageClassName: "", ${size('60Gi')}`)
    );
    expect(claim(world, 'found').status!.phase).toBe('Bound');
    expect(world.act({ type: 'remove', ref: ref('Asset', '', orphan.metadata.name) })[0]).toMatchObject({
      code: 'still-used',
      message: expect.stringMatching(/found names the asset/)
    });
    remove(world, ref('PersistentVolumeClaim', 'default', 'found'));
    world.runSettled();
    remove(world, ref('PersistentVolume', '', 'found'));
    world.runSettled();
    const before = world.store.usedOf('north-quay-volumes').get('b')!;
    must(world, { type: 'remove', ref: ref('Asset', '', orphan.metadata.name) });
    expect(world.store.usedOf('north-quay-volumes').get('b')).toEqual({
      sizeBytes: before.sizeBytes - bytesOf('60Gi'),
      volumes: before.volumes - 1
    });
  });

  test('members keep their claims by name', () => {
    const [set] = objects(smallSet()).filter((one): one is StatefulSet => one.kind === 'StatefulSet');
    expect(memberClaim('data', set!, 0)).toBe('data-probe-0');
    const world = readySouth();
    send(world, smallSet());
    expect(world.settled).toBe(false);
  });
});
