/* Each calculation by an example that is worked out by hand, and what ranges, wrong slots and impossible values come to. */
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { fileSystemRoom, poolFigures } from '$core/standin';
import { calculationNamed, calculations, readSlot, shown, sizedBy, type CalcId, type Sized, type SlotSpec } from '$core/sizing';

const gib = 2 ** 30;
function sized(id: CalcId, written: Record<string, string> = {}, how = {}): Sized {
  const found = sizedBy(calculationNamed(id)!, written, how);
  if ('faults' in found) throw new Error(JSON.stringify(found.faults));
  return found;
}
const values = (one: Sized): Record<string, number> => Object.fromEntries(one.figures.map(({ id, value }) => [id, value]));

/** What ext4 leaves of a volume of so many GiB, as a share of it. */
const share = (gib: number): number => fileSystemRoom('ext4', gib * 2 ** 30).availableBytes / (gib * 2 ** 30);

test.each<[CalcId, Record<string, string>, Record<string, string>, string]>([
  ['broker', { brokers: '3', copies: '3' }, { brokers: '3', copies: '4' }, '4 copies need as many brokers.'],
  ['broker', { brokers: '3', copies: '1', lost: '2' }, { brokers: '3', copies: '1', lost: '3' }, '3 of 3 brokers lost leaves none.'],
  [
    'backup',
    { kept: '7', fullEvery: '7' },
    { kept: '6', fullEvery: '7' },
    'Of 6 copies that are kept none would be whole at times: keep 7 at least.'
  ],
  ['durability', { disks: '3', mayFail: '2', batch: '3' }, { disks: '3', mayFail: '3' }, 'Of 3 disks at most 2 may be away.'],
  [
    'durability',
    { disks: '3', mayFail: '1', batch: '3' },
    { disks: '3', mayFail: '1', batch: '4' },
    "A group has 3 disks: 4 can't go at once."
  ],
  ['fill', { used: '10 GiB', size: '10 GiB' }, { used: '11 GiB', size: '10 GiB' }, 'It holds more than its size.'],
  ['pool', { nodes: '3', copies: '3' }, { nodes: '2', copies: '3' }, '3 copies of a piece need 3 nodes.'],
  ['slots', { nodes: '3', lost: '2' }, { nodes: '3', lost: '3' }, '3 nodes away of 3 leaves none.'],
  ['spread', { nodes: '3', zones: '3' }, { nodes: '2', zones: '3' }, "2 nodes can't stand in 3 zones."]
])('%s: up to where it reckons, and what it says beyond', (id, within, beyond, says) => {
  expect(Object.keys(sizedBy(calculationNamed(id)!, within, {}))).not.toContain('faults');
  const found = sizedBy(calculationNamed(id)!, beyond, {});
  expect('faults' in found ? Object.values(found.faults) : []).toEqual([says]);
});

