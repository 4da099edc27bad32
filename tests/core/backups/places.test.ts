/* Copies of topics, databases in memory, buckets and measurements, and the return of one place alone. */
import { epochMs } from '$core/shared';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { contentOf, contentText } from '$core/standin/engines/content';
import { makeBatch, textMessage } from '$core/standin/engines/log/payload';
import type { Op, World } from '$core/standin';
import { answered, ask, must } from '../roomy';
import { barn, daily, into, later, plan, returned, rowsOf, run, write } from './help';

const to = (world: World, op: Op, workload = 'one') => ask(world, 'space', workload, op);
const did = (world: World, op: Op, workload = 'one') => {
  const got = to(world, op, workload);
  expect(got, JSON.stringify(op)).toMatchObject({ outcome: 'acknowledged' });
  return got;
};
const copied = (engine: string, before: (world: World) => void): World => {
  const world = barn(engine);
  before(world);
  must(world, ...plan(`how: copy, ${daily}, ${into}`));
  expect(run(world, 'first')).toMatchObject({ phase: 'Done' });
  return world;
};

test('whatever bytes a copy keeps it gives back, and what was drawn by rule takes a line', () => {
  fc.assert(
    fc.property(fc.uint8Array({ maxLength: 80 }), (bytes) => {
      expect(contentOf(contentText(bytes))).toEqual(bytes);
    }),
    { numRuns: 200 }
  );
  fc.assert(
    fc.property(fc.string(), fc.nat(1_000), fc.integer({ min: 1, max: 9 }), fc.integer({ min: 8, max: 200 }), (who, first, count, size) => {
      const bytes = makeBatch(who, first, count, size);
      expect(contentText(bytes, count)).toMatch(/^drawn:/);
      expect(contentOf(contentText(bytes, count))).toEqual(bytes);
      // One bit of it changed, and it is drawn by no rule.
      const other = bytes.slice();
      other[other.length - 1]! ^= 1;
      expect(contentOf(contentText(other, count))).toEqual(other);
    }),
    { numRuns: 100 }
  );
  for (const text of ['', 'drawn:1:2:0:8', 'drawn:1:2:1:7', 'drawn:4294967296:0:1:8', 'drawn:1:0:1:99999999999', 'base64:!'])
    expect(contentOf(text), text).toBeUndefined();
});

