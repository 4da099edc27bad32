/* What sizing says of a store, a broker, a pool and a volume, beside what the stand-in then really keeps, loses and fills: twenty drawn inputs each, within 5 %. */
import { expect, test } from 'vitest';
import { driverGates } from '$core/rootline';
import { groundObjects, poolObject, World } from '$core/standin';
import { LogBroker } from '$core/standin/engines/log';
import type { LogDisk } from '$core/standin/engines/log/types';
import { ObjectStore } from '$core/standin/engines/objects';
import type { Drive } from '$core/standin/engines/objects/drives';
import { fullAtMs } from '$core/standin/engines/fill';
import { calculationNamed, sizedBy, taken, type CalcId, type Sized, type Taken } from '$core/sizing';
import type { Asset } from '$core/model';
import { groundOf } from '../../../src/lib/scenario';
import { Bench, luck } from '../engines/bench';
import { claimOf, classOf, must, pool, send, settle } from '../help';

const inputs = Array.from({ length: 20 }, (_, i) => i + 1);
function figures(id: CalcId, written: Record<string, string>): Record<string, number> {
  const sized = sizedBy(calculationNamed(id)!, written);
  if ('faults' in sized) throw new Error(JSON.stringify(sized.faults));
  return Object.fromEntries((sized as Sized).figures.map((one) => [one.id, one.value]));
}
const near = (got: number, want: number, what: string): void => expect(Math.abs(got / want - 1), what).toBeLessThan(0.05);

test.each(inputs)('an object store, %i: bytes on its volumes, members that may go with all to read, and with more written', (seed) => {
  const { int } = luck(seed);
  const [members, volumes] = [int(3, 7), int(1, 3)];
  const parity = int(0, Math.floor(members / 2));
  const bytes = int(80, 160) * 1_024 * (members - parity) * volumes;
  const ids = Array.from({ length: members }, (_, i) => `o-${i}`);
  const bench = new Bench(new ObjectStore(parity), ids, seed);
  bench.volumes = volumes;
  bench.start(...ids);
  const ask = (op: Parameters<Bench['ask']>[0]['op'], id: string, member = ids.at(-1)!) => {
    bench.ask({ id, op, member });
    bench.run(4_000);
    return bench.answers.get(id)?.outcome;
  };
  expect(ask({ do: 'make-bucket', place: 'bay' }, 'm')).toBe('acknowledged');
  expect(ask({ do: 'put', place: 'bay', key: 'k', bytes }, 'p')).toBe('acknowledged');
  const got = figures('store', { members: String(members), volumes: String(volumes), parity: String(parity), object: `${bytes} B` });
  const shards = ids.flatMap((id) =>
    Array.from({ length: volumes }, (_, nth) => bench.disk<Drive>(id, nth)!).flatMap((one) =>
      Object.values(one.shards).flatMap((two) => two.bytes ?? [])
    )
  );
  near(got.overhead!, shards.reduce((sum, one) => sum + bench.bytes(one).length, 0) / bytes, 'bytes on volumes');
  // As many as may go while it is written to, then as many as may go at all; one more is too many.
  for (const id of ids.slice(0, got.writable)) bench.crash(id);
  expect(ask({ do: 'put', place: 'bay', key: 'l', bytes: 100 }, 'w'), `written without ${got.writable}`).toBe('acknowledged');
  for (const id of ids.slice(0, got.members)) bench.crash(id);
  expect(ask({ do: 'get', place: 'bay', key: 'k' }, 'r'), `read without ${got.members}`).toBe('acknowledged');
  bench.crash(ids[got.members!]!);
  if (got.members! + 1 < members) expect(ask({ do: 'get', place: 'bay', key: 'k' }, 's')).not.toBe('acknowledged');
});

