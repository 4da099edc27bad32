import { describe, expect, test } from 'vitest';
import { billOf, costKinds, readPrices, type Bill, type Prices } from '$core/sizing';
import { bytesOf } from '$core/shared';
import type { ApiObject } from '$core/model';
import { replay, Store } from '$core/standin';
import { named } from '../help';

const list = (spec: string) => `apiVersion: standin.example/v1\nkind: PriceList\nmetadata: {name: tried}\nspec:\n  unit: crowns\n${spec}`;
const whole = `  nodes: [{name: berth, cpu: '6', memory: 40Gi, price: 0.2 per hour}]
  volumes: [{class: steady-block, price: 0.12 per GiB month}, {class: '*', price: 0.08 per GB month}]
  snapshots: 0.6 per GiB year
  addresses: 3 per month
  traffic: 0.02 per GiB
`;
const prices = (text: string): Prices => {
  const read = readPrices(text);
  if ('faults' in read) throw new Error(JSON.stringify(read.faults));
  return read;
};
const scenarioWorld = (name: string) => {
  const { seed, ground, actions, headMs } = named(name);
  return replay({ seed, ground }, actions, headMs);
};

/** Whatever is paid is somebody's, the place's, or idle. */
const holds = (bill: Bill) => {
  const sum = bill.workloads.reduce((all, one) => all + one.total, 0) + bill.place + bill.idle.reduce((all, one) => all + one.month, 0);
  expect(sum).toBeCloseTo(bill.total, 6);
  for (const kind of costKinds) {
    const its =
      bill.workloads.reduce((all, one) => all + one.by[kind], 0) +
      bill.idle.reduce((all, one) => all + (one.kind === kind ? one.month : 0), 0);
    expect(its, kind).toBeLessThanOrEqual(bill.by[kind] + 1e-6);
  }
};

describe('a price list', () => {
  test('units are turned into months and bytes; an average month has 730.485 hours', () => {
    const read = prices(list(whole));
    expect(read.node(6_000, 40 * 2 ** 30)).toBeCloseTo(0.2 * 730.485, 9);
    expect(read.node(6_000, 39 * 2 ** 30)).toBeUndefined();
    expect(read.volume('steady-block')! * 2 ** 30).toBeCloseTo(0.12, 12);
    expect(read.volume('other')! * 1e9).toBeCloseTo(0.08, 12);
    expect(read.snapshots! * 2 ** 30).toBeCloseTo(0.05, 12);
    expect(read.traffic! * 2 ** 30).toBeCloseTo(0.02, 12);
  });

  test.each([
    ['  volumes: [{class: a, price: 0.1 per GiB}]', 6, 'spec.volumes.0.price: write a price for room and a time, like 0.31 per GiB month'],
    ['  addresses: -3 per month', 6, 'spec.addresses: write a price for a time, like 84 per month or 0.17 per hour'],
    ['  traffic: 3 per GiB month', 6, 'spec.traffic: write a price for bytes, like 0.037 per GiB'],
    ['  from: 2026-02-30', 6, 'spec.from: write a day, like 2026-01-31'],
    ['  from: 2026-03-01\n  to: 2026-02-01', 7, 'spec.to: ends before it begins'],
    ['  nodes:\n  - {name: a, cpu: two, memory: 4Gi, price: 1 per day}', 7, 'spec.nodes.0.cpu: write a quantity, like 4 or 16Gi'],
    ['  operations: 3 per million', 6, 'spec: unrecognized key: "operations"']
  ])('what is wrong is said with its line: %s', (spec, line, says) => {
    const read = readPrices(list(spec));
    expect('faults' in read && read.faults).toEqual([{ line, says }]);
  });

  test('what is no list at all is said, too', () => {
    for (const text of ['', ': :', '[1, 2]', 'a: &a [*a]', 'kind: PriceList\nkind: PriceList'])
      expect('faults' in readPrices(text) && (readPrices(text) as { faults: unknown[] }).faults.length, text).toBeGreaterThan(0);
  });
});

