import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { bytesOf } from '$core/shared';
import { asManifest } from '$core/manifest';
import { conditionOf, isReady, memberName, type Node } from '$core/model';
import { prove, tryClass } from '$core/proofs';
import { driverGates, rootLine, supplyGates } from '$core/rootline';
import { bytesOn, poolFigures, poolNodes, replay, usableBytes, World, type PoolNode } from '$core/standin';
import {
  alone,
  asLeft,
  bookings,
  bookingsSet,
  claimOf,
  classOf,
  driver,
  firstBreak,
  harbourPool,
  mend,
  must,
  named,
  podOf,
  pool,
  readySouth,
  ref,
  send,
  settle,
  size,
  south
} from './help';

const gib = 2 ** 30;
const unready = (node: Node): Node => ({
  ...node,
  status: {
    ...node.status,
    conditions: [{ type: 'Ready', status: 'Unknown', reason: 'NodeStatusUnknown', message: 'It stopped answering.' }]
  }
});

describe('a pool of own disks (harbour)', () => {
  const { world, order } = harbourPool();
  const status = () => world.store.list('Pool')[0]!.status!;

  test('is built from the drafts that its gates offer, lowest first', () => {
    expect(order).toEqual(['storage-nodes', 'operator', 'disks', 'driver', 'class']);
    expect(driverGates(world.store, pool).map((one) => `${one.joint} ${one.state}`)).toEqual([
      'storage-nodes holds',
      'operator holds',
      'disks holds',
      'keepers holds',
      'backend holds',
      'rights holds',
      'driver holds',
      'class holds'
    ]);
  });

  test('leaves no step open once everything is settled', () => {
    expect(world.log.steps.filter((one) => one.toMs === undefined).map((one) => `${one.subject} ${one.step}`)).toEqual([]);
  });

  test('holds what a hand calculation gives', () => {
    // By hand: shed-2 and tower-1 give one disk of 720 GiB, the other five nodes two: 8,640 GiB raw. Three copies: the largest U with
    // 5 * min(1440, U) + 2 * min(720, U) >= 3 U. With U = 2,880 nothing is capped, and 8,640 = 3 U.
    expect(status().rawBytes).toBe(8_640 * gib);
    expect(status().usableBytes).toBe(2_880 * gib);
    // After losing a node with 1,440: 7,200 = 3 * 2,400. After one with 720: 7,920 = 3 * 2,640.
    const figures = poolFigures(poolNodes(world.store, world.store.list('Pool')[0]!), 3);
    expect(figures.healableBytes).toBe(2_400 * gib);
    expect(figures.afterNode.map((one) => Math.floor(one.usableBytes / gib))).toEqual([2_400, 2_640, 2_400, 2_400, 2_400, 2_640, 2_400]);
    // East shed (3,600) away: 5,040 over four nodes, three of them equal, so 5,040 / 3; three copies may all have lain on its three nodes.
    expect(figures.afterZone.map((one) => [one.lost, Math.floor(one.usableBytes / gib), one.survives])).toEqual([
      ['east-shed', 1_680, false],
      ['west-shed', 1_920, true],
      ['tower', 2_160, true]
    ]);
  });

  test('refuses the used disk and the small one, with the reason', () => {
    const says = (name: string) => world.store.get('Disk', '', name)!.status;
    expect(says('shed-2-raw-2')).toMatchObject({ prepared: false, says: 'carries a file system' });
    expect(says('tower-1-raw-2')).toMatchObject({ prepared: false, says: 'too small: 8Gi, at least 16Gi is wanted' });
    expect(world.store.list('Disk').filter((one) => one.status?.prepared)).toHaveLength(12);
    expect(world.store.list('Job').every((one) => conditionOf(one.status?.conditions, 'Complete')?.status === 'True')).toBe(true);
  });

  test('hands out volumes that one can try, and that follow to any node', () => {
    settle(world, classOf('pool-three', pool, 'volumeBindingMode: WaitForFirstConsumer\nallowVolumeExpansion: true'));
    const trial = tryClass(World.restore(named('harbour').seed, world.save()), 'pool-three')!;
    expect(trial.checks.filter((one) => !one.ok)).toEqual([]);
    expect(trial.checks.map((one) => one.asked).join('\n')).toMatch(
      /a claim of \d+[GM]i[^]*mounts it[^]*read back[^]*second pod[^]*taken away/
    );
    // The trial's actions, repeated on the trunk, lead to the same.
    const again = World.restore(named('harbour').seed, world.save());
    for (const { atMs, action } of trial.actions) {
      again.runUntil(atMs);
      must(again, action);
    }
    again.runUntil(trial.untilMs);
    expect(again.store.list('Asset')).toHaveLength(world.store.list('Asset').length);
    expect(again.log.steps.flatMap((one) => (one.subject.endsWith('/first') ? [one.step] : []))).toContain('attaching');
  });

  test('heals after the loss of a node, and says how long', () => {
    settle(world, claimOf('big', `accessModes: [ReadWriteOnce], storageClassName: pool-three, ${size('300Gi')}`) + podOf('user', 'big'));
    expect(firstBreak(world, ref('Pod', 'default', 'user'))).toBeUndefined();
    const before = world.nowMs;
    const lost = ['shed-3', 'shed-4'].find((name) => world.store.get('Pod', 'default', 'user')!.spec.nodeName !== name)!;
    must(world, { type: 'send', objects: [asManifest(unready(world.store.get('Node', '', lost)!))] });
    world.runUntil(before + 10_000);
    // By hand: 300 GiB three times over 8,640 GiB; the node has 1,440 of it: 150 GiB, at 200 MB/s, after 2 min of waiting.
    const bytes = (300 * gib * 3 * 1_440) / 8_640;
    const [loss] = status().lost;
    expect(loss).toMatchObject({ node: lost, bytes, healed: false });
    expect(Math.abs(loss!.doneMs - loss!.atMs - 120_000 - (bytes / 200e6) * 1_000)).toBeLessThan(2);
    expect(
      supplyGates(world.store, world.store.get('StorageClass', '', 'pool-three')!).find((one) => one.joint === 'backend')!.says
    ).toContain('made anew');
    world.runSettled();
    expect(status().lost[0]!.healed).toBe(true);
    expect(world.log.steps.filter((one) => one.step === 'healing').map((one) => one.toMs! - one.fromMs)).toEqual([
      loss!.doneMs - loss!.atMs
    ]);
    expect(firstBreak(world, ref('Pod', 'default', 'user'))).toBeUndefined();
  });

  test('is not taken away while volumes of it exist', () => {
    for (const one of [ref('CSIDriver', '', pool), ref('Pool', '', 'harbour-pool')])
      expect(world.act({ type: 'remove', ref: one })[0]).toMatchObject({
        code: 'still-used',
        message: expect.stringMatching(/1 volume of pool/)
      });
  });

  test('the usable size is the largest one that the rule allows', () => {
    const allows = (caps: number[], copies: number, u: number) => caps.reduce((sum, one) => sum + Math.min(one, u), 0) >= copies * u;
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 5_000 }), { minLength: 1, maxLength: 9 }),
        fc.integer({ min: 1, max: 4 }),
        (caps, copies) => {
          const u = usableBytes(caps, copies);
          if (caps.length < copies) return u === 0;
          return allows(caps, copies, u) && !allows(caps, copies, u + 1);
        }
      )
    );
  });

  test('copies on nodes add up to all copies, and no node holds more than it has', () => {
    const node = fc.record({ bytes: fc.integer({ min: 100, max: 5_000 }), answers: fc.constant(true) });
    fc.assert(
      fc.property(fc.array(node, { minLength: 3, maxLength: 8 }), fc.double({ min: 0, max: 1, noNaN: true }), (list, share) => {
        const nodes: PoolNode[] = list.map((one, i) => ({ ...one, node: `n${i}`, zone: 'z' }));
        const stored = Math.floor(
          usableBytes(
            list.map((one) => one.bytes),
            3
          ) * share
        );
        const on = nodes.map((one) => bytesOn({ nodes }, one.node, stored, 3));
        expect(Math.abs(on.reduce((sum, one) => sum + one, 0) - 3 * stored)).toBeLessThanOrEqual(nodes.length);
        nodes.forEach((one, i) => expect(on[i]).toBeLessThanOrEqual(one.bytes + 1));
      })
    );
  });
});

