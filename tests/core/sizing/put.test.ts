/* What a calculation comes to is put into manifests; sent and at rest, the same is taken again. */
import { describe, expect, test } from 'vitest';
import { askOf, refOf, type ApiObject, type StatefulSet } from '$core/model';
import {
  calculationNamed,
  put,
  putClass,
  putNodes,
  scheduleEvery,
  sizedBy,
  taken,
  takenNodes,
  type CalcId,
  type Put,
  type Sized,
  type Taken
} from '$core/sizing';
import { fileSystemRoom, type World } from '$core/standin';
import { harbourPool, objects, smallSet } from '../help';
import { barn, daily, into, plan, planOf, run, write } from '../backups/help';
import { answered, must, roomy } from '../roomy';

const of = { namespace: 'space', name: 'one' };
function standing(id: string, more: Record<string, string> = {}, alter = (one: ApiObject): ApiObject => one): World {
  const world = roomy({ nodes: 3, capacity: '40000Gi' });
  must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
  must(world, ...answered(id, { ...of, ...more }).map(alter));
  world.runSettled();
  return world;
}
/** Sends what a sizing was put into; sets whose templates change are made anew around their members. */
function sent(world: World, found: Put | string): Put {
  if (typeof found === 'string') throw new Error(found);
  const sets = found.objects.filter((one) => one.kind === 'StatefulSet');
  const replace = sets.filter((one) => {
    const now = world.store.get('StatefulSet', one.metadata.namespace ?? '', one.metadata.name);
    return JSON.stringify(now?.spec.volumeClaimTemplates) !== JSON.stringify((one as typeof now)!.spec.volumeClaimTemplates);
  });
  expect(world.act({ type: 'send', objects: found.objects, replace: replace.map((one) => refOf(one)) })).toEqual([]);
  world.runSettled();
  return found;
}
const slotsOf = (world: World, id: CalcId): Readonly<Record<string, string>> => {
  const found = taken(world.store, id, id === 'pool' ? undefined : of);
  if (typeof found === 'string') throw new Error(found);
  return found.written;
};
/** Takes, alters, puts and sends; gives what is then taken. */
function round(world: World, id: CalcId, altered: Record<string, string>) {
  const before = slotsOf(world, id);
  const made = sent(world, put(world.store, id, id === 'pool' ? undefined : of, { ...before, ...altered }));
  return { before, made, after: slotsOf(world, id) };
}
const refusal = (world: World, id: CalcId, altered: Record<string, string>): string =>
  put(world.store, id, id === 'pool' ? undefined : of, { ...slotsOf(world, id), ...altered }) as string;

/** The set of a name with a second claim template beside its first, of another class where one is named. */
const besides =
  (name: string, storageClassName?: string) =>
  (one: ApiObject): ApiObject => {
    if (one.kind !== 'StatefulSet' || one.metadata.name !== name) return one;
    const [first] = one.spec.volumeClaimTemplates!;
    const more = { ...first!, metadata: { name: 'more' }, spec: { ...first!.spec, ...(storageClassName ? { storageClassName } : {}) } };
    return { ...one, spec: { ...one.spec, volumeClaimTemplates: [first!, more] } };
  };

