import { bytesOf, daysInYear, isQuantity } from '../../shared';
import type { SlotSpec, Span, Unit } from './types';

const decimal: Readonly<Record<string, number>> = { B: 1, kB: 1e3, KB: 1e3, MB: 1e6, GB: 1e9, TB: 1e12, PB: 1e15 };
const binary: Readonly<Record<string, number>> = { KiB: 2 ** 10, MiB: 2 ** 20, GiB: 2 ** 30, TiB: 2 ** 40, PiB: 2 ** 50 };
const bytesIn = { ...decimal, ...binary };
const secondsIn: Readonly<Record<string, number>> = {
  ms: 0.001,
  s: 1,
  second: 1,
  min: 60,
  minute: 60,
  h: 3_600,
  hour: 3_600,
  d: 86_400,
  day: 86_400,
  week: 604_800,
  month: (daysInYear * 86_400) / 12,
  year: daysInYear * 86_400
};
const words: Readonly<Record<Unit, string>> = {
  count: 'a whole number, like 3',
  bytes: 'a size, like 300 GiB or 1.5 TB',
  rate: 'bytes a second, like 40 MB/s',
  'each-second': 'how many a second, like 900',
  time: 'a time, like 5 days, 48 h or 4 ms',
  share: 'a share, like 30 %',
  years: 'years, like 4',
  number: 'a number, like 2.5'
};

function unitValue(unit: Unit, number: number, word: string): number | undefined {
  const bare = word.replace(/\/s$|\ba second$/, '').trim();
  switch (unit) {
    case 'bytes':
    case 'rate': {
      if (bare === '') return unit === 'rate' || number === 0 ? number : undefined;
      if (Object.hasOwn(bytesIn, bare)) return number * bytesIn[bare as keyof typeof bytesIn]!;
      return isQuantity(`1${bare}`) && bare.length <= 2 ? number * bytesOf(`1${bare}`) : undefined;
    }
    case 'time': {
      const one = bare.replace(/^(second|minute|hour|day|week|month|year)s$/, '$1');
      return Object.hasOwn(secondsIn, one) ? number * secondsIn[one]! : undefined;
    }
    case 'share':
      return bare === '%' ? number / 100 : undefined;
    case 'years':
      return bare === '' || /^years?$/.test(bare) ? number : undefined;
    default:
      return bare === '' ? number : undefined;
  }
}

const part = /^(\d[\d,]*(?:\.\d+)?|\.\d+)\s*(.*)$/;

/** Reads what stands in a slot: one value, or `a to b`, where the unit may stand behind the second alone. A text says what is wrong. */
export function readSlot(slot: SlotSpec, text: string): Span | string {
  const ends = text
    .trim()
    .split(/\s+to\s+|\s*–\s*/)
    .map((one) => part.exec(one.trim()));
  if (ends.length > 2 || ends.some((one) => !one)) return `Write ${words[slot.unit]}, or a range of two.`;
  const [first, second = first] = ends as RegExpExecArray[];
  const unit = second![2]!.trim();
  const read = (one: RegExpExecArray) => unitValue(slot.unit, Number(one[1]!.replaceAll(',', '')), one[2]!.trim() || unit);
  const [low, high] = [read(first!), read(second!)];
  if (low === undefined || high === undefined) return `Write ${words[slot.unit]}, or a range of two.`;
  if (slot.unit === 'count' && ![low, high].every(Number.isInteger)) return 'Write whole numbers.';
  if (low > high) return 'The lower end stands first.';
  if (low < slot.least || high > slot.most) return `From ${shown(slot.unit, slot.least)} to ${shown(slot.unit, slot.most)}.`;
  return { low, high };
}

const digits = (value: number, most: number): string => value.toLocaleString('en', { maximumFractionDigits: most, useGrouping: true });
/** Three digits that count, or all before the point. */
const three = (value: number): string => (Math.abs(value) >= 100 ? digits(value, 0) : digits(value, Math.abs(value) >= 10 ? 1 : 2));

const timeSteps: readonly (readonly [name: string, seconds: number, many: string])[] = [
  ['year', 31_556_952, 'years'],
  ['day', 86_400, 'days'],
  ['h', 3_600, 'h'],
  ['min', 60, 'min'],
  ['s', 1, 's'],
  ['ms', 0.001, 'ms']
];

/** A value in words and digits, as sheets show it; what is infinite never comes. */
export function shown(unit: Unit, value: number): string {
  if (Number.isNaN(value)) return 'unknown';
  if (value === Infinity) return unit === 'time' || unit === 'years' ? 'never' : 'without end';
  switch (unit) {
    case 'bytes': {
      const [name, size] = Object.entries(binary).findLast(([, one]) => Math.abs(value) >= one) ?? ['B', 1];
      return `${three(value / size)} ${name}`;
    }
    case 'rate': {
      const [name, size] = Object.entries(decimal).findLast(([word, one]) => word !== 'KB' && Math.abs(value) >= one) ?? ['B', 1];
      return `${three(value / size)} ${name}/s`;
    }
    case 'each-second':
      return `${three(value)}/s`;
    case 'time': {
      if (value === 0) return '0 s';
      const [name, seconds, many] = timeSteps.find(([, one]) => value >= one) ?? timeSteps.at(-1)!;
      if (name === 'year' && value / seconds >= 1e6) return `${(value / seconds).toExponential(1)} years`;
      return `${three(value / seconds)} ${value / seconds === 1 ? name : many}`;
    }
    case 'share':
      return value !== 0 && value < 0.0001 ? `${(value * 100).toExponential(1)} %` : `${three(value * 100)} %`;
    case 'years':
      return value >= 1e6 ? `${value.toExponential(1)} years` : `${three(value)} ${value === 1 ? 'year' : 'years'}`;
    case 'count':
      return digits(value, 1);
    default:
      return three(value);
  }
}
