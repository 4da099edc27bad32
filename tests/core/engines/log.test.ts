import { describe, expect, it } from 'vitest';
import { LogBroker } from '$core/standin/engines/log';
import { Bench, luck } from './bench';
import { seeds } from './seeds';

const brokers = ['b-0', 'b-1', 'b-2'];
const partOf = (id: string) => (id.startsWith('c-') ? 'coordinator' : 'broker');

function cluster(seed: number, coordinators: readonly string[]) {
  const engine = new LogBroker();
  const bench = new Bench(engine, [...coordinators, ...brokers], seed);
  bench.part = partOf;
  for (const id of bench.ids) {
    bench.start(id);
    bench.run(6_000);
  }
  bench.ask({ id: 'topic', op: { do: 'make-topic', place: 't', count: 2, value: JSON.stringify({ replicas: 3, least: 2 }) } });
  bench.run(1_000);
  return { engine, bench };
}

function storm(seed: number, coordinators: readonly string[], acks: string, wiped = 0) {
  const { bench, engine } = cluster(seed, coordinators);
  const { chance, int, one } = luck(seed);
  const wrong: string[] = [];
  const kept: string[] = [];
  const leaders = new Map<string, string>();
  if (bench.answers.get('topic')?.outcome !== 'acknowledged') wrong.push(`no topic: ${bench.answers.get('topic')?.says}`);
  bench.answered = (id, { outcome }) => void (outcome === 'acknowledged' && id.startsWith('m') && kept.push(id));
  bench.check = () => {
    for (const id of brokers)
      for (const [key, { epoch }] of Object.entries(engine.brokers.mind(bench, id).leading ?? {})) {
        const known = leaders.get(`${key}@${epoch}`);
        if (known !== undefined && known !== id) wrong.push(`two leaders of ${key} in epoch ${epoch}`);
        leaders.set(`${key}@${epoch}`, id);
      }
  };
  let sent = 0;
  for (let round = 0; round < 20; round += 1) {
    const victim = one(bench.ids);
    const roll = chance();
    if (roll < 0.25) bench.crash(victim);
    else if (roll < 0.5) for (const id of bench.ids.filter((id) => !bench.up(id)).slice(0, 2)) bench.start(id);
    else if (roll < 0.62) {
      const apart = bench.ids.filter(() => chance() < 0.4);
      bench.cut(
        apart,
        bench.ids.filter((id) => !apart.includes(id))
      );
    } else if (roll < 0.75) bench.cut();
    for (let i = int(0, 3); i > 0; i -= 1) {
      const id = `m${sent++}`;
      bench.ask({ id, member: one(brokers), op: { do: 'produce', place: 't', value: id, acks } });
    }
    bench.run(chance() < 0.4 ? int(1, 15) : int(200, 9_000));
  }
  for (const id of brokers.slice(0, wiped)) {
    bench.crash(id);
    bench.stored.delete(id);
  }
  bench.cut();
  bench.start(...bench.ids);
  bench.run(60_000);
  const before = kept.length;
  bench.ask({ id: 'read', op: { do: 'consume', place: 't', from: 'beginning', count: 10_000 } });
  bench.run(20_000);
  const read = bench.answers.get('read');
  if (read?.outcome !== 'acknowledged') wrong.push(`not read: ${read?.says}`);
  if (read && !read.says.includes('in order')) wrong.push(read.says);
  const texts = (read?.rows ?? []).map(([, text]) => text);
  if (new Set(texts).size !== texts.length) wrong.push('a message was kept twice');
  return { acknowledged: before, lost: kept.slice(0, before).filter((id) => !texts.includes(id)), wrong };
}

function storms(seeds: number, run: (seed: number) => ReturnType<typeof storm>) {
  let [acknowledged, losing] = [0, 0];
  let bad: object | undefined;
  for (let seed = 1; seed <= seeds; seed += 1) {
    const { acknowledged: n, lost, wrong } = run(seed);
    acknowledged += n;
    if (lost.length) losing += 1;
    if ((lost.length || wrong.length) && !bad) bad = { seed, lost, wrong };
  }
  return { acknowledged, losing, bad };
}

