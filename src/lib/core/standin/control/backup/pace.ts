import type { SpanMs } from '../../clock/steps';

/** Bytes that are carried in a second out of an engine, and back into one. Made up. */
export const carriedPerSecond = { out: 40 * 2 ** 20, back: 30 * 2 ** 20 } as const;
/** What a copy or a restore takes beside its bytes, in ms: opening, listing, closing. Made up. */
const besideMs: SpanMs = [2_000, 5_000];

/**
 * How long so many bytes are carried, in ms: between the two ends it is drawn. 25 % either way, made up.
 * @param linkPerSecond what a link on the way carries, in bytes a second
 */
export function carriedMs(bytes: number, way: keyof typeof carriedPerSecond, linkPerSecond = Infinity): SpanMs {
  const ms = (bytes / Math.min(carriedPerSecond[way], linkPerSecond)) * 1_000;
  return [Math.round(besideMs[0] + ms * 0.8), Math.round(besideMs[1] + ms * 1.25)];
}