describe('topics', () => {
  const topic = (world: World, place: string, texts: readonly string[]) => {
    did(world, { do: 'make-topic', place, count: 2, value: '{"replicas": 3, "least": 2}' });
    for (const value of texts) did(world, { do: 'produce', place, value, acks: 'all' });
  };
  const textsOf = (world: World, place: string) => {
    const { outcome, rows = [], says } = to(world, { do: 'consume', place, from: 'beginning', count: 50 });
    return outcome === 'acknowledged' ? rows : says;
  };

  test('are back with every message at its place, the groups where they were, and nothing that came since', () => {
    let before: unknown;
    const world = copied('log-broker', (one) => {
      topic(one, 'gates', ['a', 'b', 'c', 'd', 'e']);
      topic(one, 'bags', ['x']);
      did(one, { do: 'produce', place: 'bags', count: 25_000, bytes: 40 });
      did(one, { do: 'consume', place: 'gates', from: 'beginning', group: 'desk' });
      did(one, { do: 'produce', place: 'gates', value: 'f', acks: 'all' });
      later(one, 5_000);
      before = textsOf(one, 'gates');
    });
    const groups = to(world, { do: 'groups' }).rows;
    const bags = did(world, { do: 'consume', place: 'bags', from: 'beginning' });
    expect(bags.count).toBe(25_001);
    did(world, { do: 'drop', place: 'gates' });
    later(world, 2_000);
    expect(to(world, { do: 'consume', place: 'gates' })).toMatchObject({ outcome: 'refused', says: 'there is no topic gates' });
    topic(world, 'gates', ['other']);
    topic(world, 'late', ['z']);
    expect(returned(world, 'into: one', 'no').says).toContain('3 topics of its own, which would be overwritten');
    const back = returned(world, 'into: one, over: true', 'yes');
    expect(back).toMatchObject({ phase: 'Done', rows: 25_007 });
    expect(back.proved).toBe(back.checksum);
    expect(textsOf(world, 'gates')).toEqual(before);
    expect(to(world, { do: 'groups' }).rows).toEqual(groups);
    expect(did(world, { do: 'consume', place: 'bags', from: 'beginning' })).toMatchObject({ count: 25_001, checksum: bags.checksum });
    expect(textsOf(world, 'late')).toBe('there is no topic late');
  }, 30_000);

  test('a topic that is made again holds nothing of the one that was dropped, not even for a broker that was away', () => {
    const world = barn('log-broker');
    topic(world, 'gates', ['a', 'b', 'c', 'd', 'e', 'f']);
    const brokers = world.store.list('Process', 'space').filter((one) => one.spec.workload === 'one' && one.spec.part === 'broker');
    expect(brokers.length).toBe(3);
    const away = brokers.at(-1)!;
    must(world, {
      apiVersion: 'standin.example/v1',
      kind: 'Outage',
      metadata: { name: 'away' },
      spec: { apart: [{ namespace: 'space', pod: away.metadata.name, from: 'members' }] }
    } as never);
    later(world, 60_000);
    // Whoever comes to the one that is away finds nobody who decides; the others do.
    const member = brokers[0]!.metadata.name;
    for (const op of [
      { do: 'drop', place: 'gates' },
      { do: 'make-topic', place: 'gates', count: 2, value: '{"replicas": 2, "least": 1}' },
      { do: 'produce', place: 'gates', value: 'new', acks: 'all' }
    ])
      expect(ask(world, 'space', 'one', op, { member }), op.do).toMatchObject({ outcome: 'acknowledged' });
    world.act({ type: 'remove', ref: { kind: 'Outage', namespace: '', name: 'away' } });
    later(world, 120_000);
    expect((textsOf(world, 'gates') as string[][]).map(([, text]) => text)).toEqual(['new']);
    for (const { metadata } of brokers) expect(world.store.get('Process', 'space', metadata.name)!.status!.ready).toBe(true);
    // What each of them keeps is what counts: a message more, and all of them are at the same place.
    did(world, { do: 'produce', place: 'gates', value: 'newer', acks: 'all' });
    const both = () => (textsOf(world, 'gates') as string[][]).map(([, text]) => text).sort();
    expect(both()).toEqual(['new', 'newer']);
    // What was made again stays when its brokers look at what was dropped once more.
    for (const { metadata } of brokers) world.act({ type: 'crash', namespace: 'space', pod: metadata.name });
    world.runSettled();
    expect(both()).toEqual(['new', 'newer']);
  });

  test('one topic alone comes back, and the others stay as they are', () => {
    const world = copied('log-broker', (one) => {
      topic(one, 'gates', ['a']);
      topic(one, 'bags', ['x']);
    });
    did(world, { do: 'produce', place: 'bags', value: 'y', acks: 'all' });
    did(world, { do: 'drop', place: 'gates' });
    later(world, 2_000);
    expect(returned(world, 'into: one, only: gates')).toMatchObject({ phase: 'Done', rows: 1, says: '1 in all of gates are back' });
    expect((textsOf(world, 'gates') as string[][]).map(([, text]) => text)).toEqual(['a']);
    expect((textsOf(world, 'bags') as string[][]).map(([, text]) => text).sort()).toEqual(['x', 'y']);
    expect(returned(world, 'into: one, only: nobody', 'none')).toMatchObject({
      phase: 'Failed',
      says: 'there is no nobody in the copy first'
    });
  });

  test('what is no copy of topics is taken by nobody, and whoever refused it goes on', () => {
    const world = barn('log-broker', false);
    const one = (name: unknown, value: unknown) => JSON.stringify([[JSON.stringify(name), JSON.stringify(value)]]);
    const topicG = [JSON.stringify(['topic', 'g']), JSON.stringify({ partitions: 1, replicas: 1, least: 1 })];
    const beside = (name: unknown, value: unknown) => JSON.stringify([topicG, [JSON.stringify(name), JSON.stringify(value)]]);
    for (const value of [
      '',
      '[]x',
      '[["gates","a"]]',
      one(null, {}),
      one(['topic', 'g'], null),
      one(['topic', 'g'], { partitions: 0, replicas: 1, least: 1 }),
      one(['topic', 'g'], { partitions: 1.5, replicas: 1, least: 1 }),
      one(['topic', 5], { partitions: 1, replicas: 1, least: 1 }),
      one(['messages', 'gates', 0], [[1, 'base64:AAAA']]),
      beside(['messages', 'g', 0], 5),
      beside(['messages', 'g', 1], []),
      beside(['messages', 'g'], []),
      beside(['messages', 'g', 0], [[0, 'base64:AAAA']]),
      beside(['messages', 'g', 0], [[1, 'AAAA']]),
      beside(['group', 'g', 'desk'], null),
      beside(['group', 'g', 'desk'], [1, 2]),
      beside(['elsewhere', 'g'], [])
    ])
      expect(to(world, { do: 'put-back', value, count: 1 }), value).toMatchObject({
        outcome: 'refused',
        says: 'that is no copy of topics'
      });
    expect(to(world, { do: 'copy' }).outcome).toBe('acknowledged');
    expect(to(world, { do: 'put-back', value: beside(['messages', 'g', 0], [[1, 'base64:AAAA']]), count: 1 }).outcome).toBe('acknowledged');
  });
});

