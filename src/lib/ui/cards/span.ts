/** A span of seconds as it is being written. */
export interface SpanText {
  readonly from: string;
  readonly to: string;
  /** How many times it was seen; what somebody writes was seen by nobody. */
  readonly seen: number;
}

/** A span of seconds as the interface takes it. */
export interface Span {
  readonly fromSeconds: number;
  readonly toSeconds: number;
  readonly seen: number;
}

/** A span as text. */
export const spanText = (span: Span | null): SpanText =>
  span ? { from: String(span.fromSeconds), to: String(span.toSeconds), seen: span.seen } : { from: '', to: '', seen: 0 };

const most = 86_400;
const read = (text: string): number => (/^\d+(\.\d+)?$/.test(text.trim()) ? Number(text) : NaN);

/** Why a span can't be taken; '' where it can, or where nothing is written. */
export function spanFault({ from, to }: SpanText): string {
  if (!from.trim() && !to.trim()) return '';
  const [least, longest] = [read(from), read(to)];
  if (!(least <= most && longest <= most)) return `Seconds from 0 to ${most}, at both ends.`;
  return least > longest ? 'The least stands before the most.' : '';
}

/** The span that was written; undefined where nothing is. */
export function spanOf({ from, to, seen }: SpanText): Span | undefined {
  return from.trim() && to.trim() ? { fromSeconds: read(from), toSeconds: read(to), seen } : undefined;
}
