import { describe, expect, test } from 'vitest';
import { followedWorkloads, mayFollow } from '$core/estate';
import { changeSheet } from '$core/change';
import { writeManifests } from '$core/manifest';
import { notNow } from '$core/drills';
import { provedWorkload, workloadNamed } from '$core/proofs';
import { lineSentence, rootLine } from '$core/rootline';
import { Estate, World, type Action } from '$core/standin';
import type { AskObject, Facts, Mirror } from '$core/model';
import { answered } from '../roomy';
import { objects } from '../help';
import { joins, Linked, parts } from './help';

const space = { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'space' } } as const;
const steady = { class: 'steady', namespace: 'space', name: 'one' };
const kept = new Map<string, Estate>();
const sent = (atMs: number, ...all: readonly object[]) => ({ atMs, action: { type: 'send', objects: all } as Action });

/** The same workload twice: in the east, and in the west, where it follows. */
class Pair extends Linked {
  constructor(engine: string, answers: object = {}, link: object = {}) {
    const name = JSON.stringify([engine, answers, link]);
    if (!kept.has(name)) {
      const both = [sent(61_000, space), sent(62_000, ...answered(engine, { ...steady, ...answers }))];
      const made = Estate.replay(
        parts({ east: [joins(60_000, 'west', link), ...both], west: both }, { east: 'production', west: 'production' }),
        62_000
      );
      made.runSettled();
      kept.set(name, made);
    }
    super(kept.get(name)!.fork());
  }
  follow = (more = '', here = 'west', there = 'east', name = 'one') =>
    this.send(
      `apiVersion: standin.example/v1\nkind: Mirror\nmetadata: {name: ${name}, namespace: space}\nspec: {workload: one, from: {cluster: ${there}, namespace: space, workload: one}${more}}\n`,
      here
    );
  mirror = (cluster = 'west', name = 'one'): Mirror => this.world(cluster).store.get('Mirror', 'space', name)!;
  promote = (cluster = 'west') => this.follow(', promoted: true', cluster, cluster === 'west' ? 'east' : 'west');
  /** Waits until a mirror is in a phase. */
  until(phase: NonNullable<Mirror['status']>['phase'], cluster = 'west', atMostMs = 120_000) {
    const endMs = this.estate.nowMs + atMostMs;
    while (this.mirror(cluster).status?.phase !== phase && this.estate.nowMs < endMs) this.later(500);
    expect(this.mirror(cluster).status).toMatchObject({ phase });
    return this.mirror(cluster).status!;
  }
  does = (cluster: string, op: AskObject['spec']['op']) => {
    const answer = this.ask(cluster, 'one', op);
    expect(answer).toMatchObject({ outcome: 'acknowledged' });
    return answer;
  };
  write = (cluster: string, key: string, value = key) => this.does(cluster, { do: 'write', place: 'seats', key, value });
  read = (cluster: string, key: string) => this.does(cluster, { do: 'read', place: 'seats', key }).rows?.[0]?.[1];
  sum = (cluster: string) => this.does(cluster, { do: 'copy' }).checksum;
}

describe.each(['primary-standby-sql', 'document-set', 'multi-primary-sql'])('a second %s over a link', (engine) => {
  test('holds what the first one holds, takes no writes itself, and says how far it is', () => {
    const pair = new Pair(engine);
    pair.write('east', 'a');
    expect(mayFollow(pair.world('west').store as Facts)).toMatchObject([
      { workload: 'one', engine, from: [{ cluster: 'east', workload: 'one' }] }
    ]);
    pair.follow();
    const begun = pair.until('Follows');
    expect(pair.sum('west')).toBe(pair.sum('east'));
    expect(begun).toMatchObject({ same: true, unshared: { count: 0 } });
    pair.write('east', 'b');
    pair.does('east', { do: 'delete', place: 'seats', key: 'a' });
    expect(pair.ask('west', 'one', { do: 'write', place: 'seats', key: 'x', value: 'x' })).toMatchObject({
      outcome: 'refused',
      says: 'one follows one of east: it is written to over there'
    });
    pair.later(15_000);
    expect(pair.read('west', 'b')).toBe('b');
    expect(pair.read('west', 'a')).toBeUndefined();
    expect(pair.sum('west')).toBe(pair.sum('east'));
    const { position, momentMs, takes } = pair.mirror().status!;
    expect(takes).toBe(2);
    expect(position).toBeGreaterThan(begun.position!);
    expect(pair.estate.nowMs - momentMs!).toBeLessThanOrEqual(6_000);
  });
});

