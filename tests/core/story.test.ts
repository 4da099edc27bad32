import { describe, expect, test } from 'vitest';
import { asManifest, readManifests, writeManifests } from '$core/manifest';
import { isReady, readySinceMs } from '$core/model';
import { momentOf } from '$core/shared';
import { lineSentence, rootLine } from '$core/rootline';
import { assetOf, plan, replay, resolve, sentByPerson, type World } from '$core/standin';
import { bookings, bookingsSet, driver, firstBreak, must, ref, remove, send, south, southOrigin } from './help';

const pod = (world: World, ordinal: number) => world.store.get('Pod', 'tickets', `bookings-${ordinal}`);
const claim = (world: World, ordinal: number) => world.store.get('PersistentVolumeClaim', 'tickets', `data-bookings-${ordinal}`);
const mended = (): World => {
  const world = south();
  must(world, { type: 'send', objects: driver() });
  world.runSettled();
  return world;
};

describe('bookings on south-quay', () => {
  test('waits for its driver, and says so in one sentence; its three members meet in the class', () => {
    const world = south();
    expect(firstBreak(world, bookings(0))?.joint).toBe('driver');
    const line = rootLine(world.store, bookingsSet)!;
    expect(lineSentence(line)).toBe('bookings waits: no driver answers to block.standin.example.');
    expect(line.trunks.map((one) => one.firstBreak)).toEqual(['driver', 'driver', 'driver']);
    for (const joint of ['backend', 'rights', 'driver', 'class'] as const) {
      expect(line.joints.filter((one) => one.joint === joint).map((one) => one.trunks)).toEqual([[0, 1, 2]]);
    }
    const [broken] = line.joints.filter((one) => one.state === 'broken');
    expect(broken?.evidence.some((one) => one.event?.reason === 'ExternalProvisioning')).toBe(true);
    // The remedy is ready to be sent, and mends it.
    const remedy = readManifests(writeManifests(broken!.remedy!.manifests!));
    expect(remedy.problems).toEqual([]);
    must(world, { type: 'send', objects: remedy.objects.map((one) => one.object) });
    world.runSettled();
    expect(rootLine(world.store, bookingsSet)!.joints.filter((one) => one.state !== 'holds')).toEqual([]);
  });

  test('comes up in order once the driver is sent: 3 claims bound, each member started after the one before was ready', () => {
    const world = mended();
    for (const ordinal of [0, 1, 2]) {
      expect(claim(world, ordinal)?.status?.phase).toBe('Bound');
      expect(isReady(pod(world, ordinal))).toBe(true);
    }
    for (const ordinal of [1, 2]) {
      const made = momentOf(String(pod(world, ordinal)!.metadata.creationTimestamp));
      expect(made).toBeGreaterThanOrEqual(readySinceMs(pod(world, ordinal - 1))!);
    }
    // One member per node, as the set asks, and spread over both zones.
    expect(new Set([0, 1, 2].map((one) => pod(world, one)!.spec.nodeName)).size).toBe(3);
  });

  test('names: the bare name fails, the service makes it resolve, another namespace needs the namespace', () => {
    const world = mended();
    const address = pod(world, 0)!.status!.podIP!;
    expect(resolve(world.store, 'tickets', 'bookings-0')).toMatchObject({ addresses: [] });
    expect(resolve(world.store, 'tickets', 'bookings-0.bookings').addresses).toEqual([address]);
    expect(resolve(world.store, 'default', 'bookings-0.bookings').addresses).toEqual([]);
    expect(resolve(world.store, 'default', 'bookings-0.bookings.tickets').addresses).toEqual([address]);
    expect(resolve(world.store, 'default', 'bookings-0.bookings.tickets.svc.cluster.local.').addresses).toEqual([address]);
    expect(resolve(world.store, 'tickets', 'bookings').addresses).toHaveLength(3);
    expect(resolve(world.store, 'tickets', '_sql._tcp.bookings').srv).toHaveLength(3);
    expect(resolve(world.store, 'tickets', 'bookings-sql').addresses).toEqual([
      world.store.get('Service', 'tickets', 'bookings-sql')!.spec.clusterIP
    ]);
  });

  test('a member that is taken away comes back with its name, claim, handle and data, and another address', () => {
    const world = mended();
    const before = {
      pod: pod(world, 0)!,
      volume: claim(world, 0)!.spec.volumeName,
      store: assetOf(world.store, pod(world, 0)!)!.status!.store!
    };
    expect(before.store.rows.length).toBeGreaterThan(0);
    remove(world, bookings(0));
    world.runSettled();
    const after = pod(world, 0)!;
    expect(isReady(after)).toBe(true);
    expect(after.metadata.uid).not.toBe(before.pod.metadata.uid);
    expect(after.status!.podIP).not.toBe(before.pod.status!.podIP);
    expect(claim(world, 0)!.spec.volumeName).toBe(before.volume);
    expect(assetOf(world.store, after)!.status!.store).toEqual(before.store);
  });

  test('scaling to 1 takes 2 and then 1 away; back to 3 finds the same claims', () => {
    const world = mended();
    const handles = [0, 1, 2].map((one) => claim(world, one)!.spec.volumeName);
    const set = () => world.store.get('StatefulSet', 'tickets', 'bookings')!;
    const scale = (replicas: number) => {
      must(world, { type: 'send', objects: [asManifest({ ...set(), spec: { ...set().spec, replicas } })] });
      world.runSettled();
    };
    const from = world.journal.changes.length;
    scale(1);
    const gone = world.journal.changes
      .slice(from)
      .flatMap(({ before, after }) => (before?.kind === 'Pod' && !after ? [before.metadata.name] : []));
    expect(gone).toEqual(['bookings-2', 'bookings-1']);
    scale(3);
    expect([0, 1, 2].map((one) => claim(world, one)!.spec.volumeName)).toEqual(handles);
    expect([0, 1, 2].every((one) => isReady(pod(world, one)))).toBe(true);
  });

  test('the manifests taken out bring an empty stand-in on the same ground up in the same way', () => {
    const world = mended();
    const sent = [
      'Namespace',
      'CSIDriver',
      'StorageClass',
      'ServiceAccount',
      'ClusterRole',
      'ClusterRoleBinding',
      'ConfigMap',
      'Secret',
      'Service',
      'DaemonSet',
      'Deployment',
      'StatefulSet'
    ] as const;
    const yaml = writeManifests(
      sent
        .flatMap((kind) => world.store.list(kind))
        .filter(sentByPerson)
        .map(asManifest)
    );
    const origin = southOrigin();
    const other = replay(origin, [], 0);
    send(other, yaml);
    other.runSettled();
    const shape = (one: World) =>
      one.store.list('PersistentVolumeClaim').map((c) => [c.metadata.name, c.status?.phase, c.status?.capacity?.storage]);
    expect(shape(other)).toEqual(shape(world));
    expect([0, 1, 2].every((one) => isReady(pod(other, one)))).toBe(true);
    // And sent again to where they came from, they change nothing.
    expect(
      plan(
        world.store,
        readManifests(yaml).objects.map((one) => one.object)
      ).map((one) => one.outcome)
    ).toSatisfy((all: string[]) => all.every((one) => one === 'untouched'));
  });

  test('a fork from before the driver still breaks at it, whatever happens on the trunk', () => {
    const origin = southOrigin();
    const trunk = mended();
    const fork = replay(origin, origin.actions, origin.headMs);
    expect(firstBreak(fork, bookings(0))?.joint).toBe('driver');
    expect(firstBreak(trunk, bookings(0))).toBeUndefined();
  });

  test('a claim grows while it is mounted, without a restart', () => {
    const world = mended();
    const uid = pod(world, 1)!.metadata.uid;
    const one = claim(world, 1)!;
    must(world, { type: 'send', objects: [asManifest({ ...one, spec: { ...one.spec, resources: { requests: { storage: '60Gi' } } } })] });
    world.runSettled();
    expect(claim(world, 1)!.status!.capacity!.storage).toBe('60Gi');
    expect(claim(world, 1)!.status!.conditions ?? []).toEqual([]);
    expect(assetOf(world.store, pod(world, 1)!)!.spec.size).toBe('60Gi');
    expect(pod(world, 1)!.metadata.uid).toBe(uid);
  });

  test('a changed template replaces the members from the highest ordinal down, one at a time', () => {
    const world = mended();
    const set = world.store.get('StatefulSet', 'tickets', 'bookings')!;
    const template = {
      ...set.spec.template,
      metadata: { ...set.spec.template.metadata, labels: { ...set.spec.template.metadata!.labels, release: 'second' } }
    };
    const from = world.journal.changes.length;
    must(world, { type: 'send', objects: [asManifest({ ...set, spec: { ...set.spec, template } })] });
    world.runSettled();
    const made = world.journal.changes
      .slice(from)
      .flatMap(({ before, after }) => (after?.kind === 'Pod' && !before ? [after.metadata.name] : []));
    expect(made).toEqual(['bookings-2', 'bookings-1', 'bookings-0']);
    expect([0, 1, 2].every((one) => pod(world, one)!.metadata.labels!.release === 'second' && isReady(pod(world, one)))).toBe(true);
  });

  test('the set is taken away but its members stay; sent anew, it takes them over', () => {
    const world = mended();
    const set = asManifest(world.store.get('StatefulSet', 'tickets', 'bookings')!);
    const uids = [0, 1, 2].map((one) => pod(world, one)!.metadata.uid);
    remove(world, bookingsSet, true);
    world.runSettled();
    expect([0, 1, 2].map((one) => pod(world, one)?.metadata.uid)).toEqual(uids);
    must(world, { type: 'send', objects: [set] });
    world.runSettled();
    expect([0, 1, 2].map((one) => pod(world, one)?.metadata.uid)).toEqual(uids);
    expect(world.store.get('StatefulSet', 'tickets', 'bookings')!.status!.readyReplicas).toBe(3);
  });

  test('a claim that is taken away waits for its pod; then volume and asset go, as the policy Delete says', () => {
    const world = mended();
    remove(world, ref('PersistentVolumeClaim', 'tickets', 'data-bookings-2'));
    world.runSettled();
    expect(claim(world, 2)?.metadata.deletionTimestamp).toBeDefined();
    remove(world, bookingsSet);
    world.runSettled();
    expect(claim(world, 2)).toBeUndefined();
    expect(world.store.list('PersistentVolume')).toHaveLength(2);
    expect(world.store.list('Asset')).toHaveLength(2);
    expect(world.store.list('VolumeAttachment')).toHaveLength(0);
  });
});