describe('shared files (north-quay, chartroom)', () => {
  test('the member in the zone without a mount target waits, the others run; mended, all see all writes', () => {
    const world = asLeft('north-quay');
    const set = world.store.get('StatefulSet', 'charts', 'chartroom')!;
    const pods = [0, 1, 2].map((i) => world.store.get('Pod', 'charts', memberName(set, i))!);
    const zones = pods.map((pod) => world.store.get('Node', '', pod.spec.nodeName!)!.metadata.labels!['topology.kubernetes.io/zone']);
    expect(zones.filter((_, i) => isReady(pods[i]))).toEqual(zones.filter((one) => one !== 'c'));
    const stuck = pods[zones.indexOf('c')]!;
    const joint = firstBreak(world, ref('Pod', 'charts', stuck.metadata.name))!;
    expect([joint.joint, joint.says]).toEqual(['target', 'zone c: no mount target']);
    expect(stuck.status!.containerStatuses![0]!.state!.waiting!.message).toMatch(/DEADLINE_EXCEEDED.*mount target in zone c/);
    const class_ = world.store.get('StorageClass', '', 'charts')!;
    expect(supplyGates(world.store, class_).find((one) => one.state === 'broken')).toMatchObject({
      joint: 'target',
      says: 'zone c: no mount target'
    });

    expect(mend(world, ref('Pod', 'charts', stuck.metadata.name))).toBe('target');
    expect(firstBreak(world, ref('StatefulSet', 'charts', 'chartroom'))).toBeUndefined();
    const writers = [pods[0]!, stuck].map((one) => one.metadata.name);
    for (const pod of writers) must(world, { type: 'write', namespace: 'charts', pod, key: 'tides.txt', value: `seen by ${pod}` });
    for (const pod of writers) must(world, { type: 'write', namespace: 'charts', pod, key: `log/${pod}`, value: 'here' });
    const fork = () => World.restore(named('north-quay').seed, world.save());
    const proofs = prove({ facts: world.store, set, changes: world.journal.changes, fork });
    expect(proofs.find((one) => one.id === 'shared')).toMatchObject({
      state: 'holds',
      says: '9 of 9 pairs: what one writes, the other reads'
    });
    const [asset] = world.store.list('Asset').filter((one) => one.spec.driver === 'files.standin.example' && one.status?.store);
    const keys = asset!.status!.store!.rows.map(([key]) => key);
    expect(keys).toEqual(expect.arrayContaining(['tides.txt', ...writers.map((one) => `log/${one}`)]));
    expect(asset!.status!.store!.rows.find(([key]) => key === 'tides.txt')![1]).toBe(`seen by ${writers[1]}`);
  });

  test('a port that is closed, or open to too few, is named, and the remedy lets the nodes in', () => {
    for (const [letIn, says] of [
      ['[]', 'TCP 2049 of chart-files is closed'],
      ['[{port: 2049, from: 172.22.0.0/29}]', 'TCP 2049 of chart-files is not let in from 172.22.0.'],
      ['[{port: 111, from: 172.22.0.0/24}]', 'TCP 2049 of chart-files is closed']
    ] as const) {
      const world = asLeft('north-quay', 13 * 60_000);
      const { spec } = world.store.get('Backend', '', 'chart-files')!;
      settle(
        world,
        `apiVersion: standin.example/v1\nkind: Backend\nmetadata: {name: chart-files}\nspec: {driver: files.standin.example, quotaVolumes: 10, fileSystem: ${spec.fileSystem}, mountTargets: [{zone: a}, {zone: b}, {zone: c}], letIn: ${letIn}}\n---\n` +
          `${classOf('charts', 'files.standin.example')}${claimOf('shared', `accessModes: [ReadWriteMany], storageClassName: charts, ${size('1Gi')}`)}${podOf('reader', 'shared')}`
      );
      const subject = ref('Pod', 'default', 'reader');
      expect(firstBreak(world, subject)!.says).toContain(says);
      const told = firstBreak(world, subject)!.evidence.filter((one) => one.field === 'status.addresses');
      expect(told.length).toBeGreaterThan(0);
      for (const { object, value } of told) {
        const { addresses = [] } = world.store.get('Node', '', object.name)!.status!;
        expect(value).toBe(addresses.find((one) => one.type === 'InternalIP')!.address);
      }
      expect(mend(world, subject)).toBe('target');
      expect(firstBreak(world, subject)).toBeUndefined();
    }
  });

  test('a static volume may name the whole file system, and Delete never takes that away', () => {
    const world = asLeft('north-quay', 13 * 60_000);
    settle(
      world,
      `apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: whole}\nspec: {capacity: {storage: 1Ti}, accessModes: [ReadWriteMany], persistentVolumeReclaimPolicy: Delete, csi: {driver: files.standin.example, volumeHandle: fs-5b1e77a2}}\n---\n` +
        claimOf('whole', `accessModes: [ReadWriteMany], storageClassName: "", ${size('1Ti')}`) +
        podOf('a', 'whole', ', nodeSelector: {kubernetes.io/hostname: n-1}') +
        podOf('b', 'whole', ', nodeSelector: {kubernetes.io/hostname: n-2}')
    );
    for (const name of ['a', 'b']) expect(isReady(world.store.get('Pod', 'default', name))).toBe(true);
    for (const kind of ['a', 'b']) must(world, { type: 'remove', ref: ref('Pod', 'default', kind) });
    must(world, { type: 'remove', ref: ref('PersistentVolumeClaim', 'default', 'whole') });
    world.runSettled();
    expect(world.store.get('PersistentVolume', '', 'whole')).toBeUndefined();
    expect(world.store.get('Asset', '', 'fs-5b1e77a2')!.status!.store).toBeDefined();
  });
});

