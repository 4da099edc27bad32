/** A measured fill: bytes at a moment (virtual ms). */
export interface FillPoint {
  readonly atMs: number;
  readonly bytes: number;
}

/** A line through measured fills, with what is not known about it. */
export interface Trend {
  readonly bytesPerDay: number;
  /** Half the width of the 95 % interval of the slope. */
  readonly plusMinus: number;
  readonly atMs: number;
  readonly bytes: number;
}

const dayMs = 86_400_000;

/** Two-sided 95 % quantiles of Student's t by degrees of freedom; from 30 on the expansion of Cornish and Fisher. Source: tables of the t distribution. */
const t95 = [
  12.706, 4.303, 3.182, 2.776, 2.571, 2.447, 2.365, 2.306, 2.262, 2.228, 2.201, 2.179, 2.16, 2.145, 2.131, 2.12, 2.11, 2.101, 2.093, 2.086,
  2.08, 2.074, 2.069, 2.064, 2.06, 2.056, 2.052, 2.048, 2.045
];
/**
 * Student's t for an interval of 95 %, two-sided.
 * @param freedom degrees of freedom; below 1 it is without bounds
 */
export function studentT95(freedom: number): number {
  if (freedom < 1) return Infinity;
  const tabled = t95[Math.floor(freedom) - 1];
  if (tabled !== undefined) return tabled;
  const z = 1.959963984540054;
  return z + (z ** 3 + z) / (4 * freedom) + (5 * z ** 5 + 16 * z ** 3 + 3 * z) / (96 * freedom ** 2);
}

/**
 * Least-squares line through fills, with the 95 % interval of its slope.
 * @returns undefined with fewer than three points, or when all were taken at one moment
 */
export function trendOf(points: readonly FillPoint[]): Trend | undefined {
  const n = points.length;
  if (n < 3) return undefined;
  const mean = (pick: (one: FillPoint) => number) => points.reduce((sum, one) => sum + pick(one), 0) / n;
  const x = mean((one) => one.atMs);
  const y = mean((one) => one.bytes);
  let xx = 0;
  let xy = 0;
  for (const one of points) {
    xx += (one.atMs - x) ** 2;
    xy += (one.atMs - x) * (one.bytes - y);
  }
  if (xx === 0) return undefined;
  const slope = xy / xx;
  const rest = points.reduce((sum, one) => sum + (one.bytes - y - slope * (one.atMs - x)) ** 2, 0);
  const error = Math.sqrt(rest / (n - 2) / xx);
  const last = points[n - 1]!;
  return { bytesPerDay: slope * dayMs, plusMinus: studentT95(n - 2) * error * dayMs, atMs: last.atMs, bytes: last.bytes };
}

/** When a share of the room is reached: days from the last point, with the interval; undefined where it isn't growing. */
export interface DaysTo {
  readonly share: number;
  readonly days: number;
  readonly soonest: number;
  /** undefined: by the interval's lower end it may never be. */
  readonly latest: number | undefined;
}

/** Days until 80, 90 and 100 % of the room, from a trend. A share that is already passed gives 0 days. */
export function daysTo(trend: Trend, roomBytes: number, shares: readonly number[] = [0.8, 0.9, 1]): DaysTo[] {
  if (trend.bytesPerDay <= 0) return [];
  return shares.map((share) => {
    const left = Math.max(0, share * roomBytes - trend.bytes);
    const slow = trend.bytesPerDay - trend.plusMinus;
    return {
      share,
      days: left / trend.bytesPerDay,
      soonest: left / (trend.bytesPerDay + trend.plusMinus),
      latest: left === 0 ? 0 : slow > 0 ? left / slow : undefined
    };
  });
}