describe('a month of the demo', () => {
  test('by hand: nodes are shared by requests, volumes by their class; all of it is somebody’s, the place’s or idle', () => {
    const { store } = scenarioWorld('north-quay');
    const bill = billOf(store, prices(list(whole)));
    holds(bill);
    const nodes = store.list('Node').length;
    expect(bill.by.nodes).toBeCloseTo(nodes * 0.2 * 730.485, 6);
    const gib = (className: RegExp) =>
      store
        .list('PersistentVolume')
        .filter((one) => className.test(one.spec.storageClassName ?? ''))
        .reduce((sum, one) => sum + bytesOf(one.spec.capacity!.storage!), 0) /
      2 ** 30;
    const steady = gib(/^steady-block$/);
    expect(bill.by.volumes).toBeGreaterThanOrEqual(steady * 0.12);
    const boarding = bill.workloads.find((one) => one.name === 'boarding')!;
    const its = boarding.classes.find((one) => one.className === 'steady-block')!;
    expect(boarding.by.volumes).toBeCloseTo((its.bytes / 2 ** 30) * 0.12, 6);
    // What three brokers take in lies in three zones: two thirds of it come from another one.
    expect(boarding.by.traffic).toBeGreaterThan(0);
    expect(bill.unpriced).toEqual([]);
  });

  test('a volume whose claim is gone costs on, and is idle; what has no price is named, and counts nothing', () => {
    const world = scenarioWorld('north-quay');
    const before = billOf(world.store, prices(list(whole)));
    const [claim] = world.store
      .list('PersistentVolumeClaim')
      .filter((one) => !world.store.podsOfClaim(one.metadata.namespace!, one.metadata.name).length);
    expect(
      before.idle.some((one) => one.what === `${claim!.metadata.namespace}/${claim!.metadata.name}` && one.why === 'no pod names it')
    ).toBe(true);
    const bare = billOf(world.store, prices(list('')));
    holds(bare);
    expect(bare.total).toBe(0);
    expect(bare.unpriced).toEqual(expect.arrayContaining([expect.stringMatching(/^nodes with 6 CPU and 40Gi \(\d+ times\)$/)]));
  });
});

/** A cluster of two nodes in two zones, written out. */
function writtenOut(): Store {
  const store = new Store();
  const put = (one: object) => store.place(undefined, one as ApiObject);
  const capacity = (cpu: string, memory: string) => ({ cpu, memory });
  const node = (name: string, zone: string) =>
    put({
      apiVersion: 'v1',
      kind: 'Node',
      metadata: { name, labels: { 'topology.kubernetes.io/zone': zone } },
      status: {
        capacity: capacity('6', '40Gi'),
        allocatable: capacity('5', '40Gi'),
        conditions: [{ type: 'Ready', status: 'True' }]
      }
    });
  const pod = (name: string, nodeName: string, cpu: string, memory: string, claim?: string, owner?: object) =>
    put({
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: {
        name,
        namespace: 'space',
        uid: name,
        labels: owner ? {} : { 'apps.kubernetes.io/pod-index': name.split('-')[1] },
        ...(owner ? { ownerReferences: [owner] } : {})
      },
      spec: {
        nodeName,
        containers: [
          {
            name: 'main',
            image: 'any',
            resources: { requests: { cpu, memory } },
            ...(claim ? { volumeMounts: [{ name: 'data', mountPath: '/data' }] } : {})
          }
        ],
        volumes: claim ? [{ name: 'data', persistentVolumeClaim: { claimName: claim } }] : []
      },
      status: { phase: 'Running' }
    });
  const volume = (name: string, claim: string | undefined, size: string) => {
    put({
      apiVersion: 'v1',
      kind: 'PersistentVolume',
      metadata: { name },
      spec: {
        capacity: { storage: size },
        storageClassName: 'steady-block',
        accessModes: ['ReadWriteOnce'],
        persistentVolumeReclaimPolicy: 'Delete',
        csi: { driver: 'block.standin.example', volumeHandle: `h-${name}` },
        ...(claim ? { claimRef: { namespace: 'space', name: claim } } : {})
      }
    });
  };
  const claim = (name: string, volumeName: string, size: string) =>
    put({
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: { name, namespace: 'space' },
      spec: { accessModes: ['ReadWriteOnce'], volumeName, storageClassName: 'steady-block', resources: { requests: { storage: size } } },
      status: { phase: 'Bound', capacity: { storage: size } }
    });
  const asset = (name: string, size: string, more: object, fill?: object) =>
    put({
      apiVersion: 'standin.example/v1',
      kind: 'Asset',
      metadata: { name },
      spec: { backend: 'b', driver: 'block.standin.example', zone: 'a', size, fsType: 'ext4', requestName: name, ...more },
      status: { attachedTo: [], ...(fill ? { fill } : {}) }
    });
  node('n1', 'a');
  node('n2', 'b');
  // Of 5 CPU on the first node 2 and 1 for members and 1 for a daemon set; on the second more is asked for than there is.
  pod('one-0', 'n1', '2', '4Gi', 'data-0');
  pod('two-0', 'n1', '1', '1Gi', 'data-0');
  pod('watch', 'n1', '1', '1Gi', undefined, { kind: 'DaemonSet', name: 'watch', apiVersion: 'apps/v1', uid: 'w', controller: true });
  pod('one-1', 'n2', '3', '4Gi', 'data-1');
  pod('three-0', 'n2', '500m', '80Gi');
  volume('v0', 'data-0', '100Gi');
  claim('data-0', 'v0', '100Gi');
  volume('v1', 'data-1', '100Gi');
  claim('data-1', 'v1', '100Gi');
  // Claimed once by a name that another volume has now; and nobody's.
  volume('old', 'data-1', '40Gi');
  volume('bare', undefined, '10Gi');
  const fill = (bytes: number, bytesPerDay: number) => ({ bytes, atMs: 0, bytesPerDay });
  asset('h-v0', '100Gi', {}, fill(20 * 2 ** 30, 2 ** 30));
  asset('h-v1', '100Gi', {}, fill(90 * 2 ** 30, 2 * 2 ** 30));
  asset('h-old', '40Gi', {});
  asset('h-bare', '10Gi', {});
  asset('lost', '7Gi', {});
  asset('snap', '100Gi', { snapshotOf: 'h-v0' });
  const service = (name: string, ip: string | undefined) =>
    put({
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name, namespace: 'space' },
      spec: { type: 'LoadBalancer', ports: [{ port: 1 }] },
      status: ip === undefined ? {} : { loadBalancer: { ingress: [{ ip }] } }
    });
  service('front', '192.0.2.1');
  service('waiting', undefined);
  return store;
}

