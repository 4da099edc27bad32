import { describe, expect, test } from 'vitest';
import { changeSheet, removalSheet } from '$core/change';
import { asManifest } from '$core/manifest';
import { isReady, type ApiObject } from '$core/model';
import { prove, lastTouchedMs } from '$core/proofs';
import { World } from '$core/standin';
import {
  bookings,
  bookingsSet,
  driver,
  mendedSouth as mended,
  must,
  objects,
  readySouth,
  ref,
  remove,
  send,
  south,
  southOrigin
} from './help';

const set = (world: World) => world.store.get('StatefulSet', 'tickets', 'bookings')!;
const bent = (one: ApiObject, spec: object): ApiObject =>
  asManifest({ ...one, spec: { ...(one as { spec: object }).spec, ...spec } } as ApiObject);
const names = (lines: readonly { ref: { name: string } }[]) => lines.map((one) => one.ref.name);

describe('the change sheet', () => {
  test('of the driver on the stuck cluster: all new, in the order of sending, nothing lost', () => {
    const sheet = changeSheet(south().store, driver());
    expect(names(sheet.new)).toEqual([
      'storage-system',
      'block.standin.example',
      'block-driver',
      'block-driver',
      'block-driver',
      'block-node',
      'block-collector',
      'block-controller'
    ]);
    expect([sheet.altered, sheet.refused, sheet.restarted, sheet.lost, sheet.untouched]).toEqual([[], [], [], [], []]);
    expect(sheet.order.map((one) => one.refs[0]!.kind)).toEqual([
      'Namespace',
      'CSIDriver',
      'ServiceAccount',
      'ClusterRole',
      'ClusterRoleBinding',
      'DaemonSet',
      'Deployment'
    ]);
  });

  test('of more members and a bigger template: the template is refused with its field, and the batch with it', () => {
    const world = mended();
    const template = structuredClone(set(world).spec.volumeClaimTemplates!);
    template[0]!.spec.resources.requests.storage = '80Gi';
    const objects = [bent(set(world), { replicas: 4, volumeClaimTemplates: template })];
    const sheet = changeSheet(world.store, objects);
    expect(sheet.refused).toMatchObject([
      { refusal: { code: 'immutable-field', at: { field: 'spec.volumeClaimTemplates[0].spec.resources.requests.storage' } } }
    ]);
    const before = world.journal.changes.length;
    const refusals = world.act({
      type: 'send',
      objects: [...driver().slice(0, 1), { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'half' } }, ...objects] as ApiObject[]
    });
    expect(refusals).toHaveLength(1);
    expect(world.journal.changes.length).toBe(before);
    expect(world.store.get('Namespace', '', 'half')).toBeUndefined();
  });

  test('of another image: altered, and the members restart from the highest down', () => {
    const world = mended();
    const template = structuredClone(set(world).spec.template);
    template.spec.containers[0]!.image = 'shelf.standin.example/engines/multi-primary-sql:r5';
    const sheet = changeSheet(world.store, [bent(set(world), { template })]);
    expect(sheet.altered[0]!.says).toContain('r4 → shelf.standin.example/engines/multi-primary-sql:r5');
    expect(sheet.restarted[0]!.says).toMatch(/^bookings-2, bookings-1, bookings-0; one after the other/);
  });

  test('of fewer members under a policy that takes claims along: the volumes are lost', () => {
    const world = mended();
    const sheet = changeSheet(world.store, [
      bent(set(world), { replicas: 1, persistentVolumeClaimRetentionPolicy: { whenScaled: 'Delete', whenDeleted: 'Retain' } })
    ]);
    expect(names(sheet.lost)).toEqual(['data-bookings-1', 'data-bookings-2']);
    must(world, {
      type: 'send',
      objects: [bent(set(world), { replicas: 1, persistentVolumeClaimRetentionPolicy: { whenScaled: 'Delete', whenDeleted: 'Retain' } })]
    });
    world.runSettled();
    expect(world.store.list('Asset')).toHaveLength(1);
  });

  test.each([
    [
      "a class's reclaim policy",
      'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: steady-block}\nprovisioner: block.standin.example\nparameters: {csi.storage.k8s.io/fstype: ext4}\nreclaimPolicy: Retain\nvolumeBindingMode: WaitForFirstConsumer',
      'immutable-field',
      'reclaimPolicy'
    ],
    [
      "a namespace that isn't there",
      'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: a, namespace: nowhere}',
      'namespace-missing',
      'metadata.namespace'
    ],
    [
      'an object that the cluster makes itself',
      'apiVersion: storage.k8s.io/v1\nkind: CSINode\nmetadata: {name: node-a1}\nspec: {drivers: []}',
      'not-sendable',
      'kind'
    ],
    [
      'a claim made smaller',
      'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: data-bookings-0, namespace: tickets}\nspec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 20Gi}}}',
      'claim-cannot-grow',
      'spec.resources.requests.storage'
    ]
  ])('refuses %s', (_, yaml, code, field) => {
    const sheet = changeSheet(mended().store, objects(yaml));
    expect(sheet.refused.map((one) => [one.refusal!.code, one.refusal!.at.field])).toEqual([[code, field]]);
    expect(sheet.new.length + sheet.altered.length).toBe(0);
  });

  test("growth is refused where the class doesn't grow", () => {
    const world = readySouth();
    send(
      world,
      'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: stiff}\nprovisioner: block.standin.example\n---\napiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: c, namespace: default}\nspec: {accessModes: [ReadWriteOnce], storageClassName: stiff, resources: {requests: {storage: 10Gi}}}'
    );
    world.runSettled();
    const claim = world.store.get('PersistentVolumeClaim', 'default', 'c')!;
    expect(claim.status!.phase).toBe('Bound');
    expect(changeSheet(world.store, [bent(claim, { resources: { requests: { storage: '20Gi' } } })]).refused).toMatchObject([
      { refusal: { code: 'claim-cannot-grow' } }
    ]);
  });

  test('secret values never stand on it', () => {
    const world = south();
    const sheet = changeSheet(
      world.store,
      objects(
        'apiVersion: v1\nkind: Secret\nmetadata: {name: bookings-access, namespace: tickets}\nstringData: {user: keeper, password: another-word}'
      )
    );
    expect(sheet.altered).toHaveLength(1);
    expect(JSON.stringify(sheet)).not.toMatch(/another-word|YW5vdGhlci13b3Jk|k7Qx/);
  });

  test("taking away: a member's claim stays, a claim's data is lost", () => {
    const world = mended();
    expect(removalSheet(world.store, bookings(0))).toMatchObject({ lost: [], stays: [{ ref: { name: 'data-bookings-0' } }] });
    expect(removalSheet(world.store, ref('PersistentVolumeClaim', 'tickets', 'data-bookings-0')).lost).toHaveLength(1);
    expect(names(removalSheet(world.store, bookingsSet).stays)).toEqual(['data-bookings-0', 'data-bookings-1', 'data-bookings-2']);
    expect(removalSheet(world.store, bookings(7)).refusal?.code).toBe('not-found');
  });
});

