import ipaddr from 'ipaddr.js';

interface Range {
  readonly base: number;
  readonly size: number;
}

const ranges = new Map<string, Range>();
/** `ipaddr.js` also takes addresses such as 010.0.0.1 and 10.1, which nothing else reads the same way. */
const strict = /^(?:(?:0|[1-9]\d{0,2})\.){3}(?:0|[1-9]\d{0,2})$/;

const numberOf = (octets: readonly number[]): number => octets.reduce((sum, one) => sum * 256 + one, 0);

function rangeOf(text: string): Range {
  let range = ranges.get(text);
  if (!range) {
    const [address, bits] = ipaddr.IPv4.parseCIDR(text);
    const size = 2 ** (32 - bits);
    const number = numberOf(address.octets);
    range = { base: number - (number % size), size };
    if (ranges.size > 5_000) ranges.clear();
    ranges.set(text, range);
  }
  return range;
}

/** What is wrong with the writing of an IPv4 range, or undefined. Source: RFC 4632. */
export function rangeFault(text: string): string | undefined {
  if (!faults.has(text)) {
    if (faults.size > 5_000) faults.clear();
    faults.set(text, faultIn(text));
  }
  return faults.get(text);
}

const faults = new Map<string, string | undefined>();

function faultIn(text: string): string | undefined {
  const [address = '', bits = ''] = text.split('/');
  if (!strict.test(address) || !/^(?:0|[1-9]\d?)$/.test(bits) || !ipaddr.IPv4.isValidCIDR(text))
    return 'must be an IPv4 range such as 10.61.0.0/16';
  return Number(numberOf(ipaddr.IPv4.parse(address).octets)) === rangeOf(text).base
    ? undefined
    : `must begin at its first address, ${addressAt(text, 0)}`;
}

/** Whether two ranges share an address. Both must be right (see {@link rangeFault}). */
export function rangesOverlap(a: string, b: string): boolean {
  const [x, y] = [rangeOf(a), rangeOf(b)];
  return x.base < y.base + y.size && y.base < x.base + x.size;
}

/** Whether an address lies within a range; false for what isn't an address, or no range. */
export function rangeHolds(range: string, address: string): boolean {
  if (!strict.test(address) || !ipaddr.IPv4.isValid(address) || !ipaddr.IPv4.isValidCIDR(range)) return false;
  const { base, size } = rangeOf(range);
  const number = numberOf(ipaddr.IPv4.parse(address).octets);
  return number >= base && number < base + size;
}

/** How many addresses an IPv4 range holds: 2^(32 - mask). Source: RFC 4632. */
export const prefixSize = (range: string): number => rangeOf(range).size;

/** Each node's share of the pods' range is a /24 (the cluster API's default). */
export const nodeMask = 24;

/** How many nodes get a share of the pods' range: 2^(node mask - cluster mask). Source: RFC 4632. */
export const nodesThatFit = (podRange: string): number => Math.floor(prefixSize(podRange) / 2 ** (32 - nodeMask));

/** The address at a place within a range; places past its end begin anew. `addressAt('10.1.2.0/24', 7)` is `10.1.2.7`. */
export function addressAt(range: string, place: number): string {
  const { base, size } = rangeOf(range);
  const number = base + (place % size);
  return `${number >>> 24}.${(number >>> 16) & 255}.${(number >>> 8) & 255}.${number & 255}`;
}

/** Whether a text is an address of IPv4 or IPv6, in the one way of writing that all read the same. Sources: RFC 791, RFC 4291. */
export const isAddress = (text: string): boolean =>
  strict.test(text) ? ipaddr.IPv4.isValid(text) : !text.includes('%') && text.includes(':') && ipaddr.IPv6.isValid(text);

/** Whether a text is a range of addresses, of either kind. Sources: RFC 4632, RFC 4291. */
export function isRange(text: string): boolean {
  const [first = '', bits = '', more] = text.split('/');
  return more === undefined && isAddress(first) && /^(?:0|[1-9]\d{0,2})$/.test(bits) && ipaddr.isValidCIDR(text);
}
