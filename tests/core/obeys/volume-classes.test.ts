/* Classes of attributes, what drivers say of their room, and gates. Sources: "Volume Attributes Classes", "Storage Capacity", RollingUpdateStatefulSetStrategy v1 apps. */
import { expect, test } from 'vitest';
import { changeSheet } from '$core/change';
import type { FeatureGate, World } from '$core/standin';
import { claimAssetOf, firstBreak, ref } from '../help';
import { claim, eventsAbout, get, markOf, mounts, nodeOf, objects, pod, podsLike, ready, readyOnes, send, set } from './help';

function open(...featureGates: FeatureGate[]): World {
  const world = ready();
  const [ground] = world.store.list('Ground');
  world.put({ ...ground!, spec: { ...ground!.spec, featureGates } });
  return world;
}
const attributes = (name: string, parameters: string, driver = 'block.standin.example') =>
  `apiVersion: storage.k8s.io/v1\nkind: VolumeAttributesClass\nmetadata: {name: ${name}}\ndriverName: ${driver}\nparameters: {${parameters}}\n---\n`;
const wants = (name: string) => claim('c', `volumeAttributesClassName: ${name}`);
const stands = (world: World) => {
  const { spec, status } = get(world, 'PersistentVolumeClaim', 'c')!;
  return {
    current: status?.currentVolumeAttributesClassName,
    modify: status?.modifyVolumeStatus?.status,
    volume: world.store.get('PersistentVolume', '', spec.volumeName ?? '')?.spec.volumeAttributesClassName,
    speed: claimAssetOf(world, 'space', 'c')?.spec.parameters?.speed
  };
};

test('a volume is made with the attributes of its class, and changed to those of another while it is in use', () => {
  const world = open('VolumeAttributesClass');
  send(world, attributes('slow', 'speed: cheap') + attributes('quick', 'speed: fast') + wants('slow') + pod('p', mounts('c')));
  world.runSettled();
  expect(stands(world)).toEqual({ current: 'slow', modify: undefined, volume: 'slow', speed: 'cheap' });
  const started = get(world, 'Pod', 'p')!.status!.startTime;
  send(world, wants('quick'));
  world.runUntil(world.nowMs + 1_000);
  expect(stands(world)).toEqual({ current: 'slow', modify: 'InProgress', volume: 'slow', speed: 'cheap' });
  world.runSettled();
  expect(stands(world)).toEqual({ current: 'quick', modify: undefined, volume: 'quick', speed: 'fast' });
  expect(get(world, 'PersistentVolumeClaim', 'c')!.status!.conditions ?? []).toEqual([]);
  expect(get(world, 'Pod', 'p')!.status!.startTime).toBe(started);
});

test('attributes that the driver cannot change are infeasible until another class, or the old one, is named', () => {
  const world = open('VolumeAttributesClass');
  send(world, attributes('slow', 'speed: cheap') + attributes('sealed', 'encrypted: "true"') + wants('slow') + pod('p', mounts('c')));
  world.runSettled();
  send(world, wants('sealed'));
  world.runUntil(world.nowMs + 20_000);
  expect(stands(world)).toMatchObject({ current: 'slow', modify: 'Infeasible' });
  expect(eventsAbout(world, 'PersistentVolumeClaim', 'c').join()).toContain("can't change encrypted of a volume; it can change speed");
  expect(firstBreak(world, ref('PersistentVolumeClaim', 'space', 'c'))).toMatchObject({ joint: 'claim' });
  send(world, wants('slow'));
  world.runUntil(world.nowMs + 5_000);
  expect(stands(world)).toMatchObject({ current: 'slow', modify: undefined });
  expect(firstBreak(world, ref('PersistentVolumeClaim', 'space', 'c'))).toBeUndefined();
  expect(world.act({ type: 'send', objects: objects(claim('c')) })[0]).toMatchObject({ at: { field: 'spec.volumeAttributesClassName' } });
});

test('a class of attributes that lacks is waited for: by a new volume, and by one that is in use', () => {
  const world = open('VolumeAttributesClass');
  send(world, wants('later') + pod('p', mounts('c')));
  world.runUntil(world.nowMs + 30_000);
  expect(get(world, 'PersistentVolumeClaim', 'c')!.status!.phase).toBe('Pending');
  expect(eventsAbout(world, 'PersistentVolumeClaim', 'c').join()).toContain("class of attributes later doesn't exist");
  send(world, attributes('later', 'speed: fast') + attributes('others', 'speed: fast', 'pool.standin.example'));
  world.runSettled();
  expect(stands(world)).toMatchObject({ current: 'later', speed: 'fast' });
  for (const [name, mended] of [['missing', 'speed: cheap'] as const, ['others', undefined] as const]) {
    send(world, wants(name));
    world.runUntil(world.nowMs + 5_000);
    expect(stands(world), name).toMatchObject({ current: 'later', modify: 'Pending' });
    if (mended) send(world, attributes(name, mended));
    else send(world, wants('missing'));
    world.runUntil(world.nowMs + 60_000);
    if (mended) expect(stands(world)).toMatchObject({ current: 'missing', speed: 'cheap' });
    if (mended) send(world, wants('later'));
    world.runUntil(world.nowMs + 60_000);
  }
});