test('a partition of thousands of single messages comes back in their order, before anybody gives up waiting', () => {
  const world = barn('log-broker');
  did(world, { do: 'make-topic', place: 'long', count: 1, value: '{"replicas": 3, "least": 2}' });
  const messages = Array.from({ length: 6_000 }, (_, n) => [1, contentText(textMessage('somebody', 0, `m${n}`))]);
  const named = (name: unknown, value: unknown) => [JSON.stringify(name), JSON.stringify(value)];
  const value = JSON.stringify([
    named(['messages', 'long', 0], messages),
    named(['topic', 'long'], { partitions: 1, replicas: 3, least: 2 })
  ]);
  expect(to(world, { do: 'put-back', value, place: 'long' })).toMatchObject({ outcome: 'acknowledged', count: 6_000 });
  const { rows } = did(world, { do: 'consume', place: 'long', from: 'beginning', count: 6_000 });
  expect(rows!.map(([, text]) => text)).toEqual(messages.map((_, n) => `m${n}`));
}, 60_000);

test('a database in memory comes back with its keys and its limit', () => {
  const world = copied('memory-store', (one) => {
    did(one, { do: 'make-database', place: 'fares', count: 2, value: '1', bytes: 4_096 });
    for (const key of ['a', 'b', 'c']) did(one, { do: 'write', place: 'fares', key, value: `${key}1` });
    did(one, { do: 'delete', place: 'fares', key: 'c' });
  });
  const read = (key: string) => to(world, { do: 'read', place: 'fares', key }).rows?.[0]?.[1];
  did(world, { do: 'write', place: 'fares', key: 'a', value: 'a2' });
  did(world, { do: 'drop', place: 'fares' });
  later(world, 2_000);
  expect(to(world, { do: 'read', place: 'fares', key: 'a' })).toMatchObject({ outcome: 'refused', says: 'there is no database fares' });
  const back = returned(world, 'into: one, over: true');
  expect(back).toMatchObject({ phase: 'Done', rows: 4 });
  expect(['a', 'b', 'c'].map(read)).toEqual(['a1', 'b1', undefined]);
  expect(to(world, { do: 'write', place: 'fares', key: 'd', value: 'x'.repeat(5_000) })).toMatchObject({
    outcome: 'refused',
    says: expect.stringContaining('memory limit')
  });
  // What is no write of a key would be read by nobody.
  const named = (name: unknown, content: unknown) => [JSON.stringify(name), JSON.stringify(content)];
  const database = named(['topic', 'odd'], { partitions: 1, replicas: 1, least: 1 });
  for (const content of [
    [2, 'base64:AAAAAAAAAABbXQ=='],
    [1, 'base64:AAAAAAAAAABbXQ=='],
    [1, 'base64:AA==']
  ])
    expect(
      to(world, { do: 'put-back', value: JSON.stringify([named(['messages', 'odd', 0], [content]), database]), count: 1 })
    ).toMatchObject({
      outcome: 'refused',
      says: 'that is no copy of databases'
    });
});

