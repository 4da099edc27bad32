import { describe, expect, test } from 'vitest';
import { billOf, costKinds, readPrices, type Bill, type Prices } from '$core/sizing';
import { bytesOf } from '$core/shared';
import { replay } from '$core/standin';
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
    ['  volumes: [{class: a, price: 0.1 per GiB}]', 6, 'spec.volumes.0.price: write a price for room and a time, like 0.11 per GiB month'],
    ['  addresses: -3 per month', 6, 'spec.addresses: write a price for a time, like 84 per month or 0.12 per hour'],
    ['  traffic: 3 per GiB month', 6, 'spec.traffic: write a price for bytes, like 0.012 per GiB'],
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