describe('there and back', () => {
  test('members: as many as survive what is asked, as find slots, as may be away', () => {
    const world = standing('document-set', { tls: 'off' });
    expect(round(world, 'spread', { lostZones: '1', lostMembers: '1' }).after).toMatchObject({ members: '9', nodes: '9', zones: '3' });
    expect(round(world, 'slots', { members: '5' }).after.members).toBe('5');
    expect((put(world.store, 'durability', of, { ...slotsOf(world, 'durability'), disks: '7', mayFail: '3' }) as Put).not).toBe('');
    expect((put(world.store, 'durability', of, { ...slotsOf(world, 'durability'), disks: '9', mayFail: '3' }) as Put).not).toBe(
      'Disks of a group'
    );
    expect(round(world, 'durability', { mayFail: '1' }).after).toMatchObject({ disks: '3', mayFail: '1' });
    expect(world.store.get('StatefulSet', 'space', 'one')!.status).toMatchObject({ replicas: 3, readyReplicas: 3 });
    // What isn't written is named; what can't be is refused, with why.
    expect(round(world, 'spread', { nodes: '12', lostMembers: '2', lostZones: '0' }).made.not).toBe('Nodes');
    expect(refusal(world, 'spread', { lostZones: '3' })).toBe('no number of members survives that');
    expect(refusal(world, 'spread', { lostZones: '0', lostMembers: '2' })).toMatch(/^as many members has one already: 5$/);
    // What can not be read, or be together, is said; and nothing is written for what nothing can be taken of.
    expect(refusal(world, 'slots', { members: 'many' })).toMatch(/^Members: Write a whole number/);
    expect(refusal(world, 'spread', { nodes: '2', zones: '3' })).toBe("2 nodes can't stand in 3 zones");
    expect(put(world.store, 'broker', of, {})).toBe('it is no log broker');
    expect(put(world.store, 'backup', of, {})).toBe('no plan copies it: make one under Backups');
    expect(refusal(world, 'slots', { members: '3 to 5' })).toBe('Members is a range: write one value');
    expect(refusal(world, 'slots', { members: '900' })).toMatch(/^\d+ of 900 members would find no slot$/);
  });

  test('sizes: of brokers by what they keep, of a store, of a volume that is to be quicker', () => {
    const broker = standing('log-broker', { tls: 'off' });
    // Of several sets the one that decides by majority has members more; slots say nothing of which.
    const five = put(broker.store, 'spread', of, { ...slotsOf(broker, 'spread'), lostZones: '0', lostMembers: '2' }) as Put;
    expect(five.objects.map((one) => [one.metadata.name, (one as StatefulSet).spec.replicas])).toEqual([['one-coord', 5]]);
    expect(refusal(broker, 'slots', { members: '9' })).toBe('one is made of several sets: node fit writes how many each has');
    const { after } = round(broker, 'broker', { rate: '0.3 MB/s', kept: '5 days', lost: '1' });
    // 0.3e6 x 432,000 s x 1.3 are 156.9 GiB, and ext4 leaves as much of 170 GiB, not of 168.
    expect(after.has).toBe('170 GiB');
    expect([168, 170].map((one) => fileSystemRoom('ext4', one * 2 ** 30).availableBytes > 0.3e6 * 432_000 * 1.3)).toEqual([false, true]);
    const store = standing('object-store', { members: '4', volumes: '2', parity: '2', size: '40Gi' });
    expect(round(store, 'store', { size: '64 GiB' }).after).toMatchObject({ size: '64 GiB', members: '4', volumes: '2', parity: '2' });
    expect(store.store.list('PersistentVolumeClaim', 'space').map((one) => one.status?.capacity?.storage)).toEqual(Array(8).fill('64Gi'));
    expect(refusal(store, 'store', { parity: '1' })).toMatch(/^its members, volumes and parity are laid out once/);
    expect(refusal(store, 'durability', { mayFail: '3' })).toMatch(/laid out once/);
    expect(slotsOf(store, 'durability')).toMatchObject({ disks: '8', mayFail: '4' });
    // 2,100 a second are to be 70 % of what the volume does: 3,000, at so many for each GiB.
    const sql = standing('document-set', { size: '40Gi' });
    const perGib = Number(slotsOf(sql, 'speed').perGib);
    const quick = round(sql, 'speed', {
      asked: '2100',
      nodeIops: '100000',
      nodeFlow: '9000 MB/s',
      flow: '9000 MB/s',
      latency: '1 ms',
      flight: '64',
      most: '90000'
    });
    expect(quick.after.size).toBe(`${Math.ceil(3_000 / perGib)} GiB`);
    expect(quick.made.not).toMatch(/^Most of the volume, Bytes a second of the volume/);
    expect(refusal(sql, 'speed', { asked: '1' })).toMatch(/^no size of its volumes gives more/);
    // No size gives 3,000 where 2,500 are the most, or the node gives no more.
    for (const less of [{ most: '2500' }, { nodeIops: '2500' }])
      expect(
        refusal(sql, 'speed', {
          asked: '2100',
          nodeIops: '100000',
          nodeFlow: '9000 MB/s',
          flow: '9000 MB/s',
          latency: '1 ms',
          flight: '64',
          most: '90000',
          ...less
        })
      ).toMatch(/^no size/);
  });

  test('a broker with two volumes has each of them grown to half; a volume on a pool may lose as many disks as the pool has copies more than one', () => {
    const world = roomy({ nodes: 3, capacity: '40000Gi' });
    must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
    const two = besides('one');
    must(world, ...answered('log-broker', of).map(two));
    world.runSettled();
    const found = put(world.store, 'broker', of, { ...slotsOf(world, 'broker'), rate: '0.3 MB/s', kept: '5 days' }) as Put;
    expect(found.title).toBe('claims of one to 85Gi');

    const pool = harbourPool().world;
    must(pool, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
    must(pool, ...answered('document-set', { ...of, class: 'pool-volumes', size: '40Gi' }));
    pool.runSettled();
    expect(slotsOf(pool, 'durability')).toMatchObject({ disks: '12', mayFail: '2' });
    expect(round(pool, 'durability', { mayFail: '1' }).after.mayFail).toBe('1');
    // Disks are of the ground; as many members as there are to be go along.
    expect((put(pool.store, 'durability', of, { ...slotsOf(pool, 'durability'), disks: '20', mayFail: '2' }) as Put).not).toBe(
      'Disks of a group'
    );
    expect(put(pool.store, 'durability', of, { ...slotsOf(pool, 'durability'), mayFail: '4' })).toHaveProperty(
      'title',
      'harbour-pool with 5 copies'
    );
    expect(refusal(pool, 'durability', { mayFail: '5' })).toBe('a pool keeps five copies at most, so four disks may be away');
  });

  test('copies of a pool and how fast they are made anew; disks are of the ground, and stay', () => {
    const { world } = harbourPool();
    expect(slotsOf(world, 'pool').copies).not.toBe('2');
    const { made, after } = round(world, 'pool', { copies: '2', recovery: '150 MB/s', disks: '9' });
    expect(after).toMatchObject({ copies: '2', recovery: '150 MB/s' });
    expect(made.not).toBe('Disks of a node');
  });

  test('a plan of copies: its pace, what is kept, its log, and what is asked', () => {
    const world = barn();
    must(world, ...plan(`how: copy, ${daily}, keep: {newest: 4}, ${into}`));
    write(world, 'a');
    run(world, 'first');
    expect(slotsOf(world, 'backup')).toMatchObject({ every: '1 day', kept: '4', fullEvery: '1', log: '0 s' });
    const first = put(world.store, 'backup', of, { ...slotsOf(world, 'backup'), kept: '5' }) as Put;
    expect([first.not, first.objects.map((one) => one.kind)]).toEqual(['Lost at most, Back within', ['BackupPlan']]);
    const { made, after } = round(world, 'backup', {
      every: '6 h',
      kept: '9',
      fullEvery: '3',
      log: '40 s',
      point: '90 s',
      time: '2 h',
      changes: '9 GiB'
    });
    expect(after).toMatchObject({ every: '6 h', kept: '9', fullEvery: '3', log: '40 s', point: '90 s', time: '2 h' });
    expect(made.not).toBe('');
    expect(planOf(world).spec).toMatchObject({ how: 'copy-and-log', logEverySeconds: 40 });
    expect(refusal(world, 'backup', { every: '5 h' })).toMatch(/^a schedule can't say every 5 h: choose/);
    expect(refusal(world, 'backup', { log: '5 s' })).toMatch(/^a log is taken away every 10/);
    // Of copies that are kept by days the sheet says nothing: they stay as they are.
    must(world, ...plan(`how: copy, ${daily}, keep: {newest: 3, days: 7}, ${into}`));
    expect(slotsOf(world, 'backup')).not.toHaveProperty('kept');
    expect(round(world, 'backup', { kept: '9' }).made.not).toBe('Copies kept');
    expect(planOf(world).spec.keep).toMatchObject({ newest: 3, days: 7 });
    must(world, ...plan(`how: snapshots, ${daily}`));
    expect(refusal(world, 'backup', { log: '60 s' })).toMatch(/^snapshots have no log/);
    expect(refusal(world, 'backup', { fullEvery: '2' })).toMatch(/^a snapshot is always whole/);
    expect(['60', '15', '90', '1440', '10080', '300'].map((minutes) => scheduleEvery(Number(minutes) * 60_000, '20 3 * * *'))).toEqual([
      '20 */1 * * *',
      '*/15 * * * *',
      undefined,
      '20 3 * * *',
      '20 3 * * 0',
      undefined
    ]);
  });

  test('counts and requests of rows; a row of nothing that stands is named, and what an operator keeps is left to it', () => {
    const world = standing('document-set', { cpu: '500m', memory: '2Gi', tls: 'off' });
    const { ask } = takenNodes(world.store, of) as Exclude<ReturnType<typeof takenNodes>, string>;
    expect(putNodes(world.store, of, ask.members)).toBe('all of it stands so already');
    const [row] = ask.members;
    const made = sent(
      world,
      putNodes(world.store, of, [
        { ...row!, count: '4', cpu: '750m', memory: '3Gi' },
        { ...row!, name: 'thought of' }
      ])
    );
    expect(made.not).toBe('thought of');
    expect(world.store.list('Pod', 'space').map(({ spec }) => askOf(spec))).toEqual(
      Array(4).fill({ milliCpu: 750, memoryBytes: 3 * 2 ** 30 })
    );
    expect((takenNodes(world.store, of) as { ask: typeof ask }).ask.members[0]).toMatchObject({ count: '4', cpu: '750m', memory: '3Gi' });
    expect(putNodes(world.store, of, [{ ...row!, name: 'thought of' }])).toBe('none of the rows is a set that stands here');
    // Limits go along where they would be below; what other containers ask for stays, and memory that is no whole MiB reads the same.
    const set = (containers: string): StatefulSet =>
      objects(smallSet({ name: 'plain' }).replace(/\n {6}containers:\n.*\n/, `\n      containers: ${containers}\n`)).find(
        (one) => one.kind === 'StatefulSet'
      ) as StatefulSet;
    must(world, ...objects(smallSet({ name: 'plain' })).filter((one) => one.kind === 'Service'));
    must(
      world,
      set(
        '[{name: main, image: x, resources: {requests: {cpu: 200m, memory: "1000000000"}, limits: {cpu: 300m, memory: 2Gi}}}, {name: beside, image: y, resources: {requests: {cpu: 100m}}}]'
      )
    );
    const plain = { namespace: 'default', name: 'plain' };
    const rows = (takenNodes(world.store, plain) as { ask: typeof ask }).ask.members;
    expect(rows).toMatchObject([{ name: 'plain', cpu: '300m', memory: '954Mi' }]);
    expect(putNodes(world.store, plain, rows)).toBe('all of it stands so already');
    const asked = (cpu: string, memory: string) => {
      const found = putNodes(world.store, plain, [{ ...rows[0]!, cpu, memory }]);
      return typeof found === 'string'
        ? found
        : (found.objects[0] as StatefulSet).spec.template.spec.containers.map((one) => one.resources);
    };
    expect(asked('600m', '954Mi')).toEqual([
      { requests: { cpu: '500m', memory: '1000000000' }, limits: { cpu: '500m', memory: '2Gi' } },
      { requests: { cpu: '100m' } }
    ]);
    expect(asked('300m', '3Gi')).toMatchObject([{ requests: { cpu: '200m', memory: '3Gi' }, limits: { cpu: '300m', memory: '3Gi' } }, {}]);
    expect(asked('50m', '954Mi')).toBe('plain: its other containers ask for more CPU than that');
    const kept = standing('memory-store');
    const [its] = (takenNodes(kept.store, of) as { ask: typeof ask }).ask.members;
    expect(putNodes(kept.store, of, [{ ...its!, count: '9' }])).toBe('one: an operator keeps it: ask for it in its resource');
    expect(refusal(kept, 'slots', { members: '4' })).toBe('an operator keeps one: ask for it in its resource');
  });

  test('claims in another class: those that stand stay, and are named', () => {
    const world = standing('document-set');
    const made = sent(world, putClass(world.store, of, 'steady-block', 'shared'));
    expect(made.not).toMatch(/^the class of data-one-0, data-one-1 and data-one-2, which stay in steady-block/);
    sent(world, put(world.store, 'slots', of, { ...slotsOf(world, 'slots'), members: '4' }));
    expect(world.store.get('PersistentVolumeClaim', 'space', 'data-one-3')!.spec.storageClassName).toBe('shared');
    // Claims that are in another class already are not named.
    const mixed = standing('document-set', {}, besides('one', 'shared'));
    expect((putClass(mixed.store, of, 'steady-block', 'shared') as Put).not).toMatch(
      /^the class of data-one-0, data-one-1 and data-one-2, which/
    );
    expect(putClass(world.store, of, 'steady-block', 'none')).toBe('there is no class none');
    expect(putClass(world.store, of, 'other', 'shared')).toBe('no set of one has claims that name other');
  });
});

test('what a drill measured is how long healing takes; without it that is reckoned, or left open', () => {
  const world = standing('document-set');
  expect((taken(world.store, 'durability', of) as Taken).written).not.toHaveProperty('heal');
  expect(taken(world.store, 'durability', of, { 'volume-lost': 83_400 })).toMatchObject({
    written: { heal: '83 s' },
    not: expect.stringMatching(/the drill "volume lost" measured$/)
  });
  const sized = (heal: string) =>
    (sizedBy(calculationNamed('durability')!, { ...slotsOf(world, 'durability'), yearly: '2 %', heal }) as Sized).figures.find(
      (one) => one.id === 'loss'
    )!.value;
  expect(sized('83 s')).toBeLessThan(sized('2 h') / 50);
});