describe('a standby in another cluster', () => {
  test('is promoted, and the old primary comes back as its standby without what it alone had, which is listed', () => {
    const pair = new Pair('primary-standby-sql');
    pair.write('east', 'shared');
    pair.follow();
    pair.until('Follows');
    pair.later(10_000);
    // The link is cut: what is written in the east from now on nobody else has.
    pair.send('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: cut}\nspec: {links: [{to: west, is: cut}]}\n');
    pair.write('east', 'alone', '17');
    pair.does('east', { do: 'delete', place: 'seats', key: 'shared' });
    const late = pair.until('Behind');
    expect(late.says).toContain('the link east.west is cut (cut)');
    expect(late.at).toMatchObject({ kind: 'Link', name: 'east.west' });
    const west = pair.world('west').store as Facts;
    const line = rootLine(west, { kind: 'Mirror', namespace: 'space', name: 'one' })!;
    expect(line.joints.find((one) => one.state === 'broken')).toMatchObject({
      joint: 'copies',
      remedy: { text: expect.stringContaining('outage') }
    });
    expect(lineSentence(line)).toContain(
      "one: one can't follow: space/one of east is out of reach: the link east.west is cut (cut); it holds"
    );
    const [shown] = followedWorkloads(west);
    expect(shown).toMatchObject({ cluster: 'west', phase: 'Behind', state: 'broken', what: 'tables' });
    expect(shown!.lost[0]).toMatchObject({
      label: 'east lost',
      state: 'partial',
      says: expect.stringContaining(`in the last ${Math.ceil(shown!.lackMs! / 1_000)} s`)
    });
    const sheet = changeSheet(west, [shown!.promote!]);
    expect(sheet.lost.map((one) => one.says)).toEqual([
      expect.stringMatching(/^what one of east took since T\+\d\d:\d\d:\d\d, as long as/)
    ]);
    pair.send(writeManifests([shown!.promote!]), 'west');
    expect(pair.until('Promoted').says).toContain('takes writes itself');
    expect(pair.read('west', 'alone')).toBeUndefined();
    pair.write('west', 'after');
    pair.remove({ kind: 'Outage', namespace: '', name: 'cut' });
    const { back: wayBack } = followedWorkloads(west)[0]!;
    expect(changeSheet(pair.world('east').store as Facts, [wayBack!.object]).lost).toHaveLength(1);
    pair.send(writeManifests([wayBack!.object]), wayBack!.cluster);
    expect(followedWorkloads(west).find((one) => one.cluster === 'west')!.back, 'it is under way').toBeUndefined();
    const back = pair.until('Follows', 'east');
    expect(back.unshared).toEqual({
      count: 2,
      stays: false,
      first: [
        { what: 'seats/alone', value: '17' },
        { what: 'seats/shared', value: 'delete' }
      ]
    });
    expect(pair.read('east', 'alone')).toBeUndefined();
    expect(pair.read('east', 'shared')).toBe('shared');
    pair.write('west', 'more');
    pair.later(15_000);
    expect(pair.read('east', 'more')).toBe('more');
    expect(pair.sum('east')).toBe(pair.sum('west'));
    // And the way back: the first one leads again, with nothing lost.
    pair.promote('east');
    pair.until('Promoted', 'east');
    pair.follow(', promoted: false');
    expect(pair.until('Follows').unshared).toMatchObject({ count: 0 });
    expect(pair.sum('west')).toBe(pair.sum('east'));
  });

  test('takes all of it again where the log over there no longer reaches back, and where somebody altered it', () => {
    const pair = new Pair('primary-standby-sql');
    pair.follow();
    pair.until('Follows');
    pair.send('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: cut}\nspec: {links: [{to: west, is: cut}]}\n');
    // The mirror's own look holds the log for it up to 5,000 entries; a copy put back is one that throws all before it away.
    const before = pair.does('east', { do: 'copy' }).rows![0]![1];
    for (let n = 0; n < 30; n += 1) pair.write('east', `n${n}`);
    pair.does('east', { do: 'put-back', value: before, count: 1 });
    pair.until('Behind');
    pair.remove({ kind: 'Outage', namespace: '', name: 'cut' });
    pair.until('Follows');
    pair.later(10_000);
    expect(pair.sum('west')).toBe(pair.sum('east'));
    expect(pair.mirror().status).toMatchObject({ same: true });
  });

  test('carries what it takes at the pace of the link', () => {
    const [wide, narrow] = [{}, { bytesPerSecond: 2_000 }].map((link) => {
      const pair = new Pair('primary-standby-sql', {}, link);
      pair.write('east', 'long', 'x'.repeat(20_000));
      const fromMs = pair.estate.nowMs;
      pair.follow();
      pair.until('Follows');
      return pair.estate.nowMs - fromMs;
    }) as [number, number];
    expect(narrow - wide).toBeGreaterThanOrEqual(10_000);
    expect(narrow - wide).toBeLessThan(13_000);
  });

  test('says why it cannot follow: another engine, itself, each other, nobody, two at once', () => {
    const pair = new Pair('primary-standby-sql');
    pair.follow('', 'west', 'west');
    expect(pair.until('Behind').says).toBe('west is this cluster');
    pair.follow('', 'west', 'north');
    pair.later(10_000);
    expect(pair.mirror().status!.says).toContain("west isn't linked with a cluster north");
    pair.follow();
    pair.until('Follows');
    pair.follow('', 'east', 'west');
    expect(pair.until('Behind', 'east').says).toBe('space/one of west follows this one itself');
    pair.follow('', 'west', 'east', 'two');
    pair.later(10_000);
    // Nobody can write to one that follows: no drill on it, and proofs that write wait.
    const west = pair.world('west');
    const workload = workloadNamed(west.store, 'space', 'one')!;
    const says = 'it follows one of east, and takes no writes until it is promoted';
    expect(notNow({ facts: west.store as Facts, workload } as never)).toBe(says);
    const fork = () => pair.estate.fork().world('west')!;
    const proofs = provedWorkload({ facts: west.store, workload, changes: west.journal.changes, fork });
    expect(proofs.filter((one) => one.state !== 'holds').map((one) => [one.id, one.state, one.says])).toEqual([
      ['matrix', 'waiting', says],
      ['refuses', 'waiting', says]
    ]);
    expect(pair.mirror('west', 'two').status).toMatchObject({
      phase: 'Behind',
      says: 'one follows another one already, by one'
    });
  });

  test('goes on the same after a restart in the middle of what it carries, and in a fork', () => {
    const pair = new Pair('primary-standby-sql', {}, { bytesPerSecond: 2_000 });
    pair.write('east', 'long', 'x'.repeat(20_000));
    pair.follow();
    pair.later(4_000);
    const fork = pair.estate.fork();
    const end = pair.estate.nowMs + 60_000;
    const journal = (estate: Estate) =>
      ['east', 'west'].map((one) => estate.world(one)!.journal.changes.map(({ atMs, key }) => [atMs, key]));
    pair.estate.runUntil(end);
    fork.runUntil(end);
    expect(journal(fork)).toEqual(journal(pair.estate));
    expect(pair.mirror().status).toMatchObject({ phase: 'Follows', same: true });
  });
});

