import { describe, expect, test } from 'vitest';
import { rootLine } from '$core/rootline';
import { clockText, cpus, gib, lineHref, plural, shortClock } from '$ui/format';
import { rowsOf, type ShownJoint } from '$ui/sheets/line-rows';
import { bookingsSet, driver, must, south } from '../core/help';

const shown = (world: ReturnType<typeof south>): ShownJoint[] =>
  rootLine(world.store, bookingsSet)!.joints.map((one) => ({ ...one, remedy: null }));

describe('rows of the root line', () => {
  test('one row a joint, from the root up; what members share is told once, what differs is counted', () => {
    const rows = rowsOf(shown(south()));
    expect(rows.map((one) => one.id)).toEqual([
      'backend',
      'rights',
      'driver',
      'class',
      'volume',
      'claim',
      'placing',
      'node',
      'attaching',
      'mounting',
      'references',
      'image',
      'start',
      'ready',
      'name',
      'service'
    ]);
    expect(rows.filter((one) => one.state === 'broken').map((one) => one.id)).toEqual(['driver']);
    expect(rows.find((one) => one.id === 'claim')).toMatchObject({ state: 'waiting', label: 'data-bookings-0 … -2' });
    expect(rows.find((one) => one.id === 'class')!.joints).toHaveLength(1);
  });

  test('while members come up, a row shows the worst of them and how many hold', () => {
    const world = south();
    must(world, { type: 'send', objects: driver() });
    for (;;) {
      world.runUntil(world.nextMs!);
      const ready = rowsOf(shown(world)).find((one) => one.id === 'ready')!;
      if (ready.joints.filter((one) => one.state === 'holds').length !== 1) continue;
      expect(ready.state).not.toBe('holds');
      expect(ready.says).toMatch(/^1 of 3 hold; /);
      break;
    }
    world.runSettled();
    const rows = rowsOf(shown(world));
    expect(rows.every((one) => one.state === 'holds')).toBe(true);
    // Nodes don't count up, so they are listed.
    expect(rows.find((one) => one.id === 'node')!.label.split(', ')).toHaveLength(3);
  });
});

describe('figures', () => {
  test('times, sizes, counts, addresses', () => {
    expect([clockText(401_000), shortClock(401_000), shortClock(3_725_000)]).toEqual(['T+00:06:41', '06:41', '01:02:05']);
    expect([gib(40 * 2 ** 30), gib(1.5 * 2 ** 30), gib(1600 * 2 ** 30)]).toEqual(['40 GiB', '1.5 GiB', '1.6 TiB']);
    expect([cpus(500), cpus(3_800), cpus(12_000)]).toEqual(['0.5', '3.8', '12']);
    expect([plural(1, 'class', 'classes'), plural(2, 'class', 'classes'), plural(1_200, 'claim')]).toEqual([
      '1 class',
      '2 classes',
      '1,200 claims'
    ]);
    expect(lineHref('a~b', { kind: 'Pod', namespace: 'n', name: 'p-0' })).toBe('/r/a~b/root-line?kind=Pod&namespace=n&name=p-0');
  });
});