describe('the block driver with each prerequisite taken away (south-quay)', () => {
  const keeper = (change: (spec: { rights: string[]; issuer: string; subject: string; audience: string }) => object) => (world: World) => {
    const one = world.store.get('Identity', '', 'volume-keeper')!;
    must(world, { type: 'send', objects: [asManifest({ ...one, spec: { ...one.spec, ...change(one.spec as never) } } as typeof one)] });
  };
  const without = (right: string) => keeper(({ rights }) => ({ rights: rights.filter((one) => one !== right) }));
  const cases: [string, (world: World) => void, string][] = [
    [
      'the driver',
      (world) =>
        driver().forEach(
          (one) =>
            world.store.find(ref(one.kind, one.metadata.namespace ?? '', one.metadata.name)) &&
            one.kind !== 'Namespace' &&
            must(world, { type: 'remove', ref: ref(one.kind, one.metadata.namespace ?? '', one.metadata.name) })
        ),
      'driver'
    ],
    ['its registration', (world) => must(world, { type: 'remove', ref: ref('CSIDriver', '', 'block.standin.example') }), 'driver'],
    ['its controller', (world) => must(world, { type: 'remove', ref: ref('Deployment', 'storage-system', 'block-controller') }), 'driver'],
    ['its node plugins', (world) => must(world, { type: 'remove', ref: ref('DaemonSet', 'storage-system', 'block-node') }), 'driver'],
    ['its identity', (world) => must(world, { type: 'remove', ref: ref('Identity', '', 'volume-keeper') }), 'rights'],
    ['the trust in its issuer', keeper(() => ({ issuer: 'https://issuer.elsewhere.example' })), 'rights'],
    ['the trust in its subject', keeper(() => ({ subject: 'system:serviceaccount:storage-system:other' })), 'rights'],
    ['the right audience', keeper(() => ({ audience: 'other.example' })), 'rights'],
    ['the right to create', without('create'), 'rights'],
    ['the right to attach', without('attach'), 'rights'],
    [
      'the service account',
      (world) => {
        must(world, { type: 'remove', ref: ref('ServiceAccount', 'storage-system', 'block-driver') });
        for (const pod of world.store.list('Pod', 'storage-system'))
          must(world, { type: 'remove', ref: ref('Pod', 'storage-system', pod.metadata.name) });
      },
      'driver'
    ]
  ];
  test.each(cases)('%s: it is the first break, and the remedy that is sent mends it', (_, take, joint) => {
    const world = readySouth();
    take(world);
    world.runSettled();
    const all = alone('south-quay').actions.at(-1)!.action;
    must(world, all);
    world.runSettled();
    expect(mend(world, bookingsSet)).toBe(joint);
    expect(firstBreak(world, bookingsSet)).toBeUndefined();
    for (const i of [0, 1, 2]) expect(isReady(world.store.get('Pod', 'tickets', bookings(i).name))).toBe(true);
  });
});

