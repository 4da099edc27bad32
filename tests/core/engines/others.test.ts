import { describe, expect, it } from 'vitest';
import { SharedFiles } from '$core/standin/engines/files';
import { MemoryStore } from '$core/standin/engines/memory';
import { TimeSeries } from '$core/standin/engines/series';
import { ImageShelf } from '$core/standin/engines/shelf';
import type { Engine, Op } from '$core/standin/engines/site';
import { Bench, luck } from './bench';
import { seeds } from './seeds';

const asker = (bench: Bench) => {
  let n = 0;
  return (op: Op, member?: string) => {
    const id = `q${n++}`;
    bench.ask({ id, op, ...(member === undefined ? {} : { member }) });
    bench.run(4_000);
    return bench.answers.get(id);
  };
};
function up(engine: Engine, ids: readonly string[], seed = 1, part: (id: string) => string = () => 'node') {
  const bench = new Bench(engine, ids, seed);
  bench.part = part;
  for (const id of ids) {
    bench.start(id);
    bench.run(5_000);
  }
  return { bench, ask: asker(bench) };
}
/** Crashes, cuts and returns, with something asked in between. */
function weather(bench: Bench, seed: number, rounds: number, most: number, during: (l: ReturnType<typeof luck>) => void) {
  const l = luck(seed);
  for (let round = 0; round < rounds; round += 1) {
    const roll = l.chance();
    const away = bench.ids.filter((id) => !bench.up(id));
    const victim = l.one(bench.ids);
    if (roll < 0.25 && (away.length < most || away.includes(victim))) bench.crash(victim);
    else if (roll < 0.5) bench.start(...away.slice(0, 2));
    else if (roll < 0.6) {
      const apart = bench.ids.filter(() => l.chance() < 0.4);
      bench.cut(
        apart,
        bench.ids.filter((id) => !apart.includes(id))
      );
    } else if (roll < 0.75) bench.cut();
    during(l);
    bench.run(l.chance() < 0.4 ? l.int(1, 15) : l.int(200, 8_000));
  }
  bench.cut();
  bench.start(...bench.ids);
  bench.run(60_000);
}

describe('an in-memory store', () => {
  const nodes = ['n-0', 'n-1', 'n-2'];
  const database = (bytes: number): Op => ({ do: 'make-database', place: 'fares', bytes, count: 2, value: '1' });

  it('spreads shards with their replicas over nodes, fails over, and refuses what exceeds memory', () => {
    const { bench, ask } = up(new MemoryStore(), nodes);
    bench.options = { 'memory-bytes': '100000' };
    expect(ask(database(400_000))?.says).toContain('800000 bytes with its replicas were asked for; the nodes have 225000 left');
    expect(ask({ do: 'make-database', place: 'x', bytes: 10, count: 1, value: '3' })?.says).toContain('need 4 nodes, 3 are there');
    expect(ask(database(2_000))?.outcome).toBe('acknowledged');
    const shards = ask({ do: 'shards' })!.rows!.map(([, says]) => says);
    expect(new Set(shards.map((says) => /primary (\S+),/.exec(says)![1])).size).toBe(2);
    for (let i = 0; i < 12; i += 1)
      expect(ask({ do: 'write', place: 'fares', key: `k${i}`, value: 'v'.repeat(40) })?.outcome).toBe('acknowledged');
    const refused = Array.from({ length: 20 }, (_, i) =>
      ask({ do: 'write', place: 'fares', key: `more${i}`, value: 'v'.repeat(40) })!
    ).filter((one) => one.outcome === 'refused');
    expect(refused.length).toBeGreaterThan(0);
    expect(refused[0]!.says).toContain('the memory limit of this shard, 1000 bytes, would be exceeded');
    bench.crash('n-0');
    bench.run(15_000);
    for (let i = 0; i < 12; i += 1) expect(ask({ do: 'read', place: 'fares', key: `k${i}` })?.rows).toEqual([[`k${i}`, 'v'.repeat(40)]]);
  });

  it('many seeds: no acknowledged key is lost', () => {
    let [acknowledged, bad] = [0, ''];
    for (let seed = 1; seed <= seeds && !bad; seed += 1) {
      const { bench, ask } = up(new MemoryStore(), nodes, seed);
      if (ask(database(1_000_000))?.outcome !== 'acknowledged') bad = `seed ${seed}: no database`;
      const kept: string[] = [];
      bench.answered = (id, { outcome }) => void (outcome === 'acknowledged' && id.startsWith('w') && kept.push(id));
      let n = 0;
      weather(bench, seed, 12, 2, ({ int, one }) => {
        for (let i = int(0, 2); i > 0; i -= 1)
          bench.ask({ id: `w${n++}`, member: one(nodes), op: { do: 'write', place: 'fares', key: `w${n - 1}`, value: 'v' } });
      });
      for (const key of [...kept]) if (!ask({ do: 'read', place: 'fares', key })?.rows?.length) bad ||= `seed ${seed}: ${key} is lost`;
      acknowledged += kept.length;
    }
    expect(bad).toBe('');
    expect(acknowledged).toBeGreaterThan(2.5 * seeds);
  });
});