describe('a month, by hand', () => {
  const month = 0.2 * 730.485;
  const bill = billOf(writtenOut(), prices(list(whole)));
  const of = (name: string) => bill.workloads.find((one) => one.name === name)!;
  const idle = (what: string) => bill.idle.find((one) => one.what === what);

  test('nodes are shared by the larger share of what they can give; more than all of it is scaled down', () => {
    holds(bill);
    // The second node: 3 of 5 CPU is 60 %, 80 of 40 GiB is 200 %: 3/13 and 10/13 of it.
    expect(of('one').by.nodes).toBeCloseTo(month * (2 / 5 + 3 / 13), 6);
    expect(of('two').by.nodes).toBeCloseTo(month / 5, 6);
    expect(of('three').by.nodes).toBeCloseTo((month * 10) / 13, 6);
    expect(bill.place).toBeCloseTo(month / 5, 6);
    expect(idle('n1: 20 % of it')!.month).toBeCloseTo(month / 5, 6);
    expect(bill.by.nodes).toBeCloseTo(2 * month, 6);
  });

  test('an address costs from when there is one', () => {
    expect(bill.by.addresses).toBe(3);
    expect(idle('space/front')).toMatchObject({ kind: 'addresses', month: 3, why: 'no pod answers behind it' });
  });

  test('a volume is charged once, to one that mounts it; what is claimed under a name that has another volume now is idle', () => {
    expect(of('one').by.volumes + of('two').by.volumes).toBeCloseTo(200 * 0.12, 6);
    expect(idle('old')).toMatchObject({ why: 'what claimed it, space/data-1, is gone' });
    expect(idle('old')!.month).toBeCloseTo(40 * 0.12, 6);
    expect(idle('bare')).toMatchObject({ why: 'nobody has claimed it' });
    // 7 GiB at 0.08 a GB; a snapshot is no volume.
    expect(idle('lost')!.month).toBeCloseTo(((7 * 2 ** 30) / 1e9) * 0.08, 6);
    expect(idle('snap')).toBeUndefined();
    expect(bill.idle.filter((one) => one.kind === 'volumes')).toHaveLength(3);
  });

  test('smaller volumes hold what is in them and 30 % more; between zones goes what others than the busiest zone take', () => {
    // 20 GiB need 26 of 100; 90 need 117, more than there is. One pod of the two that mount the first counts.
    const smaller = [of('one').smaller, of('two').smaller].filter(Boolean);
    expect(smaller.reduce((sum, one) => sum + one!.month, 0)).toBeCloseTo(74 * 0.12, 6);
    expect(of('one').smaller).toMatchObject({ from: 200 * 2 ** 30, to: 126 * 2 ** 30 });
    // 1 GiB a day in zone a, 2 in zone b.
    expect(of('one').by.traffic).toBeCloseTo((365.2425 / 12) * 0.02, 6);
  });
});
