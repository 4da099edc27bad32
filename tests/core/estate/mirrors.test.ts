import { describe, expect, test } from 'vitest';
import { followedWorkloads, mayFollow } from '$core/estate';
import { changeSheet } from '$core/change';
import { writeManifests } from '$core/manifest';
import { notNow } from '$core/drills';
import { provedWorkload, workloadNamed } from '$core/proofs';
import { lineSentence, rootLine } from '$core/rootline';
import { Estate, World } from '$core/standin';
import type { Facts } from '$core/model';
import { objects } from '../help';
import { parts } from './help';
import { Pair, sent, space } from './pair';

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
    expect(followedWorkloads(west)[0]!.says).toContain('whether one of east takes writes, too, is unseen from here');
    expect(pair.read('west', 'alone')).toBeUndefined();
    pair.write('west', 'after');
    pair.remove({ kind: 'Outage', namespace: '', name: 'cut' });
    const [promoted] = followedWorkloads(west);
    expect(promoted!.says).toContain('one of east runs, too, and what is written there never comes here');
    const wayBack = promoted!.back;
    expect(changeSheet(pair.world('east').store as Facts, [wayBack!.object]).lost).toHaveLength(1);
    pair.send(writeManifests([wayBack!.object]), wayBack!.cluster);
    const underWay = followedWorkloads(west).find((one) => one.cluster === 'west')!;
    expect([underWay.back, underWay.state, underWay.says.includes('too')], 'it is under way').toEqual([undefined, 'holds', false]);
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

  test('takes all of it again where what it is taken to hold is not so: it is ahead of the other, or lacks what it counts as taken', () => {
    const pair = new Pair('primary-standby-sql');
    pair.follow();
    pair.until('Follows');
    const claims = (more: number) => {
      const one = pair.mirror();
      pair.world('west').put({ ...one, status: { ...one.status!, position: one.status!.position! + more } });
    };
    claims(1_000);
    pair.later(20_000);
    expect(pair.mirror().status).toMatchObject({ phase: 'Follows', same: true });
    expect(pair.mirror().status!.position).toBeLessThan(1_000);
    pair.send('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: cut}\nspec: {links: [{to: west, is: cut}]}\n');
    pair.write('east', 'passed over');
    claims(1);
    pair.remove({ kind: 'Outage', namespace: '', name: 'cut' });
    pair.write('east', 'next');
    pair.later(30_000);
    expect(pair.sum('west')).toBe(pair.sum('east'));
  });

  test('takes all of it again where the log over there begins later than it stands', () => {
    const pair = new Pair('primary-standby-sql');
    pair.follow();
    pair.until('Follows');
    // More than what a log keeps beside what everybody has: its first entries go.
    for (let n = 0; n < 150; n += 1) pair.write('east', `n${n}`);
    pair.later(10_000);
    const one = pair.mirror();
    pair.world('west').put({ ...one, status: { ...one.status!, position: 1 } });
    pair.write('east', 'last');
    pair.later(20_000);
    const told = pair.world('west').store.list('Event', 'space');
    const anew = told.filter((event) => event.reason === 'MirrorAnew').map((event) => event.message);
    expect(anew).toEqual([expect.stringMatching(/its log there begins after position \d+, and this one has it to 1\.$/)]);
    expect([pair.read('west', 'last'), pair.sum('west')]).toEqual(['last', pair.sum('east')]);
  });

  test('is promoted only once it is known whether what is on its way in counts', () => {
    const pair = new Pair('primary-standby-sql');
    pair.follow();
    pair.until('Follows');
    pair.write('east', 'last');
    const west = pair.world('west').store;
    const onItsWay = () => west.list('Ask', 'space').some((one) => one.spec.op.do === 'take' && !one.status?.outcome);
    for (let n = 0; n < 20_000 && !onItsWay(); n += 1) pair.later(1);
    expect(onItsWay()).toBe(true);
    pair.promote();
    pair.until('Promoted');
    expect(pair.read('west', 'last')).toBe('last');
    pair.follow('', 'east', 'west');
    expect(pair.until('Follows', 'east').unshared, 'it was shared').toMatchObject({ count: 0 });
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

  test('what is on a link when it is cut never arrives', () => {
    const pair = new Pair('primary-standby-sql', {}, { bytesPerSecond: 2_000 });
    pair.follow();
    pair.until('Follows');
    pair.write('east', 'long', 'x'.repeat(20_000));
    pair.later(8_000);
    pair.send('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: cut}\nspec: {links: [{to: west, is: cut}]}\n');
    expect(pair.until('Behind').says).toContain('is cut');
    pair.later(30_000);
    expect(pair.read('west', 'long')).toBeUndefined();
    pair.remove({ kind: 'Outage', namespace: '', name: 'cut' });
    pair.until('Follows');
    pair.later(20_000);
    expect(pair.read('west', 'long')?.length).toBe(20_000);
  });

  test('says what means nothing for its engine, and does nothing before it is left out', () => {
    const pair = new Pair('primary-standby-sql');
    pair.follow(', only: seats, deletes: false, versions: kept');
    expect(pair.until('Behind').says).toBe(
      'spec.only, spec.deletes, spec.versions means nothing for primary-standby-sql: tables are followed as a whole, with what is deleted'
    );
    pair.follow();
    pair.until('Follows');
    // From now on its position is one of that workload's: it can't be of another.
    expect(() => pair.follow('', 'west', 'north')).toThrow('spec.from.cluster can\'t change from "east" to "north"');
    expect(() => pair.follow(', everySeconds: 7')).not.toThrow();
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