describe('a log broker', () => {
  it.each([
    ['three coordinators and three brokers', ['c-0', 'c-1', 'c-2']],
    ['three brokers that coordinate themselves', []]
  ] as const)(
    '%s: many seeds of faults lose nothing that all caught-up replicas acknowledged, keep order, and keep nothing twice',
    (_, coordinators) => {
      const { bad, losing, acknowledged } = storms(seeds, (seed) => storm(seed, coordinators, 'all'));
      expect({ bad, losing }).toEqual({ bad: undefined, losing: 0 });
      expect(acknowledged).toBeGreaterThan(3 * seeds);
    }
  );

  it('loses messages that only leaders acknowledged, and all of them with all volumes', () => {
    expect(storms(200, (seed) => storm(seed, ['c-0', 'c-1', 'c-2'], 'leader')).losing).toBeGreaterThan(5);
    expect(storms(40, (seed) => storm(seed, ['c-0', 'c-1', 'c-2'], 'all', 3)).losing).toBeGreaterThan(20);
  });

  it('a group goes on where it has read to, through the loss of its broker and of a coordinator; without a group the end is the end', () => {
    const { bench } = cluster(5, ['c-0', 'c-1', 'c-2']);
    let nth = 0;
    const ask = (op: Parameters<typeof bench.ask>[0]['op']) => {
      const id = `g${nth++}`;
      bench.ask({ id, op });
      bench.run(12_000);
      return bench.answers.get(id)!;
    };
    const send = (count: number) => ask({ do: 'produce', place: 't', count, bytes: 50, acks: 'all' });
    const read = (more: object) => ask({ do: 'consume', place: 't', ...more } as never);
    send(40);
    expect(read({ from: 'end' }).count).toBe(0);
    expect(read({ group: 'desks' })).toMatchObject({
      count: 40,
      says: expect.stringContaining('for the group desks, which reads it for the first time; it goes on at 20, 20')
    });
    expect(read({ group: 'desks' }).count).toBe(0);
    send(6);
    bench.crash('b-0');
    bench.crash('c-0');
    bench.run(20_000);
    expect(read({ group: 'desks' }).count).toBe(6);
    // Another group begins where it is told to, and has offsets of its own.
    expect(read({ group: 'late', from: 'end' }).count).toBe(0);
    send(2);
    expect(read({ group: 'late', from: 'beginning' }).count).toBe(2);
    const groups = ask({ do: 'groups' });
    expect([groups.says, groups.rows!.find(([name]) => name === 'desks t/0')![1]]).toEqual([
      '2 groups',
      expect.stringMatching(/^goes on at 23, 1 behind/)
    ]);
    // Nobody decides: what was read is read again.
    bench.crash('c-1');
    bench.run(10_000);
    expect(read({ group: 'desks' }).says).toContain('nobody keeps how far it has read');
  });

  it('a million small messages come back: count, order, checksum', () => {
    const { bench } = cluster(1, ['c-0', 'c-1', 'c-2']);
    const askedMs = bench.nowMs;
    let answeredMs = 0;
    bench.answered = (id) => void (id === 'many' && (answeredMs = bench.nowMs - askedMs));
    bench.ask({ id: 'many', op: { do: 'produce', place: 't', count: 1_000_000, bytes: 100, acks: 'all' } });
    bench.run(30_000);
    bench.ask({ id: 'all', op: { do: 'consume', place: 't', from: 'beginning' } });
    bench.run(30_000);
    const [many, all] = [bench.answers.get('many')!, bench.answers.get('all')!];
    expect(many).toMatchObject({ outcome: 'acknowledged', count: 1_000_000 });
    // 100 MB on a line of 40 MB/s: no batch leaves before the one in front of it is on its way.
    expect(answeredMs).toBeGreaterThanOrEqual(2_500);
    expect(answeredMs).toBeLessThan(4_000);
    expect(all).toMatchObject({ outcome: 'acknowledged', count: 1_000_000, bytes: 100_000_000, checksum: many.checksum });
    expect(all.says).toContain('in order within each');
  });

  it('what nobody is asked about waits until somebody leads, as it could be sent to nobody', () => {
    const { bench } = cluster(1, ['c-0', 'c-1', 'c-2']);
    const produce = (id: string, acks: string) =>
      bench.ask({ id, member: 'b-0', op: { do: 'produce', place: 't', count: 40, bytes: 40, acks } });
    bench.crash('b-0');
    bench.run(15_000);
    bench.ask({ id: 'first', member: 'b-1', op: { do: 'produce', place: 't', count: 40, bytes: 40, acks: 'all' } });
    bench.run(5_000);
    bench.crash('b-1');
    bench.crash('b-2');
    bench.run(15_000);
    // It lacks what the others had when they went, so it doesn't lead.
    bench.start('b-0');
    bench.run(15_000);
    produce('mute', 'none');
    bench.run(20_000);
    expect([bench.answers.get('first')!.outcome, bench.answers.get('mute')]).toEqual(['acknowledged', undefined]);
    bench.start('b-1', 'b-2');
    bench.run(30_000);
    expect(bench.answers.get('mute')).toMatchObject({ outcome: 'acknowledged', count: 40 });
    bench.ask({ id: 'all', op: { do: 'consume', place: 't', from: 'beginning' } });
    bench.run(30_000);
    expect(bench.answers.get('all')).toMatchObject({ count: 80 });
  });

  it.each([1, 30_000, 700_000])('%i messages that nobody is asked about are sent once, whole, and that is said', (count) => {
    const { bench } = cluster(1, ['c-0', 'c-1', 'c-2']);
    bench.ask({ id: 'many', op: { do: 'produce', place: 't', count, bytes: 40, acks: 'none' } });
    bench.run(30_000);
    expect(bench.answers.get('many')).toMatchObject({
      outcome: 'acknowledged',
      count,
      says: `${count.toLocaleString('en')} ${count === 1 ? 'message' : 'messages'} sent to t; nobody was asked whether they arrived`
    });
    bench.ask({ id: 'all', op: { do: 'consume', place: 't', from: 'beginning' } });
    bench.run(30_000);
    expect(bench.answers.get('all')).toMatchObject({ count, checksum: bench.answers.get('many')!.checksum });
  });
});

describe('how far a broker is behind', () => {
  it('counts what leaders that are there have beyond it, also where nothing moved but who is there', () => {
    const { bench, engine } = cluster(3, ['c-0', 'c-1', 'c-2']);
    const { topics } = engine.brokers.known(bench, 'b-1')!;
    const at = topics.t!.partitions.findIndex((one) => one.leader === 'b-0');
    const behind = () => engine.standing(bench, 'b-1').lag;
    expect([at >= 0, behind()]).toEqual([true, 0]);
    // Nobody else hears of what it takes.
    bench.cut(['b-0'], ['c-0', 'c-1', 'c-2', 'b-1', 'b-2']);
    for (let i = 0; i < 4; i += 1)
      bench.ask({ id: `m${i}`, member: 'b-0', op: { do: 'produce', place: 't', value: `m${i}`, acks: 'one' } });
    bench.run(50);
    expect(behind()).toBeGreaterThan(0);
    const mind = bench.mind('b-1');
    bench.crash('b-0');
    expect(bench.mind('b-1')).toBe(mind);
    expect(behind()).toBe(0);
  });
});
