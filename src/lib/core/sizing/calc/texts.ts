const powers = [
  ['TiB', 40],
  ['GiB', 30],
  ['MiB', 20],
  ['KiB', 10]
] as const;

/** Bytes as they are written into a slot, to three digits behind the point. */
export function sizeText(bytes: number): string {
  const found = powers.find(([, power]) => bytes >= 2 ** power);
  return found ? `${Number((bytes / 2 ** found[1]).toFixed(3))} ${found[0]}` : `${bytes} B`;
}

/** Bytes a second as they are written into a slot, to three digits behind the point. */
export function rateText(bytes: number): string {
  if (bytes < 1_000) return `${Math.round(bytes)} B/s`;
  return bytes >= 1e6 ? `${Number((bytes / 1e6).toFixed(3))} MB/s` : `${Number((bytes / 1e3).toFixed(3))} kB/s`;
}

const spans = [
  ['days', 86_400_000],
  ['h', 3_600_000],
  ['min', 60_000],
  ['s', 1_000]
] as const;

/** A length of time (ms) as it is written into a slot: in the largest unit that it is a whole number of. */
export function timeText(ms: number): string {
  const found = ms > 0 ? spans.find(([, each]) => ms % each === 0) : undefined;
  return found ? `${ms / found[1]} ${ms === found[1] && found[0] === 'days' ? 'day' : found[0]}` : ms === 0 ? '0 s' : `${ms} ms`;
}