describe('slots', () => {
  const slot = (unit: SlotSpec['unit'], least = 0, most = Infinity): SlotSpec => ({ id: 'x', unit, label: 'x', start: '', least, most });

  test('are read as they are spoken of: sizes, rates, times, shares, and ranges of them', () => {
    expect(readSlot(slot('bytes'), '1.5 TiB')).toEqual({ low: 1.5 * 2 ** 40, high: 1.5 * 2 ** 40 });
    expect(readSlot(slot('bytes'), '20Gi')).toEqual({ low: 20 * gib, high: 20 * gib });
    expect(readSlot(slot('rate'), '0.4 to 0.7 MB/s')).toEqual({ low: 400_000, high: 700_000 });
    expect(readSlot(slot('rate'), '900 kB to 1 MB a second')).toEqual({ low: 900_000, high: 1_000_000 });
    expect(readSlot(slot('time'), '5 days')).toEqual({ low: 432_000, high: 432_000 });
    expect(readSlot(slot('time'), '1 – 2 ms')).toEqual({ low: 0.001, high: 0.002 });
    expect(readSlot(slot('share'), '30 %')).toEqual({ low: 0.3, high: 0.3 });
    expect(readSlot(slot('each-second'), '12,000')).toEqual({ low: 12_000, high: 12_000 });
  });

  test('what can not be read is said, and nothing is taken for it', () => {
    expect(readSlot(slot('bytes'), '300')).toBe('Write a size, like 300 GiB or 1.5 TB, or a range of two.');
    expect(readSlot(slot('time'), 'soon')).toMatch(/^Write a time/);
    for (const word of ['constructor', 'toString', '__proto__']) {
      expect(readSlot(slot('bytes'), `5 ${word}`)).toMatch(/^Write a size/);
      expect(readSlot(slot('time'), `5 ${word}`)).toMatch(/^Write a time/);
    }
    expect(readSlot(slot('share'), '0.3')).toMatch(/^Write a share/);
    expect(readSlot(slot('count'), '2.5')).toBe('Write whole numbers.');
    expect(readSlot(slot('count'), '9 to 3')).toBe('The lower end stands first.');
    expect(readSlot(slot('number'), '3.1 to 3')).toBe('The lower end stands first.');
    expect(readSlot(slot('count', 1, 9), '10')).toBe('From 1 to 9.');
    expect(readSlot(slot('count'), '1 to 2 to 3')).toMatch(/^Write/);
  });

  test('whatever is shown is read back as the same, to three digits', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('bytes' as const, 'rate' as const, 'time' as const),
        fc.double({ min: 1, max: 1e9, noNaN: true }),
        (unit, value) => {
          const read = readSlot(slot(unit), shown(unit, value));
          expect(typeof read === 'string' ? read : Math.abs(read.low / value - 1)).toBeLessThan(0.006);
        }
      )
    );
  });
});

describe('every calculation', () => {
  test('begins with slots that can be read, names each of them once, and comes to figures and a sentence', () => {
    for (const calc of calculations) {
      const named = [...calc.sentence.matchAll(/\{(\w+)\}/g)].map((one) => one[1]);
      expect(named.slice().sort(), calc.id).toEqual(calc.slots.map((one) => one.id).sort());
      const one = sized(calc.id);
      expect(one.headline, calc.id).toMatch(/^[A-Z0-9].*\.$/);
      expect(one.headline, calc.id).not.toMatch(/NaN|undefined|Infinity/);
      expect(
        calc.formulas.every(({ source }) => source.length > 5),
        calc.id
      ).toBe(true);
    }
  });

  test('whatever stands in its slots within their bounds gives figures or says why not, and never breaks', () => {
    for (const calc of calculations)
      fc.assert(
        fc.property(fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 12, maxLength: 12 }), (shares) => {
          const v = Object.fromEntries(
            calc.slots.map(({ id, unit, least, most }, i) => {
              const value = least + (Math.min(most, 1e6 + least) - least) * shares[i]! ** 3;
              return [id, unit === 'count' ? Math.round(value) : value];
            })
          );
          if (calc.fault?.(v) !== undefined) return;
          const found = calc.reckon(v);
          for (const { id } of calc.figures) expect(typeof found[id], `${calc.id} ${id}`).toBe('number');
          expect(calc.tell(v, found).headline).not.toMatch(/NaN|undefined/);
          for (const { value } of calc.chart?.(v).points ?? []) expect(Number.isNaN(value), calc.id).toBe(false);
        }),
        { numRuns: 60, seed: 5 }
      );
  });

  test('ranges are carried through: the same draws for the same seed, and what is certain has none', () => {
    const one = sized('broker');
    const [disk] = one.figures;
    // 0.4 to 0.7 MB/s, evenly: nine of ten draws between 0.415 and 0.685, times 3 days and 1.3.
    const at = (rate: number) => (rate * 1e6 * 259_200 * 1.3) / share(186);
    expect(disk!.low / at(0.415)).toBeCloseTo(1, 2);
    expect(disk!.high / at(0.685)).toBeCloseTo(1, 2);
    expect(disk!.value / at(0.55)).toBeCloseTo(1, 3);
    expect([one.draws, sized('broker').figures]).toEqual([20_000, one.figures]);
    expect(sized('broker', {}, { seed: 2 }).figures[0]!.low).not.toBe(disk!.low);
    // Headline and figures are of the same moment of the ranges.
    const slots = sized('slots', { members: '1 to 10,000' });
    expect(slots.headline).toContain(`${values(slots).out} of 5,001 members`.replace(/^(\d)(\d{3}) /, '$1$2 '));
    expect(values(slots).out).toBeLessThanOrEqual(5_001);
    // Draws that can't be, four and five copies on three nodes, are none.
    const { draws } = sized('pool', { nodes: '3', copies: '1 to 5' });
    expect(draws / 20_000).toBeCloseTo(3 / 5, 1);
    const certain = sized('broker', { rate: '0.5 MB/s' });
    expect([certain.draws, ...new Set(certain.figures.map((each) => each.range))]).toEqual([0, '']);
  });

  test('what is wrong is said at its slot; what can not be together, of the whole', () => {
    const broken = sizedBy(calculationNamed('pool')!, { size: 'big', copies: '9' });
    expect(broken).toEqual({ faults: { size: expect.stringMatching(/^Write a size/), copies: 'From 1 to 5.' } });
    expect(sizedBy(calculationNamed('pool')!, { nodes: '2', copies: '3' })).toEqual({
      faults: { '': '3 copies of a piece need 3 nodes.' }
    });
  });
});