test('without its gate a cluster serves no classes of attributes, and the change sheet says of claims and sets what is not played out', () => {
  const world = ready();
  const [refused] = world.act({ type: 'send', objects: objects(attributes('slow', 'speed: cheap')) });
  expect(refused).toMatchObject({
    message: expect.stringContaining("doesn't serve"),
    remedy: expect.stringContaining('from 1.34 on it is open')
  });
  const batch = objects(wants('slow') + set('updateStrategy: {rollingUpdate: {maxUnavailable: 2}}'));
  const said = (one: World) => changeSheet(one.store, batch).notPlayed.flatMap(({ fields }) => fields.map(({ field }) => field));
  expect(said(world)).toEqual(['spec.volumeAttributesClassName', 'spec.updateStrategy.rollingUpdate.maxUnavailable']);
  expect(said(open('VolumeAttributesClass', 'MaxUnavailableStatefulSet'))).toEqual([]);
});

test('so many members of a set are replaced at once as its gate and maxUnavailable allow', () => {
  const most = (world: World, spec: string) => {
    send(world, set(`${spec}\n  updateStrategy: {rollingUpdate: {maxUnavailable: 50%}}`));
    world.runSettled();
    send(world, set(`${spec}\n  updateStrategy: {rollingUpdate: {maxUnavailable: 50%}}`, 'two'));
    let away = 0;
    const end = world.nowMs + 600_000;
    while (world.nowMs < end && podsLike(world, 's').some((one) => markOf(one) !== 'two')) {
      world.runUntil(world.nowMs + 100);
      away = Math.max(away, 3 - readyOnes(world, 's'));
    }
    world.runSettled();
    expect(podsLike(world, 's').map(markOf)).toEqual(['two', 'two', 'two']);
    return away;
  };
  // Half of three, rounded up.
  for (const policy of ['OrderedReady', 'Parallel']) {
    expect(most(open('MaxUnavailableStatefulSet'), `podManagementPolicy: ${policy}`), policy).toBe(2);
    expect(most(ready(), `podManagementPolicy: ${policy}`), policy).toBe(1);
  }
});

const driver = (on: boolean) =>
  `apiVersion: storage.k8s.io/v1\nkind: CSIDriver\nmetadata: {name: told.example}\nspec: {storageCapacity: ${on}}\n---\napiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: told}\nprovisioner: told.example\nvolumeBindingMode: WaitForFirstConsumer\n---\n`;
const room = (name: string, zone: string, says: string) =>
  `apiVersion: storage.k8s.io/v1\nkind: CSIStorageCapacity\nmetadata: {name: ${name}, namespace: space}\nstorageClassName: told\n${zone}${says}\n---\n`;
const inZone = (zone: string) => `nodeTopology: {matchLabels: {topology.kubernetes.io/zone: ${zone}}}\n`;

test('a pod is placed only where the driver says that it has room for the volume', () => {
  const world = ready();
  const zones = [...new Set(world.store.nodes().flatMap((one) => one.metadata.labels?.['topology.kubernetes.io/zone'] ?? []))];
  const [a, b] = zones as [string, string];
  send(world, driver(true) + claim('c', 'storageClassName: told', '10Gi') + pod('p', mounts('c')));
  world.runUntil(world.nowMs + 5_000);
  const chosen = () => get(world, 'PersistentVolumeClaim', 'c')!.metadata.annotations?.['volume.kubernetes.io/selected-node'];
  const says = () => eventsAbout(world, 'Pod', 'p').join();
  expect([chosen(), says()]).toEqual([undefined, expect.stringContaining('no room for the volume')]);
  // Too small; large enough in all, but not in one piece; of no node; unknown.
  send(world, room('small', inZone(a), 'capacity: 9Gi') + room('pieces', inZone(a), 'capacity: 90Gi\nmaximumVolumeSize: 5Gi'));
  send(world, room('nowhere', '', 'capacity: 90Gi') + room('unknown', inZone(a), ''));
  world.runUntil(world.nowMs + 5_000);
  expect(chosen()).toBeUndefined();
  send(world, room('fits', inZone(b), 'capacity: 10Gi'));
  world.runUntil(world.nowMs + 5_000);
  expect(world.store.get('Node', '', chosen()!)!.metadata.labels!['topology.kubernetes.io/zone']).toBe(b);
  const tried = ready();
  send(tried, driver(false) + claim('c', 'storageClassName: told', '10Gi') + pod('p', mounts('c')));
  tried.runUntil(tried.nowMs + 5_000);
  expect(get(tried, 'PersistentVolumeClaim', 'c')!.metadata.annotations?.['volume.kubernetes.io/selected-node']).toBeDefined();
  expect(nodeOf(tried, 'p')).toBeUndefined();
});

