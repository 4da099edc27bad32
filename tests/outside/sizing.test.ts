/* Sizing against published values and formulae. */
import { describe, expect, test } from 'vitest';
import { calculationNamed, erlangC, meanHoursToLoss, playedLoss, sizedBy, type Sized } from '$core/sizing';

const figure = (id: Parameters<typeof calculationNamed>[0], written: Record<string, string>, name: string): number => {
  const found = sizedBy(calculationNamed(id)!, written) as Sized;
  return found.figures.find((one) => one.id === name)!.value;
};
function chance(seed: number): () => number {
  let at = seed;
  return () => {
    at = (at * 1_103_515_245 + 12_345) % 2_147_483_648;
    return at / 2_147_483_648;
  };
}

describe('waiting', () => {
  // Erlang 1917. The first value by hand: B(3) = 4/19 for a load of 2, C = B / (1 - (2/3)(1 - B)) = 4/9. The others from memory of
  // Erlang's tables: C(1, a) = a exactly.
  test('Erlang C: three servers under a load of two, one server under any', () => {
    expect(erlangC(3, 2)).toBeCloseTo(4 / 9, 14);
    for (const load of [0.1, 0.5, 0.9, 0.99]) expect(erlangC(1, load)).toBeCloseTo(load, 12);
    expect(erlangC(3, 3)).toBe(1);
  });

  // Little 1961: what is in flight = arrivals a second x time of one. Eight in flight of 4 ms can't be more than 2,000 a second.
  test("Little's law bounds what can be had", () => {
    expect(figure('speed', { flight: '8', latency: '4 ms' }, 'ceiling')).toBe(2_000);
  });

  // For M/M/1 the time in the system is s / (1 - rho) (any textbook of queues; from memory).
  test('one server: waiting and service together are s / (1 - rho)', () => {
    const written = { asked: '50', flight: '1', latency: '10 ms', most: '100', base: '100', perGib: '0', block: '1 KiB' };
    expect(figure('speed', written, 'latency')).toBeCloseTo(0.01 / (1 - 0.5), 10);
  });
});

describe('durability', () => {
  // Three copies, lambda 1e-5, mu 0.1, one repair at a time: 1.667333508e12 (solved apart from this program; outside-checks of the design).
  test('the chain for three copies', () => {
    expect(meanHoursToLoss(3, 2, 1e-5, 0.1) / 1.667333508e12).toBeCloseTo(1, 7);
  });

  // Patterson, Gibson and Katz 1988: mu / (n (n - 1) lambda^2) where mu is much above lambda.
  test('one that may be away: near the short formula, and nearer the quicker the repair', () => {
    const off = (mu: number) => Math.abs(meanHoursToLoss(10, 1, 1e-6, mu) / (mu / (90 * 1e-12)) - 1);
    expect(off(0.01)).toBeLessThan(0.01);
    expect(off(1)).toBeLessThan(off(0.01));
  });

  test('none that may be away: the first failure of any, 1 / (n lambda)', () => {
    expect(meanHoursToLoss(12, 0, 1e-5, 1)).toBeCloseTo(1 / 12e-5, 6);
  });

  test('played out by chance it comes to the same as the chain, where losses are rare and where they are not', () => {
    for (const [disks, mayFail, yearly, heal] of [
      [6, 1, 0.05, 7 * 86_400],
      [6, 2, 0.03, 86_400],
      [9, 2, 0.3, 20 * 86_400]
    ] as const) {
      const perHour = -Math.log(1 - yearly) / 8_766;
      const exact = -Math.expm1(-8_766 / meanHoursToLoss(disks, mayFail, perHour, 3_600 / heal));
      const { share, error } = playedLoss({ disks, mayFail, yearly, heal }, 60_000, chance(7));
      // A year begins with all disks there, the chain in the long run: within four standard errors, and 3 %.
      expect(Math.abs(share - exact), `${disks} ${mayFail}`).toBeLessThan(4 * error + 0.03 * exact);
      expect(error, `${disks} ${mayFail}`).toBeLessThan(0.1 * exact);
    }
  });
});

describe('erasure coding', () => {
  // Reed and Solomon 1960: k data and m parity pieces, any m may be lost; usable is k / (k + m) of raw.
  test('usable share and losses follow from k and m', () => {
    expect(figure('store', { members: '8', volumes: '1', parity: '2' }, 'members')).toBe(2);
    expect(figure('store', { members: '8', volumes: '1', parity: '2', object: '6 MiB' }, 'overhead')).toBeCloseTo(8 / 6, 10);
  });
});