test.each(inputs)('a log broker, %i: bytes of messages on each broker, and when its disk is full', (seed) => {
  const { int } = luck(seed);
  const brokers = int(3, 6);
  const copies = int(1, Math.min(3, brokers));
  const ids = ['c-0', ...Array.from({ length: brokers }, (_, i) => `b-${i}`)];
  const bench = new Bench(new LogBroker(), ids, seed);
  bench.part = (id) => (id.startsWith('c-') ? 'coordinator' : 'broker');
  for (const id of ids) {
    bench.start(id);
    bench.run(6_000);
  }
  const ask = (op: Parameters<Bench['ask']>[0]['op'], id: string, forMs: number) => {
    bench.ask({ id, op, member: 'b-0' });
    bench.run(forMs);
    return bench.answers.get(id)?.outcome;
  };
  const partitions = brokers * int(1, 3);
  expect(ask({ do: 'make-topic', place: 't', count: partitions, value: JSON.stringify({ replicas: copies, least: 1 }) }, 't', 2_000)).toBe(
    'acknowledged'
  );
  const [count, bytes] = [partitions * int(400, 900), int(60, 300)];
  expect(ask({ do: 'produce', place: 't', count, bytes, acks: 'all' }, 'p', 120_000)).toBe('acknowledged');
  // So many messages a second for one second, kept for that long, with nothing kept free.
  const slots = {
    brokers: String(brokers),
    copies: String(copies),
    rate: `${count * bytes} B/s`,
    kept: '1 s',
    free: '0 %',
    lost: '0',
    has: '1 GiB'
  };
  const got = figures('broker', slots);
  const lies = Array.from({ length: brokers }, (_, i) =>
    Object.values(bench.disk<LogDisk>(`b-${i}`)?.parts ?? {})
      .flatMap((one) => one.batches)
      .reduce((sum, one) => sum + one.sizeBytes, 0)
  );
  expect(lies.every((one) => one > 0)).toBe(true);
  for (const one of lies) near(got.again! * 40e6, one, `${lies.join(' ')} on each`);

  // Days until its disk is full, beside a volume that fills as fast.
  const [has, aDay] = [int(40, 900), int(1, 30)];
  const asset = {
    metadata: { name: `v-${seed}` },
    spec: { size: `${has}Gi`, fsType: 'ext4' },
    status: { fill: { bytes: 0, atMs: 0, bytesPerDay: aDay * 2 ** 30 } }
  } as Asset;
  const rate = `${(aDay * 2 ** 30 * brokers) / copies / 86_400} B/s`;
  const full = fullAtMs(asset)! / 86_400_000;
  // The stand-in is busier by day than by night: up to a fifth of a day either way.
  expect(Math.abs(figures('broker', { ...slots, rate, has: `${has} GiB` }).days! / 86_400 - full)).toBeLessThan(0.05 * full + 0.2);
  expect(Math.abs(figures('fill', { size: `${has} GiB`, used: '0 GiB', grows: `${aDay} GiB` }).to100! / 86_400 - full)).toBeLessThan(
    0.05 * full + 0.2
  );
  // A disk of the size that is asked for holds what it is asked for.
  const wanted = figures('broker', { ...slots, rate, kept: '6 days' }).disk!;
  near(fullAtMs({ ...asset, spec: { ...asset.spec, size: String(Math.ceil(wanted)) } } as Asset)! / 86_400_000, 6, 'six days of it');
});

/** A pool of so many nodes that are alike, mended gate by gate, with claims of so many GiB in it. */
function poolOf(seed: number, { nodes, disks, size, copies, stored }: Record<'nodes' | 'disks' | 'size' | 'copies' | 'stored', number>) {
  const group = {
    name: 'shed',
    count: nodes,
    zone: 'shed',
    cpu: '12',
    memory: '48Gi',
    disks: [{ size: '90Gi', holds: 'system' }, ...Array(disks).fill({ size: `${size}Gi` })]
  };
  const world = World.create({ seed, ground: groundObjects(groundOf({ cluster: 'work', octet: 71, groups: [group] })) });
  world.runUntil(1);
  for (let i = 0; i < 12; i += 1) {
    const gate = driverGates(world.store, pool).find((one) => one.state === 'broken');
    if (!gate) break;
    const found = gate.remedy?.manifests?.map((one) => (one.kind === 'Pool' ? poolObject(one.metadata.name, copies) : one));
    if (!found) throw new Error(`${gate.title}: ${gate.says}`);
    must(world, { type: 'send', objects: found });
    world.runSettled();
  }
  settle(
    world,
    classOf('pooled', pool) +
      claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: pooled, resources: {requests: {storage: ${stored}Gi}}`)
  );
  return world;
}

test.each(inputs)('a pool of disks, %i: what it holds, can heal, and for how long it heals a node and a disk', (seed) => {
  const { int } = luck(seed);
  const copies = int(2, 3);
  const [nodes, disks, size] = [int(copies + 1, 7), int(1, 3), int(200, 900)];
  const stored = int(20, Math.floor((0.6 * (nodes - 1) * disks * size) / copies));
  let world = poolOf(seed, { nodes, disks, size, copies, stored });
  const [one] = world.store.list('Pool');
  const written = (taken(world.store, 'pool', undefined) as Taken).written;
  expect(written).toMatchObject({ nodes: String(nodes), disks: String(disks), copies: String(copies) });
  const got = figures('pool', { ...written, stored: `${stored} GiB` });
  near(got.raw!, one!.status!.rawBytes, 'raw');
  near(got.usable!, one!.status!.usableBytes, 'usable');
  near(stored * 2 ** 30, one!.status!.storedBytes, 'stored');
  const lost = (yaml: string, is: (one: { disk?: string | undefined }) => boolean): number => {
    send(world, `apiVersion: standin.example/v1\n${yaml}\n`);
    world.runUntil(world.nowMs + 400_000);
    const found = world.store.list('Pool')[0]!.status!.lost.find(is)!;
    return (found.doneMs - found.atMs) / 1_000;
  };
  const { metadata, spec } = world.store.list('Disk').find((two) => two.status?.prepared)!;
  const dead = `kind: Disk\nmetadata: {name: ${metadata.name}}\nspec: {node: ${spec.node}, size: ${spec.size}, dead: true}`;
  near(
    got.healDisk!,
    lost(dead, (two) => two.disk !== undefined),
    'a disk'
  );
  // A node in a world of its own: what is left of the disk's would stand beside it.
  world = poolOf(seed, { nodes, disks, size, copies, stored });
  const node = world.store.list('Disk').find((two) => two.status?.prepared)!.spec.node;
  near(
    got.healNode!,
    lost(`kind: Outage\nmetadata: {name: off}\nspec: {dark: [${node}]}`, (two) => two.disk === undefined),
    'a node'
  );
});
