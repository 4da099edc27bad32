import { shown } from './written';
import { plural } from '../../shared';
import type { Calculation, Values } from './types';

const yearHours = 8_766;

/**
 * Mean time to loss of a group in hours: a chain of states by disks that are away, repaired one at a time. From state i (i away) the next disk
 * fails at (n - i) lambda, and one is repaired at mu; state m + 1 is the loss. Solved by the means h(i) to go from i to i + 1:
 * h(0) = 1 / f(0), h(i) = 1 / f(i) + (mu / f(i)) h(i - 1); their sum is the mean. Source: birth-death chains; for m = 1 and mu much above
 * lambda it is mu / (n (n - 1) lambda^2), Patterson, Gibson and Katz 1988.
 */
export function meanHoursToLoss(disks: number, mayFail: number, perHour: number, repairPerHour: number): number {
  let sum = 0;
  let h = 0;
  for (let i = 0; i <= mayFail; i += 1) {
    const f = (disks - i) * perHour;
    h = 1 / f + (repairPerHour / f) * h;
    sum += h;
  }
  return sum;
}

const rates = ({ yearly, heal }: Values) => ({ perHour: -Math.log(1 - yearly!) / yearHours, repair: 3_600 / heal! });

/**
 * Loss within a year, by playing out: groups of disks that fail and heal by chance, with failures sped up so that losses are seen, each
 * weighed by its likelihood ratio. Source: importance sampling (Kahn and Marshall 1953).
 */
export function playedLoss(v: Values, runs: number, next: () => number): { readonly share: number; readonly error: number } {
  const { perHour, repair } = rates(v);
  const most = v.mayFail!;
  // With disks away the next failure is made about as likely as a repair: rare paths are seen, and weighed down.
  const forced = (i: number) => (i === 0 ? (v.disks! - i) * perHour : Math.max((v.disks! - i) * perHour, repair / 2));
  let [sum, squares] = [0, 0];
  for (let run = 0; run < runs; run += 1) {
    // The first failure of the year is taken as given, and weighed by its chance.
    const first = v.disks! * perHour;
    const chance = 1 - Math.exp(-first * yearHours);
    let hours = -Math.log(1 - next() * chance) / first;
    let weight = chance;
    let away = 1;
    let left = 200;
    while (away <= most && hours < yearHours && (left -= 1) > 0) {
      if (away === 0) {
        // All are there again: the next failure comes as it comes.
        hours -= Math.log(1 - next()) / first;
        away = 1;
        continue;
      }
      const [fail, quick] = [(v.disks! - away) * perHour, forced(away)];
      const wait = -Math.log(1 - next()) / (quick + repair);
      hours += wait;
      weight *= Math.exp(-(fail - quick) * wait);
      if (next() < quick / (quick + repair)) {
        weight *= fail / quick;
        away += 1;
      } else away -= 1;
    }
    // A year with so many failures isn't played out: it says nothing.
    if (left === 0) return { share: NaN, error: NaN };
    const lost = away > most && hours < yearHours ? weight : 0;
    sum += lost;
    squares += lost * lost;
  }
  const share = sum / runs;
  return { share, error: Math.sqrt(Math.max(0, squares / runs - share * share) / runs) };
}

/** Years of one group that are played out. Made up: within a tenth of a second. */
const playedRuns = 20_000;

function figures(v: Values) {
  const { perHour, repair } = rates(v);
  const mean = meanHoursToLoss(v.disks!, v.mayFail!, perHour, repair);
  const one = -Math.expm1(-yearHours / mean);
  const alone = -Math.expm1(v.groups! * Math.log1p(-one));
  const together = v.batch! > v.mayFail! ? v.batchYearly! : 0;
  // Not 1 - (1 - a)(1 - b): far out in the tails that loses its digits.
  const loss = alone + together - alone * together;
  return {
    mean: mean / yearHours / v.groups!,
    alone,
    short: v.mayFail === 1 ? repair / (v.disks! * (v.disks! - 1) * perHour ** 2) / yearHours / v.groups! : NaN,
    together,
    loss,
    nines: -Math.log10(loss),
    away: v.disks! * v.groups! * v.yearly!
  };
}

