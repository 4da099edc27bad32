/* What engines promise about the order of what was asked, judged from outside by their clients' histories alone. */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { Answer } from '$core/standin/engines/site';
import type { Group } from '$core/standin/engines/group';
import { documentSet, multiPrimarySql, primaryStandbySql, type Tables } from '$core/standin/engines/tables';
import { Bench, luck } from '../../core/engines/bench';
import { seeds } from '../../core/engines/seeds';
import { isLinearizable, type Operation } from './linearizable';

const write = (value: string, calledMs: number, answeredMs: number): Operation => ({ kind: 'write', value, calledMs, answeredMs });
const read = (value: string | undefined, calledMs: number, answeredMs: number): Operation => ({
  kind: 'read',
  value,
  calledMs,
  answeredMs
});

describe('the judge itself', () => {
  // The register histories of the paper's first figures (Herlihy and Wing 1990, section 1), from memory.
  test('takes overlapping writes in either order, and nothing that was over before', () => {
    expect(isLinearizable([write('0', 0, 10), write('1', 5, 20), read('0', 21, 30)], undefined)).toBe(true);
    expect(isLinearizable([write('0', 0, 10), write('1', 5, 20), read('1', 21, 30)], undefined)).toBe(true);
    expect(isLinearizable([write('0', 0, 10), write('1', 11, 20), read('0', 21, 30)], undefined)).toBe(false);
    // Two readers, one after the other, may not see the new value and then the old one.
    expect(isLinearizable([write('0', 0, 1), write('1', 2, 100), read('1', 10, 20), read('0', 30, 40)], undefined)).toBe(false);
    expect(isLinearizable([write('0', 0, 1), write('1', 2, 100), read('0', 10, 20), read('1', 30, 40)], undefined)).toBe(true);
    // What was never answered may have been done, late or never; once it was seen it stays.
    expect(isLinearizable([write('0', 0, 1), write('1', 2, Infinity), read('0', 10, 20), read('1', 30, 40)], undefined)).toBe(true);
    expect(isLinearizable([write('0', 0, 1), write('1', 2, Infinity), read('1', 10, 20), read('0', 30, 40)], undefined)).toBe(false);
    expect(isLinearizable([read(undefined, 0, 1), write('0', 2, 3), read(undefined, 4, 5)], undefined)).toBe(false);
  });

  test('takes whatever one register gives, and not what one answer of it was changed to', () => {
    const step = fc.record({ read: fc.boolean(), beforeMs: fc.integer({ min: 0, max: 30 }), afterMs: fc.integer({ min: 0, max: 30 }) });
    fc.assert(
      fc.property(fc.array(step, { minLength: 2, maxLength: 14 }), (steps) => {
        let value: string | undefined;
        // Each takes effect at its own moment, ten ms after the one before, and was under way around it.
        const history = steps.map((one, i): Operation => {
          const atMs = 100 + i * 10;
          if (!one.read) value = `v${i}`;
          return { kind: one.read ? 'read' : 'write', value, calledMs: atMs - one.beforeMs, answeredMs: atMs + one.afterMs };
        });
        expect(isLinearizable(history, undefined)).toBe(true);
        const last = { ...read('never written', 1_000, 1_001) };
        expect(isLinearizable([...history, last], undefined)).toBe(false);
      })
    );
  });
});