describe('time-series SQL', () => {
  const ids = ['front-0', 'store-0', 'store-1', 'store-2'];
  const part = (id: string) => (id.startsWith('front') ? 'front' : 'store');

  /** Rows inserted in faults; with `wiped` store members losing their volumes in the end. Gives what was acknowledged and what is read. */
  function run(seed: number, wiped: number) {
    const { bench, ask } = up(new TimeSeries(2), ids, seed, part);
    ask({ do: 'make-table', place: 'tides' });
    const counts = new Map<string, number>();
    let sure = 0;
    bench.answered = (id, { outcome }) => void (outcome === 'acknowledged' && counts.has(id) && (sure += counts.get(id)!));
    weather(bench, seed, 12, 2, ({ int, chance }) => {
      const id = `i${counts.size}`;
      counts.set(id, int(1, 90));
      if (chance() < 0.6) bench.ask({ id, op: { do: 'insert', place: 'tides', count: counts.get(id)! } });
    });
    for (const id of ids.slice(1, 1 + wiped)) {
      bench.crash(id);
      bench.stored.delete(id);
    }
    const all = [...counts.values()].reduce((sum, n) => sum + n, 0);
    return { sure, all, read: ask({ do: 'query', place: 'tides' }) };
  }

  it('many seeds: with two copies no acknowledged row is lost, even with a store member and its volume; with two of them rows are lost', () => {
    let [acknowledged, bad, losing] = [0, '', 0];
    for (let seed = 1; seed <= seeds && !bad; seed += 1) {
      const { sure, all, read } = run(seed, seed % 2);
      if (read?.outcome !== 'acknowledged' || read.count! < sure || read.count! > all)
        bad = `seed ${seed}: ${sure} of ${all} acknowledged, read ${read?.says}`;
      acknowledged += sure;
    }
    for (let seed = 1; seed <= 60; seed += 1) {
      const { sure, read } = run(seed, 2);
      if (sure && (read?.outcome !== 'acknowledged' || read.count! < sure)) losing += 1;
    }
    expect(bad).toBe('');
    expect(acknowledged).toBeGreaterThan(25 * seeds);
    expect(losing).toBeGreaterThan(20);
  });
});

describe('shared files', () => {
  it('a file that was closed is seen by whoever opens it after that, and not through what was open before', () => {
    const { bench, ask } = up(new SharedFiles(), ['u-0', 'u-1'], 1, () => 'user');
    // Both mount the same volume.
    bench.disk = <T>() => bench.stored.get('volume') as T | undefined;
    bench.keep = (_, data) => void bench.stored.set('volume', data);
    ask({ do: 'write', key: 'chart.txt', value: 'old' }, 'u-0');
    bench.ask({ id: 'h', member: 'u-1', op: { do: 'open', key: 'chart.txt' } });
    ask({ do: 'write', key: 'chart.txt', value: 'new' }, 'u-0');
    expect(ask({ do: 'read-open', value: 'h' }, 'u-1')?.rows).toEqual([['chart.txt', 'old']]);
    expect(ask({ do: 'close', value: 'h' }, 'u-1')?.outcome).toBe('acknowledged');
    expect(ask({ do: 'read', key: 'chart.txt' }, 'u-1')?.rows).toEqual([['chart.txt', 'new']]);
    expect(bench.lines.some((line) => line.includes('u-1: chart.txt changed (by u-0)'))).toBe(true);
    // What is written through an open file is seen by others once it is closed, and by whoever has it open at once.
    bench.ask({ id: 'w', member: 'u-1', op: { do: 'open', key: 'chart.txt' } });
    ask({ do: 'write-open', key: 'w', value: 'newest' }, 'u-1');
    const seen = () => [
      ask({ do: 'read', key: 'chart.txt' }, 'u-0')?.rows?.[0]?.[1],
      ask({ do: 'read-open', value: 'w' }, 'u-1')?.rows?.[0]?.[1]
    ];
    expect(seen()).toEqual(['new', 'newest']);
    ask({ do: 'close', value: 'w' }, 'u-1');
    expect(ask({ do: 'read', key: 'chart.txt' }, 'u-0')?.rows).toEqual([['chart.txt', 'newest']]);
    for (const handle of ['w', '__proto__', 'constructor'])
      expect(ask({ do: 'read-open', value: handle }, 'u-1')).toMatchObject({
        outcome: 'refused',
        says: `nothing is open as ${handle} on u-1`
      });
  });

  it.each([
    [{ privileged: 'no', propagation: 'Bidirectional' }, 'not privileged'],
    [{ privileged: 'yes' }, 'not propagated both ways']
  ])('an agent with %j is refused', (options, says) => {
    const bench = new Bench(new SharedFiles(), ['a-0'], 1);
    bench.part = () => 'agent';
    bench.options = options;
    bench.start('a-0');
    bench.run(10_000);
    expect(bench.engine.standing(bench, 'a-0')).toMatchObject({ ready: false, says: expect.stringContaining(says) });
  });
});

it('an image shelf gives back what was pushed, by its digest', () => {
  const { ask } = up(new ImageShelf(), ['s-0'], 1, () => 'shelf');
  const pushed = ask({ do: 'push', key: 'tools/chart:r2', bytes: 30_000 })!;
  expect(ask({ do: 'pull', key: 'tools/chart:r2' })).toMatchObject({ outcome: 'acknowledged', bytes: 30_000, checksum: pushed.checksum });
  expect(ask({ do: 'pull', key: 'tools/none:1' })?.outcome).toBe('refused');
  expect(ask({ do: 'push', key: 'no tag' })?.says).toContain('is no image');
  // What is taken off goes with all its tags, and nothing else does.
  for (const key of ['tools/chart:r3', 'tools/charts:r1']) ask({ do: 'push', key, bytes: 10 });
  expect(ask({ do: 'drop', place: 'tools/chart' })).toMatchObject({ outcome: 'acknowledged', count: 2 });
  expect(ask({ do: 'list' })!.rows!.map(([key]) => key)).toEqual(['tools/charts:r1']);
});