test('a driver that says so tells of its room, zone by zone, and as it changes; nobody is placed where it has none', () => {
  const world = ready();
  const block = world.store.get('CSIDriver', '', 'block.standin.example')!;
  const [backend] = world.store.list('Backend').filter((one) => one.spec.driver === block.metadata.name);
  const zones = backend!.spec.zones.map((one, i) => ({ ...one, capacity: i === 0 ? '4Gi' : '20Gi' }));
  world.put({ ...backend!, spec: { ...backend!.spec, zones } });
  world.put({ ...block, spec: { ...block.spec, storageCapacity: true } });
  world.runSettled();
  const told = () =>
    Object.fromEntries(
      world.store.list('CSIStorageCapacity').map((one) => [Object.values(one.nodeTopology!.matchLabels!)[0], one.capacity])
    );
  const [a, b] = zones.map((one) => one.name) as [string, string];
  expect(told()).toEqual(Object.fromEntries(zones.map((one) => [one.name, one.capacity])));
  send(world, claim('c', '', '12Gi') + pod('p', mounts('c')));
  world.runSettled();
  expect(world.store.get('Node', '', nodeOf(world, 'p')!)!.metadata.labels!['topology.kubernetes.io/zone']).toBe(b);
  expect(told()).toMatchObject({ [a]: '4Gi', [b]: '8Gi' });
  send(world, claim('large', '', '9Gi') + pod('q', mounts('large')));
  world.runSettled();
  expect(firstBreak(world, ref('Pod', 'space', 'q'))).toMatchObject({ joint: 'backend' });
  expect(eventsAbout(world, 'Pod', 'q').join()).toContain('no room for the volume');
  // Room that comes back lets it in.
  world.act({ type: 'remove', ref: ref('Pod', 'space', 'p') });
  world.act({ type: 'remove', ref: ref('PersistentVolumeClaim', 'space', 'c') });
  world.runUntil(world.nowMs + 120_000);
  expect(get(world, 'Pod', 'q')!.status!.phase).toBe('Running');
  expect(told()).toMatchObject({ [b]: '11Gi' });
});

test('telling its room takes a right of the driver: without it somebody says so, and nobody is placed by figures that nobody heard', () => {
  const world = ready();
  const block = world.store.get('CSIDriver', '', 'block.standin.example')!;
  const roles = world.store
    .list('ClusterRole')
    .filter((one) => one.rules?.some((rule) => rule.resources?.includes('csistoragecapacities')));
  expect(roles.length).toBeGreaterThan(0);
  for (const role of roles) {
    const rules = (role.rules ?? []).filter((rule) => !rule.resources?.includes('csistoragecapacities'));
    world.put({ ...role, rules });
  }
  world.put({ ...block, spec: { ...block.spec, storageCapacity: true } });
  world.runSettled();
  expect(world.store.list('CSIStorageCapacity')).toEqual([]);
  expect(eventsAbout(world, 'CSIDriver', block.metadata.name, '').join()).toMatch(/CapacityForbidden: .*csistoragecapacities is forbidden/);
  for (const role of roles) world.put(role);
  world.runSettled();
  expect(world.store.list('CSIStorageCapacity').length).toBeGreaterThan(0);
});

test('while its gate is shut a class of attributes keeps no claim from a volume that lies ready', () => {
  for (const gates of [[], ['VolumeAttributesClass']] as FeatureGate[][]) {
    const world = open(...gates);
    const volume = `apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: laid}\nspec: {capacity: {storage: 1Gi}, accessModes: [ReadWriteOnce], storageClassName: '', hostPath: {path: /srv/laid}}\n---\n`;
    send(world, volume + claim('c', "storageClassName: '', volumeAttributesClassName: quick"));
    world.runUntil(world.nowMs + 60_000);
    expect(get(world, 'PersistentVolumeClaim', 'c')!.status?.phase, gates.join()).toBe(gates.length ? 'Pending' : 'Bound');
  }
});