/** Clients that read and write two rows while members crash, come back and lose each other. Gives their histories, row by row, and what was read where nobody led. */
function histories(seed: number, engine: Group<Tables>, members: number, away: number) {
  const ids = Array.from({ length: members }, (_, i) => `m-${i}`);
  const bench = new Bench(engine, ids, seed);
  const { chance, int, one } = luck(seed);
  const open = new Map<string, { key: string; kind: 'write' | 'read'; value: string | undefined; calledMs: number }>();
  const elsewhere: (Operation & { readonly key: string; readonly by: string })[] = [];
  const found = new Map<string, Operation[]>([
    ['a', []],
    ['b', []]
  ]);
  bench.answered = (ask, { outcome, rows = [], by = '' }: Answer) => {
    const asked = open.get(ask);
    if (!asked) return;
    open.delete(ask);
    const { key, ...operation } = asked;
    // Refused: it surely had no effect. Unknown: it may have one, at any time from its call on.
    if (outcome === 'refused' || (operation.kind === 'read' && outcome !== 'acknowledged')) return;
    const value = operation.kind === 'read' ? rows[0]?.[1] : operation.value;
    const answered = { ...operation, value, answeredMs: outcome === 'acknowledged' ? bench.nowMs : Infinity };
    // While nobody leads whoever is up answers reads as far as it has read: that is promised to be no newer and no older than itself.
    if (operation.kind === 'read' && engine.leader(bench) !== by) elsewhere.push({ ...answered, key, by });
    else found.get(key)!.push(answered);
  };
  for (const id of ids) {
    bench.start(id);
    bench.run(6_000);
  }
  for (let i = 0; i < 36; i += 1) {
    const roll = chance();
    const victim = one(ids);
    if (roll < 0.12 && ids.filter((id) => !bench.up(id)).length < away) bench.crash(victim);
    else if (roll < 0.3) for (const id of ids.filter((id) => !bench.up(id)).slice(0, 1)) bench.start(id);
    else if (roll < 0.42) {
      const cut = ids.filter(() => chance() < 0.4);
      bench.cut(
        cut,
        ids.filter((id) => !cut.includes(id))
      );
    } else if (roll < 0.55) bench.cut();
    for (let n = int(0, 2); n > 0; n -= 1) {
      const id = `${i}-${n}`;
      const key = chance() < 0.5 ? 'a' : 'b';
      const kind = chance() < 0.5 ? 'write' : 'read';
      if ([...open.values()].length + found.get(key)!.length >= 28) continue;
      open.set(id, { key, kind, value: kind === 'write' ? id : undefined, calledMs: bench.nowMs });
      bench.ask({ id, op: kind === 'write' ? { do: 'write', key, value: id } : { do: 'read', key } });
    }
    bench.run(chance() < 0.5 ? int(1, 20) : int(200, 6_000));
  }
  for (const { key, ...left } of open.values()) if (left.kind === 'write') found.get(key)!.push({ ...left, answeredMs: Infinity });
  return { found, elsewhere };
}

describe('rows of engines whose members agree', () => {
  for (const [name, engine] of [
    ['a document set', () => documentSet()],
    ['primary and standbys, one of them waited for', () => primaryStandbySql(1)],
    ['many primaries', () => multiPrimarySql()]
  ] as const)
    test(`${name}: what whoever leads answered under faults is linearizable; reads elsewhere show what was written, and never go back`, () => {
      let operations = 0;
      let unanswered = 0;
      let read = 0;
      for (let seed = 1; seed <= seeds; seed += 1) {
        const { found, elsewhere } = histories(seed, engine(), 3, 1);
        for (const [key, history] of found) {
          operations += history.length;
          unanswered += history.filter((one) => one.answeredMs === Infinity).length;
          if (!isLinearizable(history, undefined)) throw new Error(`seed ${seed}, row ${key}: ${JSON.stringify(history)}`);
        }
        const seen = new Map<string, string[]>();
        for (const { key, by, value, answeredMs } of elsewhere) {
          read += 1;
          const before = seen.get(`${by} ${key}`) ?? [];
          if (value !== undefined)
            expect(found.get(key)!.some((one) => one.kind === 'write' && one.value === value && one.calledMs <= answeredMs)).toBe(true);
          // Back to a value that it had left behind, or to nothing.
          if ((value ?? '') !== (before.at(-1) ?? ''))
            expect(before.includes(value ?? ''), `seed ${seed}: ${by} went back to ${value}`).toBe(false);
          seen.set(`${by} ${key}`, [...before, value ?? '']);
        }
      }
      // It was no quiet time: much was asked, and some of it never answered.
      expect(operations).toBeGreaterThan(seeds * 8);
      expect(unanswered).toBeGreaterThan(0);
      // Many primaries answer nothing where none of them leads a majority.
      expect(read > 0).toBe(name !== 'many primaries');
    });
});
