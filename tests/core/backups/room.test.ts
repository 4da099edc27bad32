/* Room that copies take: what is foreseen against what 90 days of copies then weigh; asked for by the design: within 5 %. */
import fc from 'fast-check';
import { expect, test } from 'vitest';
import { judgeBackup, roomAhead, storeBytes } from '$core/backups';
import type { ApiObject, StatefulSet } from '$core/model';
import { epochMs, momentsOf, nextOf } from '$core/shared';
import { doneOf, runsOf, type World } from '$core/standin';
import { objects } from '../help';
import { answered, ask, must, roomy } from '../roomy';
import { barn, daily, into, later, plan, planOf, returned, run, write } from './help';

const dayMs = 86_400_000;
const gib = 2 ** 30;

/** A database that fills, and an object store of 4 members with a volume of 50 GiB each, parity 2. */
function filling(perDay: string, keep: string, schedule = '0 3 * * *', more = ''): World {
  const world = roomy({ nodes: 2 });
  must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
  const marks = { 'standin.example/holds': '4Gi', 'standin.example/writes-a-day': perDay };
  const marked = (one: ApiObject): ApiObject => {
    if (one.kind !== 'StatefulSet') return one;
    const { spec } = one as StatefulSet;
    const metadata = { ...spec.template.metadata, annotations: { ...spec.template.metadata?.annotations, ...marks } };
    return { ...one, spec: { ...spec, template: { ...spec.template, metadata } } } as ApiObject;
  };
  must(world, ...answered('primary-standby-sql', { namespace: 'space', name: 'one', synchronous: '1', size: '60Gi' }).map(marked));
  must(world, ...answered('object-store', { namespace: 'space', name: 'shed', members: '4', volumes: '1', size: '50Gi', parity: '2' }));
  world.runSettled();
  expect(ask(world, 'space', 'shed', { do: 'make-bucket', place: 'copies' }).outcome).toBe('acknowledged');
  must(world, ...plan(`how: copy, schedule: "${schedule}", ${into}, keep: ${keep}${more}`));
  expect(run(world, 'first').phase).toBe('Done');
  return world;
}
const lies = (world: World) => doneOf(runsOf(world.store, 'space', 'nightly'));
const weighs = (world: World) => lies(world).reduce((sum, one) => sum + (one.status?.bytes ?? 0), 0);

test('over 90 days of daily copies that grow, each day weighs within 5 % of what was foreseen on the first, and as many lie there', () => {
  const world = filling('100Mi', '{newest: 3, days: 5, weeks: 4, months: 2}');
  const foreseen = roomAhead(world.store, planOf(world));
  expect(foreseen.points).toHaveLength(91);
  expect(foreseen.points[0]).toEqual({ atMs: world.nowMs, copies: 1, bytes: weighs(world) });
  for (const one of foreseen.points.slice(1)) {
    world.runUntil(one.atMs + 3_600_000);
    expect(lies(world)).toHaveLength(one.copies);
    expect(Math.abs(weighs(world) / one.bytes - 1)).toBeLessThan(0.05);
  }
  // The last is of Sunday 2026-05-31: of five days, the Sundays of three weeks before, and 30 April; 4 GiB and up to 9 GiB more in each.
  const last = foreseen.points.at(-1)!;
  expect(last.copies).toBe(9);
  expect(last.bytes / last.copies / gib).toBeGreaterThan(4 + 9 * 0.5);
  expect(foreseen.mostBytes).toBeGreaterThanOrEqual(last.bytes);
});

test('copies that outgrow the store are told with the day, and not once fewer are kept; what is suspended stays as it is', () => {
  const world = filling('500Mi', '{newest: 20}');
  // 4 volumes of 50 GiB, two of them parity: 100 GiB, less what the file systems take of it.
  const holds = storeBytes(world.store, 'space', 'shed')!;
  expect(holds / gib).toBeGreaterThan(90);
  expect(holds / gib).toBeLessThan(100);
  const found = () => judgeBackup(world.store, 'space', 'one', [planOf(world)]).find((one) => one.id === 'outgrows');
  const says = found()!;
  expect(says).toMatchObject({
    state: 'broken',
    says: expect.stringMatching(/^the copies that are kept will take more than shed holds in \d+ days: 9\d GiB$/)
  });
  const days = Number(/in (\d+) days/.exec(says.says)![1]);
  // A copy more each day: 4, 4.5, 5 GiB and so on come to so many in 13 or 14 days.
  expect([13, 14]).toContain(days);
  later(world, days * dayMs);
  expect(weighs(world)).toBeGreaterThan(holds);
  expect(found()!.says).toMatch(/take more than shed holds: /);
  const altered = (spec: object) => must(world, { ...planOf(world), spec: { ...planOf(world).spec, ...spec } } as ApiObject);
  altered({ keep: { newest: 1, days: 0, weeks: 0, months: 0 } });
  later(world, dayMs);
  expect(found()).toBeUndefined();
  altered({ suspend: true });
  const now = roomAhead(world.store, planOf(world));
  expect(now).toMatchObject({ points: [{ copies: 1, bytes: weighs(world) }], mostBytes: weighs(world), othersBytes: 0 });
});

test('a plan that comes every minute is told for as long as it was looked at, quickly, and in no more points than a curve takes', () => {
  const world = filling('10Mi', '{newest: 5, days: 2}', '* * * * *');
  const foreseen = roomAhead(world.store, planOf(world));
  expect(foreseen.overMs / 60_000).toBeCloseTo(2_400, -1);
  expect(foreseen.points.length).toBeLessThanOrEqual(180);
  expect(foreseen.mostBytes).toBe(Math.max(...foreseen.points.map((one) => one.bytes)));
});