test('a bucket that was emptied comes back by object, alone or with all the others; what came since is gone where it is over', () => {
  const world = barn('object-store');
  const put = (key: string, value?: string, place = 'papers') =>
    did(world, { do: 'put', place, key, ...(value === undefined ? { bytes: 3_001 } : { value }) });
  const get = (key: string, place = 'papers') => {
    const { checksum, rows } = to(world, { do: 'fetch', place, key });
    return rows?.length ? checksum : undefined;
  };
  did(world, { do: 'make-bucket', place: 'papers' });
  did(world, { do: 'make-bucket', place: 'plans' });
  put('a/b/c', 'one');
  put('folder/', 'of its own');
  put('drawn');
  put('deleted', 'x');
  put('p', 'two', 'plans');
  did(world, { do: 'delete', place: 'papers', key: 'deleted' });
  const sums = [get('a/b/c'), to(world, { do: 'get', place: 'papers', key: 'drawn' }).checksum];
  must(world, ...plan(`how: copy, ${daily}, ${into}`));
  expect(run(world, 'first')).toMatchObject({ phase: 'Done', rows: 4, says: '4 in all' });
  expect(did(world, { do: 'drop', place: 'papers' })).toMatchObject({ count: 3, says: '3 objects of papers deleted' });
  expect(get('a/b/c')).toBeUndefined();
  put('p', 'three', 'plans');
  expect(returned(world, 'into: one, only: papers', 'alone')).toMatchObject({ phase: 'Done' });
  expect([get('a/b/c'), to(world, { do: 'get', place: 'papers', key: 'drawn' }).checksum]).toEqual(sums);
  const three = get('p', 'plans');
  expect(get('deleted')).toBeUndefined();
  put('since', 'x');
  expect(returned(world, 'into: one', 'no')).toMatchObject({ phase: 'Failed', says: expect.stringContaining('5 objects of its own') });
  expect(returned(world, 'into: one, over: true', 'all')).toMatchObject({ phase: 'Done', rows: 4 });
  expect([get('since'), get('p', 'plans') === three]).toEqual([undefined, false]);
  // Into another store that is empty: nothing has to be thrown away.
  must(world, ...answered('object-store', { namespace: 'space', name: 'two' }));
  world.runSettled();
  expect(returned(world, 'into: two', 'beside')).toMatchObject({ phase: 'Done', rows: 4 });
  expect(to(world, { do: 'fetch', place: 'papers', key: 'folder/' }, 'two').rows).toEqual([['folder/', 'of its own']]);
  expect(to(world, { do: 'list' }, 'two').rows!.map(([bucket]) => bucket)).toEqual(['cargo-papers', 'papers', 'plans']);
  expect(to(world, { do: 'get', place: 'papers', key: 'drawn' }, 'two').checksum).toBe(sums[1]);
  for (const value of [
    '',
    '[["x","y"]]',
    '[["[\\"object\\",\\"papers\\",\\"\\"]","base64:AA=="]]',
    '[["[\\"object\\",\\"papers\\",\\"k\\"]","AA=="]]'
  ])
    expect(to(world, { do: 'put-back', value, count: 1 }), value).toMatchObject({ outcome: 'refused', says: 'that is no copy of objects' });
});

