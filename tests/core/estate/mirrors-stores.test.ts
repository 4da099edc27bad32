import { describe, expect, test } from 'vitest';
import { Pair } from './pair';

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

  test('lays nothing behind messages that a topic of the same name has of its own', () => {
    const pair = made();
    pair.does('east', { do: 'produce', place: 'sailings', count: 20 });
    pair.does('west', { do: 'make-topic', place: 'sailings', count: 2 });
    pair.does('west', { do: 'produce', place: 'sailings', count: 3 });
    pair.follow(', only: sailings');
    expect(pair.until('Behind')).toMatchObject({
      says: 'one took nothing: sailings holds messages of its own, and what comes would lie behind them',
      remedy: 'Take that away here, or name something else in spec.only.'
    });
    pair.remove({ kind: 'Mirror', namespace: 'space', name: 'one' }, 'west');
    pair.does('west', { do: 'drop', place: 'sailings' });
    pair.follow(', only: sailings');
    pair.until('Follows');
    expect(messages(pair, 'west').count).toBe(20);
  });

  test('takes once what it sent more than once, because nobody answered', () => {
    const pair = made();
    // Nothing of it lies there yet: what came in part and is sent again isn't taken for messages of its own.
    pair.does('west', { do: 'make-topic', place: 'sailings', count: 2 });
    pair.does('east', { do: 'produce', place: 'sailings', count: 50 });
    pair.follow();
    // One of three brokers hangs, and nobody can decide without it: what the others lead comes to lie there, and nobody says that it counts.
    pair.send(
      'apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: dark}\nspec: {hangs: [{namespace: space, pod: one-1}, {namespace: space, pod: one-coord-0}, {namespace: space, pod: one-coord-1}]}\n',
      'west'
    );
    pair.does('east', { do: 'produce', place: 'sailings', count: 300 });
    for (let n = 0; n < 100 && pair.mirror().status?.phase !== 'Behind'; n += 1) pair.later(1_000);
    expect(pair.mirror().status).toMatchObject({ phase: 'Behind', says: expect.stringContaining('took nothing') as string });
    // What comes meanwhile goes by itself afterwards, and doesn't carry the rest along once more.
    pair.does('east', { do: 'produce', place: 'sailings', count: 20 });
    pair.later(6_000);
    pair.remove({ kind: 'Outage', namespace: '', name: 'dark' }, 'west');
    pair.until('Follows', 'west', 400_000);
    pair.later(20_000);
    const two = messages(pair, 'west');
    expect([two.count, two.checksum]).toEqual([370, messages(pair, 'east').checksum]);
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
    // The other way round without one between: what came over before doesn't come again.
    pair.does('west', { do: 'produce', place: 'sailings', count: 1 });
    pair.later(20_000);
    expect(messages(pair, 'east').count).toBe(138);
    pair.promote('east');
    pair.until('Promoted', 'east');
    pair.does('east', { do: 'produce', place: 'sailings', count: 2 });
    pair.does('west', { do: 'produce', place: 'sailings', count: 4 });
    pair.follow(', only: sailings', 'east', 'west');
    expect(pair.until('Follows', 'east').unshared).toMatchObject({ count: 2 });
    expect(messages(pair, 'east').count).toBe(144);
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

  test.each(['newest', 'kept'])(
    'old versions of what is overwritten or deleted there stay here where that is asked for (%s)',
    (versions) => {
      const pair = filled();
      pair.follow(`, only: papers, versions: ${versions}`);
      pair.until('Follows');
      pair.does('east', { do: 'put', place: 'papers', key: 'b', value: 'b two' });
      pair.later(20_000);
      pair.does('east', { do: 'put', place: 'papers', key: 'b', value: 'b three' });
      pair.does('east', { do: 'delete', place: 'papers', key: 'c' });
      pair.later(20_000);
      const old = versions === 'kept' ? ['b@1', 'b@2', 'c@1'] : [];
      expect(list(pair, 'west', 'papers')).toEqual(['a', 'b', ...old].sort());
      if (versions === 'newest') return;
      const read = (key: string) => pair.does('west', { do: 'fetch', place: 'papers', key }).rows?.[0]?.[1];
      expect(['b', 'b@1', 'b@2', 'c@1'].map(read)).toEqual(['b three', 'b one', 'b two', 'c one']);
      // They are its own: nothing of them is given up when it begins anew.
      pair.promote();
      pair.until('Promoted');
      pair.follow(`, only: papers, versions: ${versions}`);
      expect(pair.until('Follows').unshared).toMatchObject({ count: 0 });
      expect(list(pair, 'west', 'papers')).toEqual(['a', 'b', ...old].sort());
    }
  );

  test('more than go at once, whole and in buckets of their names; what lay there otherwise is listed', () => {
    const pair = filled();
    pair.does('west', { do: 'make-bucket', place: 'papers' });
    pair.does('west', { do: 'put', place: 'papers', key: 'a', value: 'a of the west' });
    for (let n = 0; n < 230; n += 1) pair.does('east', { do: 'put', place: 'other', key: `n${n}`, bytes: 64 });
    pair.follow();
    pair.until('Follows');
    pair.later(30_000);
    expect(pair.mirror().status!.unshared).toMatchObject({ count: 1, stays: false, first: [{ what: '["object","papers","a"]' }] });
    expect(pair.mirror().status!.takes, '236 names, 200 at once').toBe(2);
    expect(list(pair, 'west', 'other')).toEqual(list(pair, 'east', 'other'));
    expect(pair.sum('west')).toBe(pair.sum('east'));
  });
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
