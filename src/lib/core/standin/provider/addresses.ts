import ipaddr from 'ipaddr.js';

interface Range {
  readonly base: number;
  readonly size: number;
}

const ranges = new Map<string, Range>();

function rangeOf(text: string): Range {
  let range = ranges.get(text);
  if (!range) {
    const [address, bits] = ipaddr.IPv4.parseCIDR(text);
    const [a = 0, b = 0, c = 0, d = 0] = address.octets;
    const size = 2 ** (32 - bits);
    const number = ((a * 256 + b) * 256 + c) * 256 + d;
    range = { base: number - (number % size), size };
    if (ranges.size > 5_000) ranges.clear();
    ranges.set(text, range);
  }
  return range;
}

/** How many addresses an IPv4 range holds: 2^(32 - mask). Source: RFC 4632. */
export const prefixSize = (range: string): number => rangeOf(range).size;

/** The address at a place within a range; places past its end begin anew. `addressAt('10.1.2.0/24', 7)` is `10.1.2.7`. */
export function addressAt(range: string, place: number): string {
  const { base, size } = rangeOf(range);
  const number = base + (place % size);
  return [24, 16, 8, 0].map((shift) => Math.floor(number / 2 ** shift) % 256).join('.');
}
