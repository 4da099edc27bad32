import { describe, expect, it } from 'vitest';
import { type Group, lastOf, membersOf, type Record } from '$core/standin/engines/group';
import { documentSet, multiPrimarySql, cellAt, primaryStandbySql, type Tables } from '$core/standin/engines/tables';
import { Bench, luck } from './bench';
import { seeds } from './seeds';

const record = (bench: Bench, id: string) => bench.disk<Record<Tables>>(id);
const has = (one: Record<Tables> | undefined, key: string) =>
  one !== undefined && (cellAt(one.state, `main/${key}`) !== undefined || one.log.some((entry) => entry.op?.key === key));

interface Run {
  readonly seed: number;
  readonly size: number;
  readonly engine: () => Group<Tables>;
  /** Least number of members that hold a write when it is acknowledged, of so many. */
  readonly holders: (members: number) => number;
  /** The most members that may be away at once. */
  readonly faults: number;
  /** Members whose volumes are lost at the end. */
  readonly wiped?: number;
}

/** Random faults and writes, then everything is mended. Gives what was promised and is gone, and every broken invariant. */
function storm({ seed, size, engine: made, holders: least, faults, wiped = 0 }: Run): {
  acknowledged: number;
  lost: string[];
  wrong: string[];
} {
  const ids = Array.from({ length: size }, (_, i) => `m-${i}`);
  const engine = made();
  const bench = new Bench(engine, ids, seed);
  const { chance, int, one } = luck(seed);
  const leaders = new Map<number, string>();
  const wrong: string[] = [];
  const kept: string[] = [];
  bench.check = () => {
    for (const id of ids) {
      if (engine.mind(bench, id)?.role !== 'leader') continue;
      const { term } = record(bench, id)!;
      const known = leaders.get(term);
      if (known !== undefined && known !== id) wrong.push(`two leaders in term ${term}: ${known}, ${id}`);
      leaders.set(term, id);
    }
  };
  bench.answered = (ask, { outcome }) => {
    if (outcome !== 'acknowledged') return;
    kept.push(ask);
    const holders = ids.filter((id) => has(record(bench, id), ask));
    const members = membersOf(record(bench, holders[0] ?? ids[0]!)!);
    if (holders.length < least(members.length)) wrong.push(`${ask} was accepted with ${holders.length} of ${members.length}`);
  };
  for (const id of ids) {
    bench.start(id);
    bench.run(6_000);
  }
  let writes = 0;
  const away = () => ids.filter((id) => !bench.up(id)).length;
  for (let round = 0; round < 24; round += 1) {
    const roll = chance();
    const victim = one(ids);
    if (roll < 0.2 && bench.up(victim) && away() < faults) bench.crash(victim);
    else if (roll < 0.26 && bench.up(victim) && away() < faults) {
      bench.stop(victim);
      bench.run(1_200);
      bench.crash(victim);
    } else if (roll < 0.5) for (const id of ids.filter((id) => !bench.up(id)).slice(0, 1)) bench.start(id);
    else if (roll < 0.6) {
      const cut = ids.filter(() => chance() < 0.4);
      bench.cut(
        cut,
        ids.filter((id) => !cut.includes(id))
      );
    } else if (roll < 0.72) bench.cut();
    for (let i = int(0, 3); i > 0; i -= 1) {
      const key = `k${writes++}`;
      bench.ask({ id: key, member: one(ids), op: { do: 'write', key, value: key } });
    }
    bench.run(chance() < 0.4 ? int(1, 12) : int(200, 6_000));
  }
  for (const id of ids.slice(0, wiped)) {
    bench.crash(id);
    bench.stored.delete(id);
  }
  bench.cut();
  bench.start(...ids);
  bench.run(60_000);
  const leader = engine.leader(bench);
  if (leader === undefined) wrong.push(`nobody leads in the end:\n${bench.lines.slice(-12).join('\n')}`);
  const end = leader === undefined ? undefined : record(bench, leader);
  for (const id of ids) {
    const mine = record(bench, id);
    if (end && mine && (lastOf(mine).index !== lastOf(end).index || JSON.stringify(mine.state) !== JSON.stringify(end.state)))
      wrong.push(`${id} ends at ${lastOf(mine).index}, ${leader} at ${lastOf(end).index}`);
  }
  return { acknowledged: kept.length, lost: kept.filter((key) => !has(end, key)), wrong };
}

/** Runs many seeds; gives the first that went wrong, how many lost something, and how much was acknowledged in all. */
function storms(seeds: number, run: (seed: number) => ReturnType<typeof storm>) {
  let [acknowledged, losing] = [0, 0];
  let bad: { seed: number; wrong: string[]; lost: string[] } | undefined;
  for (let seed = 1; seed <= seeds; seed += 1) {
    const { acknowledged: n, lost, wrong } = run(seed);
    acknowledged += n;
    if (lost.length) losing += 1;
    if ((lost.length || wrong.length) && !bad) bad = { seed, wrong, lost };
  }
  return { acknowledged, losing, bad };
}

const majority = (n: number) => Math.floor(n / 2) + 1;
const nothing = { bad: undefined, losing: 0 };

describe('groups of members under random faults, many seeds each: nothing acknowledged is lost, one leader a term, nothing without enough members', () => {
  it.each([
    ['multi-primary SQL, three members, any of them may fail', 3, multiPrimarySql, majority],
    ['primary-standby SQL, one synchronous standby', 3, () => primaryStandbySql(1), (n: number) => Math.min(n, 2)],
    ['document replica set of five with priorities', 5, () => documentSet({ 'm-0': 3, 'm-1': 2, 'm-4': 0 }), majority]
  ] as const)('%s', (_, size, engine, holders) => {
    const { acknowledged, ...rest } = storms(seeds, (seed) => storm({ seed, size, engine, holders, faults: size }));
    expect(rest).toEqual(nothing);
    expect(acknowledged).toBeGreaterThan(4 * seeds);
  });

  it('loses acknowledged writes where the promise is exceeded: a majority of the volumes gone, or commits that wait for no standby', () => {
    const wiped = storms(100, (seed) => storm({ seed, size: 3, engine: multiPrimarySql, holders: majority, faults: 3, wiped: 3 }));
    expect(wiped.losing).toBeGreaterThan(90);
    const alone = storms(300, (seed) => storm({ seed, size: 3, engine: () => primaryStandbySql(0), holders: () => 1, faults: 3 }));
    expect(alone.losing).toBeGreaterThan(10);
  });
});