describe('a broker that takes over topics of another one', () => {
  const made = () => {
    const pair = new Pair('log-broker');
    for (const cluster of ['east', 'west'])
      expect(pair.does(cluster, { do: 'make-topic', place: cluster === 'east' ? 'sailings' : 'own', count: 2 })).toBeTruthy();
    return pair;
  };
  const messages = (pair: Pair, cluster: string, place = 'sailings') => pair.does(cluster, { do: 'consume', place, from: 'beginning' });

  test('keeps their order in each partition, at offsets of its own; its other topics take writes', () => {
    const pair = made();
    pair.does('east', { do: 'produce', place: 'sailings', count: 2_000 });
    pair.follow();
    pair.until('Follows');
    pair.does('east', { do: 'produce', place: 'sailings', count: 500, bytes: 64 });
    pair.later(15_000);
    const [one, two] = [messages(pair, 'east'), messages(pair, 'west')];
    expect(two.count).toBe(2_500);
    expect(two.says).toContain('in order within each');
    expect([two.count, two.checksum]).toEqual([one.count, one.checksum]);
    const { offsets } = pair.mirror().status!;
    expect(Object.values(offsets!).reduce((sum, { there }) => sum + there, 0)).toBe(2_500);
    expect(pair.ask('west', 'one', { do: 'produce', place: 'sailings', count: 1 })).toMatchObject({ outcome: 'refused' });
    pair.does('west', { do: 'produce', place: 'own', count: 10 });
  });

  test('goes on after its promotion and the way back without sending anything twice; what was never shared stays and is counted', () => {
    const pair = made();
    pair.does('east', { do: 'produce', place: 'sailings', count: 100 });
    pair.follow();
    pair.until('Follows');
    pair.later(10_000);
    pair.send('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: cut}\nspec: {links: [{to: west, is: cut}]}\n');
    pair.does('east', { do: 'produce', place: 'sailings', count: 7 });
    pair.promote();
    pair.until('Promoted');
    pair.does('west', { do: 'produce', place: 'sailings', count: 30 });
    pair.remove({ kind: 'Outage', namespace: '', name: 'cut' });
    pair.follow(', only: sailings', 'east', 'west');
    const back = pair.until('Follows', 'east');
    expect(back.unshared).toMatchObject({ count: 7, stays: true });
    expect(messages(pair, 'west').count).toBe(130);
    expect(messages(pair, 'east').count).toBe(137);
    for (const one of Object.values(back.offsets!)) expect(one.here).toBeGreaterThanOrEqual(one.there);
    const ends = Object.values(back.offsets!).reduce((sum, { there, here }) => [sum[0]! + there, sum[1]! + here], [0, 0]);
    expect(ends).toEqual([130, 137]);
  });
});

