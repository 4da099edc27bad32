/** What a slot or a figure is counted in. Bytes are binary on sheets (GiB), rates of bytes decimal (MB/s), as volumes and wires are spoken of. */
export type Unit = 'count' | 'bytes' | 'rate' | 'each-second' | 'time' | 'share' | 'years' | 'number';

/** A value that may be uncertain: both ends alike where it is known. */
export interface Span {
  readonly low: number;
  readonly high: number;
}

/** Values by the name of their slot or figure: bytes, bytes a second, events a second, seconds, shares of 1, years, or plain numbers. */
export type Values = Readonly<Record<string, number>>;

/** A slot in the sentence of a calculation. */
export interface SlotSpec {
  readonly id: string;
  readonly unit: Unit;
  readonly label: string;
  /** What stands in it at first, as it is written. All made up. */
  readonly start: string;
  readonly least: number;
  readonly most: number;
}

/** A figure that comes out. Infinite: never, or more than can be said. */
export interface FigureSpec {
  readonly id: string;
  readonly unit: Unit;
  readonly label: string;
  readonly note?: string;
}

/** A formula as it is shown, and where it comes from. */
export interface Formula {
  readonly text: string;
  readonly source: string;
}

/** One bar or point of a chart. */
export interface ChartPoint {
  readonly label: string;
  readonly value: number;
  /** Where the sheet stands. */
  readonly chosen?: boolean;
}

/** What is drawn: how one figure follows one slot. */
export interface Chart {
  readonly kind: 'bars' | 'line';
  readonly title: string;
  readonly unit: Unit;
  readonly points: readonly ChartPoint[];
  /** A bound that is drawn across. */
  readonly bound?: { readonly value: number; readonly label: string };
}

/** The calculations that there are. */
export type CalcId = 'spread' | 'slots' | 'pool' | 'store' | 'broker' | 'speed' | 'fill' | 'durability' | 'backup';

/** One calculation: a sentence with slots, and what follows. */
export interface Calculation {
  readonly id: CalcId;
  readonly title: string;
  /** What it tells, in half a sentence. */
  readonly tells: string;
  /** Names of slots stand in braces. */
  readonly sentence: string;
  readonly slots: readonly SlotSpec[];
  readonly figures: readonly FigureSpec[];
  readonly formulas: readonly Formula[];
  /** Why these values can't be reckoned with together, as a sentence; undefined where they can. */
  fault?(v: Values): string | undefined;
  /** The figures that follow from values. Pure, and quick: it is called for each draw. */
  reckon(v: Values): Values;
  /** What it comes to, as a sentence; and what is to be known of it. */
  tell(v: Values, f: Values): { readonly headline: string; readonly notes?: readonly string[] };
  /** The same come by in another way, beside the figures: played out by chance, with the range that it lies in. */
  played?(
    v: Values,
    next: () => number
  ): { readonly label: string; readonly unit: Unit; readonly value: number; readonly low: number; readonly high: number };
  /** What is drawn of it; left out where nothing would be told by it. */
  chart?(v: Values): Chart;
}
