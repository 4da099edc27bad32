/* Copies, held against what stands outside: FIPS 180-4 (SHA-256) as Node has it, ISO 8601 (weeks begin on Monday), the IANA time zone database as Intl has it. */
import { createHash } from 'node:crypto';
import { expect, test } from 'vitest';
import { epochMs, nextOf } from '$core/shared';
import { keptOf } from '$core/standin';
import { objects } from '../core/help';
import { answered, ask, must, roomy } from '../core/roomy';

test('what an engine hands out bears the SHA-256 that any other program finds, and so does the object that lies in the store', () => {
  const world = roomy({ nodes: 2 });
  must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
  for (const engine of ['multi-primary-sql', 'document-set'] as const)
    must(world, ...answered(engine, { namespace: 'space', name: engine }));
  must(world, ...answered('object-store', { namespace: 'space', name: 'shed', bucket: 'copies' }));
  world.runSettled();
  const sha = (text: string) => createHash('sha256').update(text, 'utf8').digest('hex');
  for (const engine of ['multi-primary-sql', 'document-set'] as const) {
    ask(world, 'space', engine, { do: 'write', place: 'pläne', key: 'k"1', value: 'Fähre · 渡し' });
    const copy = ask(world, 'space', engine, { do: 'copy' });
    const text = copy.rows![0]![1];
    expect(copy.checksum).toBe(sha(text));
    expect(JSON.parse(text)).toContainEqual(['pläne/k"1', 'Fähre · 渡し']);
    ask(world, 'space', 'shed', { do: 'put', place: 'copies', key: engine, value: text });
    const back = ask(world, 'space', 'shed', { do: 'fetch', place: 'copies', key: engine });
    expect([back.checksum, back.rows![0]![1]]).toEqual([sha(text), text]);
  }
});

test('weeks begin on Monday, days at midnight of the zone', () => {
  const at = (iso: string) => ({ name: iso, momentMs: Date.parse(iso) - epochMs });
  // ISO 8601: 2026-03-08 is the Sunday of week 10, 2026-03-09 the Monday of week 11.
  const week = [at('2026-03-07T12:00:00Z'), at('2026-03-08T12:00:00Z'), at('2026-03-09T12:00:00Z'), at('2026-03-10T12:00:00Z')];
  const keep = { newest: 1, days: 0, weeks: 2, months: 0 };
  expect([...keptOf(week, keep)].map((one) => one.name.slice(0, 10)).sort()).toEqual(['2026-03-08', '2026-03-10']);
  // 23:30 UTC is half past noon of the next day in Auckland (UTC+13 in March).
  const night = [at('2026-03-10T10:30:00Z'), at('2026-03-10T23:30:00Z')];
  const days = { newest: 1, days: 2, weeks: 0, months: 0 };
  expect([keptOf(night, days, 'UTC').size, keptOf(night, days, 'Pacific/Auckland').size]).toEqual([1, 2]);
});

test('a daily moment keeps its hour where the clocks change, as Intl shows it', () => {
  const shown = (ms: number) =>
    new Intl.DateTimeFormat('en-GB', { timeZone: 'Europe/Lisbon', hour: '2-digit', minute: '2-digit' }).format(ms);
  let last = nextOf('0 3 * * *', 'Europe/Lisbon', Date.parse('2026-01-01T00:00:00Z'))!;
  const lengths = new Map<number, number>();
  for (let day = 0; day < 365; day += 1) {
    expect(shown(last)).toBe('03:00');
    const next = nextOf('0 3 * * *', 'Europe/Lisbon', last)!;
    lengths.set(next - last, (lengths.get(next - last) ?? 0) + 1);
    last = next;
  }
  const hour = 3_600_000;
  expect(Object.fromEntries(lengths)).toEqual({ [23 * hour]: 1, [24 * hour]: 363, [25 * hour]: 1 });
});
