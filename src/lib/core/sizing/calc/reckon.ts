import { readSlot, shown } from './written';
import type { Calculation, Chart, Span, Values } from './types';

/** A figure with the range that it lies in nine times of ten, where anything that it follows from is a range. */
export interface Figure {
  readonly id: string;
  readonly label: string;
  readonly note: string;
  readonly value: number;
  readonly text: string;
  /** As text; '' where it is certain. */
  readonly range: string;
  readonly low: number;
  readonly high: number;
}

/** What a calculation comes to. */
export interface Sized {
  readonly headline: string;
  readonly notes: readonly string[];
  readonly figures: readonly Figure[];
  readonly chart?: Chart;
  /** How many draws the ranges come from; 0 where nothing is uncertain. */
  readonly draws: number;
}

/** What stands wrong in which slot; `''` names the whole of it. */
export type SlotFaults = Readonly<Record<string, string>>;

const ordinaryDraws = 20_000;
/** Nine of ten draws lie between these. */
const ends = [0.05, 0.95] as const;

/** Random numbers in [0, 1) from a seed: a counter mixed by a 32-bit hash. Not for secrets. */
function drawn(seed: number): () => number {
  let at = seed >>> 0;
  return () => {
    at = (at + 0x9e3779b9) >>> 0;
    let h = Math.imul(at ^ (at >>> 16), 0x85ebca6b);
    h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
    return ((h ^ (h >>> 16)) >>> 0) / 4_294_967_296;
  };
}

/** Reads all slots; or says what is wrong in which. */
export function readAll(
  calc: Calculation,
  written: Readonly<Record<string, string>>
): { readonly spans: Readonly<Record<string, Span>> } | { readonly faults: SlotFaults } {
  const faults: Record<string, string> = {};
  const read: Record<string, Span> = {};
  for (const slot of calc.slots) {
    const found = readSlot(slot, written[slot.id] ?? slot.start);
    if (typeof found === 'string') faults[slot.id] = found;
    else read[slot.id] = found;
  }
  return Object.keys(faults).length ? { faults } : { spans: read };
}

const middle = (calc: Calculation, spans: Readonly<Record<string, Span>>): Values =>
  Object.fromEntries(
    calc.slots.map(({ id, unit }) => {
      const { low, high } = spans[id]!;
      return [id, unit === 'count' ? Math.round((low + high) / 2) : (low + high) / 2];
    })
  );

/**
 * What a calculation comes to. Where a slot is a range, each value in it is as likely as another, slots don't follow each other; figures stand
 * at the middle of all ranges, with the range that nine of ten draws lie in beside them. Source: the Monte Carlo method (Metropolis and Ulam 1949).
 * @param draws how many
 * @param seed the same one gives the same figures
 */
export function sizedBy(
  calc: Calculation,
  written: Readonly<Record<string, string>>,
  { draws = ordinaryDraws, seed = 1 }: { readonly draws?: number; readonly seed?: number } = {}
): Sized | { readonly faults: SlotFaults } {
  const read = readAll(calc, written);
  if ('faults' in read) return read;
  const all = read.spans;
  const mid = middle(calc, all);
  const fault = calc.fault?.(mid);
  if (fault !== undefined) return { faults: { '': fault } };
  const certain = calc.slots.every(({ id }) => all[id]!.low === all[id]!.high);
  const plain = calc.reckon(mid);
  const rows = new Map(calc.figures.map(({ id }) => [id, certain ? undefined : new Float64Array(draws)] as const));
  let count = 0;
  if (!certain) {
    const next = drawn(seed);
    for (let i = 0; i < draws; i += 1) {
      const values: Record<string, number> = {};
      for (const { id, unit } of calc.slots) {
        const { low, high } = all[id]!;
        values[id] = unit === 'count' ? low + Math.floor(next() * (high - low + 1)) : low + next() * (high - low);
      }
      // What can't be is no outcome.
      if (calc.fault?.(values) !== undefined) continue;
      const found = calc.reckon(values);
      for (const { id } of calc.figures) rows.get(id)![count] = found[id]!;
      count += 1;
    }
  }
  const figures = calc.figures.map(({ id, label, unit, note = '' }): Figure => {
    const row = rows.get(id)?.subarray(0, count).sort();
    const at = (share: number) => row![Math.min(count - 1, Math.floor(share * count))]!;
    const value = plain[id]!;
    const [low, high] = row?.length ? [at(ends[0]), at(ends[1])] : [value, value];
    const range = low === high ? '' : `${shown(unit, low)} to ${shown(unit, high)}`;
    return { id, label, note, value, text: shown(unit, value), range, low, high };
  });
  const beside = calc.played?.(mid, drawn(seed));
  if (beside) {
    const { label, unit, value, low, high } = beside;
    const range = `${shown(unit, low)} to ${shown(unit, high)}`;
    figures.push({ id: 'played', label, note: 'played out by chance', value, text: shown(unit, value), range, low, high });
  }
  const told = calc.tell(mid, plain);
  const chart = calc.chart?.(mid);
  // What doesn't apply has no figure.
  const said = figures.filter((one) => !Number.isNaN(one.value));
  return { headline: told.headline, notes: told.notes ?? [], figures: said, ...(chart ? { chart } : {}), draws: count };
}