describe('versions and parts of drivers', () => {
  const at = (version: string) => {
    const { ground, seed } = named('south-quay');
    return World.create({ seed, ground: ground.map((one) => (one.kind === 'Ground' ? { ...one, spec: { ...one.spec, version } } : one)) });
  };
  const image = (world: World) => {
    const gate = driverGates(world.store, 'block.standin.example').find((one) => one.joint === 'driver')!;
    return (
      gate.remedy?.manifests?.flatMap((one) => (one.kind === 'DaemonSet' ? one.spec.template.spec.containers[0]!.image : []))[0] ??
      gate.remedy!.text
    );
  };

  test('the newest that fits the cluster is offered, and an unfit one is refused with the reason', () => {
    expect(['1.27', '1.32', '1.33', '1.36'].map((one) => image(at(one)).split(':')[1])).toEqual(['r2', 'r3', 'r4', 'r4']);
    expect(image(at('1.40'))).toMatch(/No version of block.standin.example fits a cluster of 1.40/);
    const refused = at('1.32').act({
      type: 'send',
      objects: driver().map((one) => JSON.parse(JSON.stringify(one).replaceAll(':r3', ':r4')))
    });
    expect(refused[0]).toMatchObject({
      code: 'unfit-version',
      message: expect.stringMatching(/r4 fits clusters from 1.33 to 1.36; this one is 1.32/)
    });
  });

  test('an upgrade replaces the parts, and volumes go on', () => {
    const world = at('1.33');
    const install = driver();
    must(world, { type: 'send', objects: install });
    for (const one of alone('south-quay').actions) must(world, one.action);
    world.runSettled();
    must(world, { type: 'send', objects: install.map((one) => JSON.parse(JSON.stringify(one).replaceAll(':r3', ':r4'))) });
    world.runSettled();
    const images = world.store.list('Pod', 'storage-system').map((one) => one.spec.containers[0]!.image.split(':')[1]);
    expect(new Set(images)).toEqual(new Set(['r4']));
    expect(firstBreak(world, bookingsSet)).toBeUndefined();
  });

  test('a part that only helps may be late without holding anything up', () => {
    const world = readySouth();
    must(world, { type: 'remove', ref: ref('Deployment', 'storage-system', 'block-collector') });
    settle(world, claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: steady-block, ${size('1Gi')}`) + podOf('p', 'c'));
    expect(firstBreak(world, ref('Pod', 'default', 'p'))).toBeUndefined();
  });

  test('virtual nodes take no daemon set: block volumes break there, shared files work', () => {
    const world = asLeft('north-quay', 13 * 60_000);
    const node = world.store.get('Node', '', 'n-1')!;
    const labels = { ...node.metadata.labels, 'kubernetes.io/hostname': 'v-1', 'standin.example/virtual': 'true' };
    must(world, { type: 'send', objects: [asManifest({ ...node, metadata: { name: 'v-1', labels } })] });
    settle(
      world,
      classOf('charts', 'files.standin.example') +
        claimOf('f', `accessModes: [ReadWriteMany], storageClassName: charts, ${size('1Gi')}`) +
        claimOf('b', `accessModes: [ReadWriteOnce], storageClassName: plain-block, ${size('1Gi')}`) +
        podOf('files', 'f', ', nodeSelector: {kubernetes.io/hostname: v-1}') +
        podOf('block', 'b', ', nodeName: v-1')
    );
    expect(world.store.podsOn('v-1').some((pod) => pod.metadata.ownerReferences?.[0]?.kind === 'DaemonSet')).toBe(false);
    expect(isReady(world.store.get('Pod', 'default', 'files'))).toBe(true);
    expect(firstBreak(world, ref('Pod', 'default', 'block'))).toMatchObject({
      joint: 'driver',
      says: expect.stringMatching(/v-1 is a virtual node/)
    });
  });
});

describe('directories on nodes (pilot-house)', () => {
  test('a volume stays on its node, does not grow and takes no snapshot', () => {
    const world = asLeft('pilot-house');
    settle(world, claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: desk-dirs, ${size('4Gi')}`) + podOf('p', 'c'));
    const pod = world.store.get('Pod', 'default', 'p')!;
    expect(isReady(pod)).toBe(true);
    const [volume] = world.store.list('PersistentVolume');
    expect(JSON.stringify(volume!.spec.nodeAffinity)).toContain(
      `"kubernetes.io/hostname","operator":"In","values":["${pod.spec.nodeName}"]`
    );
    const other = ['desk-1', 'desk-2', 'desk-3'].find((one) => one !== pod.spec.nodeName)!;
    settle(world, podOf('q', 'c', `, nodeSelector: {kubernetes.io/hostname: ${other}}`));
    expect(firstBreak(world, ref('Pod', 'default', 'q'))).toMatchObject({
      joint: 'placing',
      says: expect.stringMatching(/out of reach of its volume/)
    });
    const trial = tryClass(World.restore(named('pilot-house').seed, world.save()), 'desk-dirs')!;
    expect(trial.checks.filter((one) => !one.ok)).toEqual([]);
    const grown = world.act({
      type: 'send',
      objects: [
        asManifest({
          ...world.store.get('PersistentVolumeClaim', 'default', 'c')!,
          spec: { ...world.store.get('PersistentVolumeClaim', 'default', 'c')!.spec, resources: { requests: { storage: '8Gi' } } }
        })
      ]
    });
    expect(grown[0]!.code).toBe('claim-cannot-grow');
  });
});

test('a line of many members is one look each, however many causes stand at once', () => {
  const world = south();
  send(
    world,
    `apiVersion: standin.example/v1\nkind: Registry\nmetadata: {name: shelf}\nspec: {host: shelf.standin.example, reachable: false}`
  );
  must(world, { type: 'remove', ref: ref('Identity', '', 'volume-keeper') });
  world.runSettled();
  const broken = rootLine(world.store, bookingsSet)!
    .joints.filter((one) => one.state === 'broken')
    .map((one) => one.joint);
  expect([...new Set(broken)]).toEqual(['rights', 'driver', 'image']);
  expect(bytesOf('1Gi')).toBe(gib);
  expect(replay(named('south-quay'), [], 0).nowMs).toBe(0);
});