test('moments that are remembered are those that are found one by one, whatever was asked before', () => {
  const walk = (schedule: string, zone: string, afterMs: number, untilMs: number, most: number) => {
    const found: number[] = [];
    for (
      let next = nextOf(schedule, zone, afterMs);
      next !== undefined && next <= untilMs && found.length < most;
      next = nextOf(schedule, zone, next)
    )
      found.push(next);
    return found;
  };
  const asks = fc.record({
    schedule: fc.constantFrom('0 3 * * *', '*/40 * * * *', '30 1 * * 0', '0 0 31 2 *', '0 0 29 2 *'),
    zone: fc.constantFrom('UTC', 'Europe/Lisbon'),
    from: fc.integer({ min: 0, max: 60 * 24 }),
    span: fc.oneof(fc.integer({ min: 0, max: 30 * 24 }), fc.constant(Infinity)),
    most: fc.integer({ min: 1, max: 60 })
  });
  fc.assert(
    fc.property(fc.array(asks, { minLength: 1, maxLength: 8 }), (list) => {
      for (const { schedule, zone, from, span, most } of list) {
        const [afterMs, untilMs] = [epochMs + from * 3_600_000, epochMs + (from + span) * 3_600_000];
        expect(momentsOf(schedule, zone, afterMs, untilMs, most)).toEqual(walk(schedule, zone, afterMs, untilMs, most));
      }
    }),
    { numRuns: 60 }
  );
});

test('where copies hold changes they weigh so much of 4 GiB as has changed, and the room follows the whole ones', () => {
  const world = filling('0', '{newest: 4}', '0 3 * * *', ', fullEvery: 3');
  const bytesOf = (name: string) => world.store.get('BackupRun', 'space', name)!.status!.bytes!;
  for (let n = 0; n < 30; n += 1) write(world, `k${n}`, 'v'.repeat(20));
  // Nearly all that the copy can tell apart is new: 30 rows beside 6 that were there from the start.
  expect(run(world, 'second').base).toBe('first');
  expect(bytesOf('second') / bytesOf('first')).toBeGreaterThan(0.7);
  expect(bytesOf('second') / bytesOf('first')).toBeLessThan(1);
  write(world, 'k0', 'w'.repeat(20));
  run(world, 'third');
  expect(bytesOf('third') / bytesOf('first')).toBeGreaterThan(0.01);
  expect(bytesOf('third') / bytesOf('first')).toBeLessThan(0.05);
  // From here on a whole one, and two of changes, each as the last; four are kept, and what the oldest of them builds on.
  const { points, mostBytes } = roomAhead(world.store, planOf(world));
  const [whole, part] = [bytesOf('first'), bytesOf('third')];
  expect(Math.max(...points.map((one) => one.copies))).toBe(6);
  const steady = points.filter((one) => one.atMs > world.nowMs + 10 * dayMs).map((one) => one.bytes);
  expect(Math.max(...steady)).toBeCloseTo(2 * whole + 4 * part, -1);
  // Before that the second one, which is nearly whole, is kept for what builds on it.
  expect(mostBytes).toBeCloseTo(2 * whole + bytesOf('second') + 3 * part, -1);
  const before = points.find((one) => one.atMs > world.nowMs + 20 * dayMs)!;
  later(world, 20 * dayMs);
  expect(lies(world).length).toBe(points.filter((one) => one.atMs <= world.nowMs).at(-1)!.copies);
  expect(before.bytes).toBeGreaterThan(whole);
});

test('what lies in no volume’s fill is taken to weigh as in the last whole copy, not as in one of changes', () => {
  const world = barn();
  must(world, ...plan(`how: copy, ${daily}, ${into}, keep: {newest: 9}, fullEvery: 2`));
  for (let n = 0; n < 30; n += 1) write(world, `k${n}`, 'v'.repeat(2_000));
  run(world, 'first');
  write(world, 'k0', 'w');
  expect(run(world, 'second').base).toBe('first');
  const [now, next] = roomAhead(world.store, planOf(world)).points;
  const bytesOf = (name: string) => world.store.get('BackupRun', 'space', name)!.status!.bytes!;
  expect(bytesOf('first')).toBeGreaterThan(bytesOf('second'));
  expect(next!.bytes - now!.bytes).toBe(bytesOf('first'));
});

test('one table alone is carried back in so much of the time as it is of the copy', () => {
  const world = filling('0', '{newest: 4}');
  const put = (place: string, n: number) => {
    for (let i = 0; i < n; i += 1)
      expect(ask(world, 'space', 'one', { do: 'write', place, key: `k${i}`, value: 'v'.repeat(20) }).outcome).toBe('acknowledged');
  };
  put('small', 2);
  put('large', 60);
  expect(run(world, 'second').phase).toBe('Done');
  const carriedMsOf = (name: string, spec: string) => {
    const steps = returned(world, spec, name).steps!;
    const { fromMs, toMs } = steps.find((one) => one.name === 'carries it back')!;
    return toMs! - fromMs;
  };
  // 4 GiB at 30 MiB in a second: 137 s, a quarter either way, and 2 to 5 s beside.
  const all = carriedMsOf('all', 'into: one, over: true');
  expect(all).toBeGreaterThan(111_000);
  expect(all).toBeLessThan(176_000);
  const small = carriedMsOf('small', 'into: one, over: true, only: small');
  expect(small).toBeGreaterThan(2_000);
  expect(small).toBeLessThan(14_000);
});