describe('a bucket that another store takes over', () => {
  const list = (pair: Pair, cluster: string, place: string) =>
    (pair.does(cluster, { do: 'list', place }).rows ?? []).map(([name]) => name).sort();
  const filled = () => {
    const pair = new Pair('object-store');
    for (const place of ['papers', 'other']) pair.does('east', { do: 'make-bucket', place });
    for (const key of ['a', 'b', 'c']) pair.does('east', { do: 'put', place: 'papers', key, value: `${key} one` });
    pair.does('east', { do: 'put', place: 'other', key: 'z', bytes: 3_000 });
    return pair;
  };

  test.each([true, false])('with what is changed there; what is deleted there goes here, too, where that is asked for (%s)', (deletes) => {
    const pair = filled();
    pair.follow(`, only: papers, deletes: ${deletes}`);
    pair.until('Follows');
    expect(list(pair, 'west', 'papers')).toEqual(['a', 'b', 'c']);
    expect(list(pair, 'west', '')).not.toContain('other');
    pair.does('east', { do: 'put', place: 'papers', key: 'b', value: 'b two' });
    pair.does('east', { do: 'delete', place: 'papers', key: 'c' });
    pair.later(20_000);
    expect(list(pair, 'west', 'papers')).toEqual(deletes ? ['a', 'b'] : ['a', 'b', 'c']);
    expect(pair.does('west', { do: 'fetch', place: 'papers', key: 'b' }).rows?.[0]?.[1]).toBe('b two');
    expect(pair.ask('west', 'one', { do: 'put', place: 'papers', key: 'd', value: '' })).toMatchObject({ outcome: 'refused' });
    pair.does('west', { do: 'make-bucket', place: 'elsewhere' });
    const { takes } = pair.mirror().status!;
    pair.later(30_000);
    expect(pair.mirror().status!.takes, 'nothing new, nothing carried').toBe(takes);
  });

  test('more than go at once, whole and in buckets of their names; what lay there otherwise is listed', () => {
    const pair = filled();
    pair.does('west', { do: 'make-bucket', place: 'papers' });
    pair.does('west', { do: 'put', place: 'papers', key: 'a', value: 'a of the west' });
    for (let n = 0; n < 230; n += 1) pair.does('east', { do: 'put', place: 'other', key: `n${n}`, bytes: 64 });
    pair.follow();
    pair.until('Follows');
    pair.later(30_000);
    expect(pair.mirror().status!.unshared).toMatchObject({ count: 1, stays: false, first: [{ what: '["object","papers","a"]' }] });
    expect(list(pair, 'west', 'other')).toEqual(list(pair, 'east', 'other'));
    expect(pair.sum('west')).toBe(pair.sum('east'));
  });
});