/** Durability: the chance of losing data in a year. */
export const durability: Calculation = {
  id: 'durability',
  title: 'Durability',
  tells: 'the chance of losing data in a year, alone and together',
  sentence:
    '{groups} groups of {disks} disks keep every piece so that any {mayFail} of a group may be away. {yearly} of disks fail in a year, and one is made good within {heal}. With a chance of {batchYearly} a year {batch} disks of a group go at once.',
  slots: [
    { id: 'groups', unit: 'count', label: 'Groups', start: '1', least: 1, most: 1_000_000 },
    { id: 'disks', unit: 'count', label: 'Disks of a group', start: '6', least: 1, most: 255 },
    { id: 'mayFail', unit: 'count', label: 'Disks of a group that may be away', start: '2', least: 0, most: 254 },
    { id: 'yearly', unit: 'share', label: 'Disks that fail in a year', start: '1 to 3 %', least: 0.000001, most: 0.9 },
    { id: 'heal', unit: 'time', label: 'Time until one is made good', start: '2 h', least: 1, most: 31_556_952 },
    { id: 'batchYearly', unit: 'share', label: 'Chance a year that several go at once', start: '0 %', least: 0, most: 0.99 },
    { id: 'batch', unit: 'count', label: 'Disks of a group that go at once', start: '2', least: 0, most: 255 }
  ],
  figures: [
    { id: 'loss', unit: 'share', label: 'loss within a year' },
    { id: 'nines', unit: 'number', label: 'nines', note: '3 of them: one in a thousand' },
    { id: 'alone', unit: 'share', label: 'by single failures', note: 'the chain, solved' },
    { id: 'together', unit: 'share', label: 'by several at once' },
    { id: 'mean', unit: 'years', label: 'mean time to a loss', note: 'by single failures' },
    { id: 'short', unit: 'years', label: 'the same by the short formula', note: 'for one disk that may be away' },
    { id: 'away', unit: 'number', label: 'disks that fail in a year' }
  ],
  formulas: [
    {
      text: 'h(0) = 1 / f(0), h(i) = 1 / f(i) + h(i - 1) mu / f(i); mean time = their sum',
      source: 'birth-death chain; f(i) = (n - i) lambda, one repair at a time'
    },
    { text: 'mu / (n (n - 1) lambda^2), where one may be away', source: 'Patterson, Gibson and Katz 1988' },
    { text: 'loss in a year = 1 - exp(-year / mean time)', source: 'losses by chance' }
  ],
  fault: ({ disks, mayFail, batch }) =>
    mayFail! >= disks!
      ? `Of ${plural(disks!, 'disk')} at most ${disks! - 1} may be away.`
      : batch! > disks!
        ? `A group has ${plural(disks!, 'disk')}: ${batch} can't go at once.`
        : undefined,
  reckon: figures,
  played(v, next) {
    const { share, error } = playedLoss(v, playedRuns, next);
    const all = (one: number) => -Math.expm1(v.groups! * Math.log1p(-Math.min(0.999999, Math.max(0, one))));
    return {
      label: 'by single failures',
      unit: 'share',
      value: all(share),
      low: all(share - 1.96 * error),
      high: all(share + 1.96 * error)
    };
  },
  tell(v, f) {
    return {
      headline: `One chance in ${f.loss ? (1 / f.loss).toLocaleString('en', { maximumSignificantDigits: 3 }) : 'more than can be said'} of losing data within a year.`,
      notes: [
        ...(v.batch! > v.mayFail! && v.batchYearly! > 0
          ? [
              `${v.batch} disks at once are more than the ${v.mayFail} that may be away: that alone is ${shown('share', v.batchYearly!)} a year.`
            ]
          : []),
        ...(f.alone! > 0.1
          ? ['Losses this likely are not rare, and the solved chain takes them for rare: what was played out is nearer.']
          : []),
        'Mistakes of people and faults of programs are not in it; copies are for these.'
      ]
    };
  },
  chart: (v) => ({
    kind: 'bars',
    title: 'nines, by disks that may be away',
    unit: 'number',
    points: Array.from({ length: Math.min(v.disks!, 5) }, (_, mayFail) => ({
      label: `${mayFail} away`,
      value: figures({ ...v, mayFail, batchYearly: 0 }).nines,
      chosen: mayFail === v.mayFail
    }))
  })
};