describe('proofs', () => {
  const run = (world: World) =>
    prove({
      facts: world.store,
      set: set(world),
      changes: world.journal.changes,
      fork: () => World.restore(southOrigin().seed, world.save())
    });
  const states = (world: World) => Object.fromEntries(run(world).map((one) => [one.id, one.state]));

  test("hold on a set that came up, without touching it; before that they don't", () => {
    expect(states(south())).toEqual({ claims: 'broken', order: 'broken', names: 'broken', data: 'broken', returns: 'waiting' });
    const world = mended();
    const before = world.journal.changes.length;
    const proofs = run(world);
    expect(proofs.map((one) => [one.id, one.state])).toEqual([
      ['claims', 'holds'],
      ['order', 'holds'],
      ['names', 'holds'],
      ['data', 'holds'],
      ['returns', 'holds']
    ]);
    expect(world.journal.changes.length).toBe(before);
    expect(proofs.find((one) => one.id === 'names')!.checks).toHaveLength(12);
    expect(proofs.find((one) => one.id === 'returns')!.note).toMatch(/fork/);
  });

  test('speak of what really happened once a member was taken away, and go stale by it', () => {
    const world = mended();
    const provedMs = world.nowMs;
    world.runUntil(world.nowMs + 10_000);
    remove(world, bookings(0));
    world.runSettled();
    const returns = run(world).find((one) => one.id === 'returns')!;
    expect(returns).toMatchObject({ state: 'holds' });
    expect(returns.note).toMatch(/in this rehearsal/);
    expect(returns.checks.map((one) => one.ok)).toEqual([true, true, true, true, true, true]);
    expect(lastTouchedMs(set(world), world.journal.changes)).toBeGreaterThan(provedMs);
    // The order proof speaks of how the members came up, and still holds after one of them was replaced.
    expect(states(world).order).toBe('holds');
  });

  test('speak of the last member that was ready when it was taken away: of one that was not, nothing is known to compare', () => {
    const world = mended();
    remove(world, bookings(0));
    world.runSettled();
    remove(world, bookings(1));
    world.runUntil(world.nowMs + 20_000);
    // It is on its way back, and taken away once more.
    const uid = world.store.get('Pod', 'tickets', 'bookings-1')?.metadata.uid;
    expect([uid === undefined, isReady(world.store.get('Pod', 'tickets', 'bookings-1'))]).toEqual([false, false]);
    remove(world, bookings(1));
    world.runSettled();
    expect(isReady(world.store.get('Pod', 'tickets', 'bookings-1'))).toBe(true);
    const returns = run(world).find((one) => one.id === 'returns')!;
    expect(returns).toMatchObject({ state: 'holds', says: 'bookings-1 came back: 6 of 6 as expected' });
    expect(returns.note).toMatch(/^Taken away at .* in this rehearsal/);
  });

  test('a member that would find no node any more does not come back, and no check of it holds', () => {
    const world = mended();
    for (const node of world.store.nodes()) world.put({ ...node, spec: { ...node.spec, unschedulable: true } });
    const returns = run(world).find((one) => one.id === 'returns')!;
    expect(returns.state).toBe('broken');
    expect(returns.checks.map(({ ok, got }) => [ok, got])).toEqual(Array(6).fill([false, 'it has not come back']));
    expect(isReady(world.store.get('Pod', 'tickets', 'bookings-0'))).toBe(true);
  });

  test('find damage: a row that changed, a service that went, a member that was made before its time', () => {
    const damaged = mended();
    const asset = damaged.store.list('Asset')[0]!;
    damaged.put({
      ...asset,
      status: {
        ...asset.status!,
        store: { ...asset.status!.store!, rows: [['bookings-0/0', 'bad'], ...asset.status!.store!.rows.slice(1)] }
      }
    });
    expect(states(damaged).data).toBe('broken');
    const nameless = mended();
    remove(nameless, ref('Service', 'tickets', 'bookings'));
    nameless.runSettled();
    expect(states(nameless).names).toBe('broken');
    const hasty = mended();
    const two = hasty.store.get('Pod', 'tickets', 'bookings-2')!;
    const one = hasty.store.get('Pod', 'tickets', 'bookings-1')!;
    hasty.put({ ...one, status: { ...one.status, conditions: [] } });
    hasty.drop(bookings(2));
    hasty.put(two);
    expect(states(hasty).order).toBe('broken');
  });
});