test('a cluster that is linked with no other says so of what is to follow there', () => {
  const alone = Estate.replay(parts({ east: [sent(61_000, space)] }), 62_000).world('east')!;
  const world = World.restore(alone.seed, alone.save());
  world.act({
    type: 'send',
    objects: objects(
      'apiVersion: standin.example/v1\nkind: Mirror\nmetadata: {name: one, namespace: space}\nspec: {workload: one, from: {cluster: west, namespace: space, workload: one}}\n'
    )
  });
  world.runUntil(world.nowMs + 10_000);
  expect(world.store.get('Mirror', 'space', 'one')!.status).toMatchObject({
    phase: 'Behind',
    says: expect.stringContaining("isn't linked with a cluster west")
  });
  expect(followedWorkloads(world.store as Facts)).toMatchObject([
    { workload: 'one', state: 'broken', remedy: { text: expect.stringContaining('Link the two clusters') } }
  ]);
  expect(mayFollow(world.store as Facts)).toEqual([]);
});

describe('what is taken over may be anything', () => {
  const texts = [
    '',
    'null',
    '[]',
    '{}',
    '[["1"]]',
    '[["1","null"]]',
    '[["x","{}"]]',
    '[["1",{"op":{}}]]',
    '[["1","{\\"op\\":{\\"do\\":\\"write\\",\\"value\\":{}}}"]]',
    '[["[\\"topic\\",\\"t\\"]","null"]]',
    '[["[\\"object\\",\\"papers\\",\\"a\\"]","plain"]]',
    '{"sailings/0":-1}'
  ];
  const sound: Readonly<Record<string, readonly string[]>> = {
    'primary-standby-sql': ['[]'],
    'log-broker': ['[]'],
    'object-store': ['[]']
  };
  test.each(['primary-standby-sql', 'log-broker', 'object-store'])('%s takes none of it, and goes on', (engine) => {
    const pair = new Pair(engine);
    const before = pair.sum('east');
    for (const value of texts)
      for (const op of ['take', 'news', 'copy'] as const) {
        const { outcome } = pair.ask('east', 'one', { do: op, value, key: value });
        if (op === 'take') expect([value, outcome]).toEqual([value, sound[engine]!.includes(value) ? 'acknowledged' : 'refused']);
        else expect(outcome).toBeDefined();
      }
    expect(pair.sum('east')).toBe(before);
  });
});