test('measurements come back row by row, also into a table that was dropped and made again meanwhile', () => {
  const world = copied('time-series', (one) => {
    did(one, { do: 'make-table', place: 'a@b' });
    did(one, { do: 'insert', place: 'a@b', count: 300 });
    did(one, { do: 'make-table', place: 'other' });
    did(one, { do: 'insert', place: 'other', count: 20 });
  });
  const sum = (place: string) => {
    const { outcome, count, checksum } = to(world, { do: 'query', place });
    return outcome === 'acknowledged' ? [count, checksum] : outcome;
  };
  const before = [sum('a@b'), sum('other')];
  did(world, { do: 'drop', place: 'a@b' });
  // At once: what still is to be forgotten is not what is made anew.
  did(world, { do: 'make-table', place: 'a@b' });
  did(world, { do: 'insert', place: 'a@b', count: 7 });
  later(world, 20_000);
  expect(sum('a@b')).toEqual([7, expect.anything()]);
  did(world, { do: 'insert', place: 'other', count: 5 });
  const other = sum('other');
  expect(returned(world, 'into: one, over: true, only: "a@b"', 'alone')).toMatchObject({ phase: 'Done' });
  expect([sum('a@b'), sum('other')]).toEqual([before[0], other]);
  later(world, 60_000);
  expect(returned(world, 'into: one, over: true', 'all')).toMatchObject({ phase: 'Done', rows: 320 });
  later(world, 60_000);
  expect([sum('a@b'), sum('other')]).toEqual(before);
});

test('what is put back into one place names nothing elsewhere, and nothing twice; what can not be made again is not dropped before', () => {
  const named = (name: unknown, content: unknown) => [
    JSON.stringify(name),
    typeof content === 'string' ? content : JSON.stringify(content)
  ];
  const files = barn('shared-files');
  expect(to(files, { do: 'put-back', value: '[["a/x","1"],["b/y","2"]]', place: 'a' })).toMatchObject({
    outcome: 'refused',
    says: 'not all that is to be put back lies in a'
  });
  expect(to(files, { do: 'put-back', value: '[["a/x","1"],["a/x","2"]]' }).says).toBe('that is no copy of files');
  const objects = barn('object-store');
  expect(to(objects, { do: 'put-back', value: JSON.stringify([named(['object', 'nowhere', 'k'], 'base64:AA==')]) }).says).toBe(
    'there is no bucket for nowhere/k'
  );
  const series = barn('time-series');
  did(series, { do: 'make-table', place: 'kept' });
  did(series, { do: 'insert', place: 'kept', count: 9 });
  const many = JSON.stringify([named(['table', 'kept'], { copies: 50 })]);
  expect(to(series, { do: 'put-back', value: many, count: 1 }).says).toMatch(/^50 store members are needed for a new span, \d answer$/);
  expect(did(series, { do: 'query', place: 'kept' }).count).toBe(9);
  expect(to(series, { do: 'put-back', value: JSON.stringify([named(['table', 5], { copies: 1 })]), count: 1 }).says).toBe(
    'that is no copy of tables'
  );
});

test('one table alone comes back out of a copy and the log behind it, and what was written to others stays', () => {
  const world = barn();
  must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
  write(world, 'a');
  write(world, 'x', 'old', 'crew');
  expect(run(world, 'first')).toMatchObject({ phase: 'Done' });
  write(world, 'b');
  later(world, 10_000);
  const at = new Date(epochMs + world.nowMs).toISOString();
  later(world, 60_000);
  write(world, 'x', 'new', 'crew');
  did(world, { do: 'drop', place: 'seats' });
  later(world, 70_000);
  expect(returned(world, `into: one, only: crew, to: "${at}"`, 'no')).toMatchObject({
    phase: 'Failed',
    says: expect.stringContaining('1 row of its own')
  });
  const back = returned(world, `into: one, only: seats, to: "${at}"`);
  expect(back).toMatchObject({ phase: 'Done', rows: 2, says: expect.stringMatching(/^2 rows of seats as of position \d+ are back$/) });
  expect(rowsOf(world, 'one').sort()).toEqual(['a', 'b']);
  expect(to(world, { do: 'read', place: 'crew', key: 'x' }).rows).toEqual([['x', 'new']]);
});