describe('by hand', () => {
  test('members and spread', () => {
    expect(values(sized('spread'))).toEqual({ majority: 2, mayMembers: 1, mayNodes: 1, mayZones: 1, inZone: 1, fewest: 3 });
    // Five in three zones: 2, 2, 1. One zone gone leaves three, a majority; one more member does not.
    const five = sized('spread', { members: '5', lostMembers: '1' });
    expect(values(five)).toMatchObject({ majority: 3, mayZones: 1, inZone: 2, fewest: 9 });
    expect(five.headline).toBe(
      '5 members do not survive the loss of 1 zone and 1 member more: 2 would be left, 3 are a majority. 9 would.'
    );
    // Two zones: the fuller one holds half at least.
    const two = sized('spread', { members: '4', zones: '2', nodes: '4' });
    expect(values(two).fewest).toBe(Infinity);
    expect(two.headline).toBe('No number of members survives the loss of 1 zone in 2 zones: too many stand in one.');
    expect(two.notes).toHaveLength(2);
  });

  test('attach slots', () => {
    // 12 - 3 = 9 slots left on a node, 4 members of 2; 12 members need 3 nodes, and one more for the one away.
    expect(values(sized('slots'))).toEqual({ each: 4, spare: 12, spareAway: 3, out: 0, needed: 4 });
    expect(sized('slots', { lost: '2' }).headline).toBe('4 of 12 members find no slot with 2 nodes away; 5 nodes would do.');
    expect(sized('slots', { taken: '11' }).headline).toBe('A node has no 2 slots left: no member finds a place.');
  });

  test('a pool of disks', () => {
    // Six nodes of 1,440 GiB, three copies: 2,880 usable; with five nodes 2,400. 900 GiB three times over six nodes: 450 on each.
    const one = values(sized('pool'));
    expect(one).toMatchObject({ raw: 8_640 * gib, usable: 2_880 * gib, healable: 2_400 * gib, fill: 900 / 2_880 });
    expect(one.healNode).toBeCloseTo(120 + (450 * gib) / 200e6, 6);
    expect(one.healDisk).toBeCloseTo(120 + (225 * gib) / 200e6, 6);
    // The rule of a pool that stands, for nodes that are alike.
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 12 }),
        fc.integer({ min: 1, max: 5 }),
        fc.integer({ min: 1, max: 4 }),
        (nodes, copies, disks) => {
          fc.pre(copies <= nodes);
          const all = Array.from({ length: nodes }, (_, i) => ({ node: `${i}`, zone: '', bytes: disks * 64 * gib, answers: true }));
          const rule = poolFigures(all, copies);
          const written = { nodes: `${nodes}`, copies: `${copies}`, disks: `${disks}`, size: '64 GiB', stored: '1 GiB' };
          expect(values(sized('pool', written))).toMatchObject({
            raw: rule.rawBytes,
            usable: rule.usableBytes,
            healable: rule.healableBytes
          });
        }
      )
    );
    expect(values(sized('pool', { stored: '2.5 TiB' })).healNode).toBe(Infinity);
    expect(values(sized('pool', { copies: '1' })).healNode).toBe(Infinity);
  });

  test('an object store', () => {
    // Four members of two volumes, two members' worth of parity: 4 + 4 shards. A shard of 1 MiB / 4 fills 64 blocks.
    const one = values(sized('store'));
    expect(one).toMatchObject({ raw: 1_600 * gib, members: 2, volumesLost: 4, overhead: 2, writable: 1 });
    expect(one.usable! / (800 * gib)).toBeGreaterThan(0.92);
    expect(one.usable! / (800 * gib)).toBeLessThan(0.95);
    // 1 KiB takes one block on each of eight volumes.
    const small = sized('store', { object: '1 KiB' });
    expect(values(small).overhead).toBe(32);
    expect(small.notes[0]).toMatch(/^Objects of 1 KiB take 32 times their size/);
    // 20 KiB over four: 5 KiB each, two blocks.
    expect(values(sized('store', { object: '20 KiB' })).overhead).toBe((8 * 8) / 20);
    expect(values(sized('store', { sets: '3' })).usable).toBe(3 * one.usable!);
  });

  test('a log broker', () => {
    const one = sized('broker', { rate: '0.55 MB/s', kept: '5 days' });
    // 0.55e6 x 432,000 s x 3 / 3 x 1.3, of which ext4 takes its part. Of 100 GiB mke2fs leaves 99,703,750,656 bytes (measured).
    expect((values(one).disk! * share(309)) / 308_880_000_000).toBeCloseTo(1, 3);
    expect(values(sized('broker', { rate: '0.55 MB/s', has: '100 GiB' })).days! / (99_703_750_656 / 0.55e6)).toBeCloseTo(1, 3);
    expect(one.headline).toMatch(/^5 days of traffic need 309 GiB a broker; it has 140 GiB, and is full after 2\.93 days\.$/);
    // One of three lost: the others take half of all three copies each; two readers and two copies go out.
    expect(values(one)).toMatchObject({ writes: 825_000, in: 825_000, out: 1_100_000, messages: 450 });
    expect(values(one).again).toBeCloseTo(308_880_000_000 / 1.3 / 40e6, 3);
    expect(values(sized('broker', { rate: '0.55 MB/s', packed: '50 %' })).again).toBeCloseTo(
      values(sized('broker', { rate: '0.55 MB/s' })).again! / 2,
      3
    );
  });

  test('speed', () => {
    // 20 for each of 200 GiB: 4,000, below 8 in flight of 1.5 ms (5,333); 150 MB/s of 8 KiB are 18,310.
    const one = sized('speed', { latency: '1.5 ms' });
    expect(values(one)).toMatchObject({ ceiling: 4_000, used: 0.6, volume: 4_000 });
    expect(values(one).latency).toBeGreaterThan(0.0015);
    expect(one.headline).toMatch(/^2,400\/s are 60 % of what the volume’s operations allow; one takes /);
    expect(values(sized('speed', { latency: '4 ms' }))).toMatchObject({ ceiling: 2_000, latency: Infinity });
    expect(values(sized('speed', { latency: '1.5 ms', credits: '1,400,000' })).burst).toBe(1_000);
    // Held back to 100 a second an operation has 10 ms of its own, though one alone takes 1 ms: at half of it as much again is waited.
    const held = { asked: '50', latency: '1 ms', base: '100', perGib: '0', most: '100' };
    expect(values(sized('speed', held)).latency).toBeCloseTo(0.001 + 0.01, 10);
    expect(sized('speed', { latency: '1.5 ms', block: '128 KiB' }).headline).toMatch(/the volume’s bytes end/);
  });

  test('fill', () => {
    // mke2fs leaves 99,703,750,656 bytes of 100 GiB (measured): 92.857 GiB; of 200 GiB 185.787.
    const one = values(sized('fill', { size: '100 GiB', used: '60 GiB', grows: '5 GiB', step: '100 GiB' }));
    const days = {
      to80: (0.8 * 92.857 - 60) / 5,
      to90: (0.9 * 92.857 - 60) / 5,
      to100: (92.857 - 60) / 5,
      carries: (185.787 - 92.857) / 5
    };
    for (const [id, want] of Object.entries(days)) expect(one[id]! / 86_400 / want, id).toBeCloseTo(1, 2);
    expect([one.share, one.room! / 99_703_750_656, one.next]).toEqual([expect.closeTo(0.6462, 3), expect.closeTo(1, 3), 200 * 2 ** 30]);
    expect(one.backend! / 86_400).toBeCloseTo(((100 + 1_024) * 0.932 - 60) / 5, -1);
    expect(sizedBy(calculationNamed('fill')!, { size: '2 MiB', used: '0 B' })).toHaveProperty('faults');
    expect(values(sized('fill', { grows: '0 GiB' })).to100).toBe(Infinity);
    expect(sized('fill', { grows: '0 GiB' }).headline).toBe('It does not grow: 63.5 % full, and stays so.');
    expect(sized('fill', { grows: '500 GiB' }).notes[0]).toMatch(/grow by more at a time/);
  });

  test('durability', () => {
    const one = { yearly: '2 %', heal: '2 h' };
    const single = values(sized('durability', one));
    const many = values(sized('durability', { ...one, groups: '1000' }));
    // Groups are lost by themselves: so many of them, so many times the chance, while it is small.
    expect(many.alone! / single.alone!).toBeCloseTo(1_000, 0);
    expect([single.together, single.loss]).toEqual([0, single.alone]);
    // As many at once as may be away cost nothing; one more does.
    const batch = (disks: string) => values(sized('durability', { ...one, batchYearly: '1 %', batch: disks }));
    expect([batch('2').together, batch('3').together]).toEqual([0, 0.01]);
    expect(batch('3').loss).toBeCloseTo(0.01 + single.alone! * 0.99, 12);
    expect(sized('durability', { ...one, batchYearly: '1 %', batch: '3' }).notes[0]).toMatch(/^3 disks at once are more than the 2/);
    expect(single).not.toHaveProperty('short');
    expect(values(sized('durability', { ...one, mayFail: '1' })).short).toBeGreaterThan(0);
  });

  test('backup', () => {
    const one = sized('backup', { rate: '100 MB/s' });
    // With a log every five minutes that is what can be lost; the way back: 3 min, 200 GiB and 6 GiB of log at 80 MB/s.
    expect(values(one)).toMatchObject({ loses: 300, window: (200 * gib) / 100e6 });
    expect(values(one).back).toBeCloseTo(180 + (206 * gib) / 80e6, 3);
    // Two whole ones and twelve of 6 GiB, and the log of 14 days.
    expect(values(one).room).toBe((2 * 200 + 12 * 6 + 14 * 6) * gib);
    expect(values(sized('backup', { rate: '100 MB/s', log: '0 s' })).loses).toBeCloseTo(86_400 + (200 * gib) / 100e6, 6);
    expect(sized('backup', { rate: '100 MB/s', point: '1 min', time: '10 min' }).headline).toMatch(
      /^5 min can be lost, and 1 min are allowed; it is back after .* and 10 min are allowed\.$/
    );
  });
});
