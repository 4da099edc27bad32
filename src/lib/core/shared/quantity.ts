import { CoreError } from './errors';

const pattern = /^([+-]?)(\d+(?:\.\d*)?|\.\d+)(Ki|Mi|Gi|Ti|Pi|Ei|n|u|m|k|M|G|T|P|E|[eE][+-]?\d+)?$/;
const binary: Record<string, bigint> = { Ki: 10n, Mi: 20n, Gi: 30n, Ti: 40n, Pi: 50n, Ei: 60n };
const decimal: Record<string, number> = { n: -9, u: -6, m: -3, k: 3, M: 6, G: 9, T: 12, P: 15, E: 18 };

/** A quantity as an exact fraction of its base unit (bytes, or whole CPUs). */
interface Fraction {
  readonly over: bigint;
  readonly under: bigint;
}

/** Longest exponent taken, so that `1e999999999` can't eat the memory. */
const largestExponent = 60;

function read(text: string): Fraction | undefined {
  const found = pattern.exec(text);
  if (!found) return undefined;
  const [, sign, digits = '', suffix = ''] = found;
  const [whole = '', part = ''] = digits.split('.');
  let over = BigInt(whole + part || '0');
  let under = 10n ** BigInt(part.length);
  if (sign === '-') over = -over;
  const shift = binary[suffix];
  if (shift !== undefined) return { over: over << shift, under };
  const exponent = suffix === '' ? 0 : (decimal[suffix] ?? Number(suffix.slice(1)));
  if (Math.abs(exponent) > largestExponent) return undefined;
  if (exponent >= 0) over *= 10n ** BigInt(exponent);
  else under *= 10n ** BigInt(-exponent);
  return { over, under };
}

/** Rounded up, as the cluster API does where a finer value than its unit is given. */
function ceiling({ over, under }: Fraction): number {
  const down = over / under;
  return Number(down * under === over || over < 0n ? down : down + 1n);
}

/**
 * Whether a text is a quantity: a decimal number with one of Ki Mi Gi Ti Pi Ei, n u m k M G T P E, or an exponent.
 * Source: the open cluster API's reference, "Quantity".
 * @example isQuantity('100Gi') // true; isQuantity('ten') // false; isQuantity('1h') // false
 */
export const isQuantity = (text: string): boolean => read(text) !== undefined;

const cache = new Map<string, number>();

function cached(prefix: string, text: string | number, make: (fraction: Fraction) => number): number {
  const key = prefix + text;
  const known = cache.get(key);
  if (known !== undefined) return known;
  const fraction = read(String(text));
  if (!fraction) throw new CoreError('quantity', 'must be a quantity such as 100Gi or 500m', text);
  const value = make(fraction);
  if (cache.size > 5_000) cache.clear();
  cache.set(key, value);
  return value;
}

/**
 * Bytes of a quantity, rounded up to whole bytes.
 * @example bytesOf('100G') // 100000000000; bytesOf('100Gi') // 107374182400
 */
export const bytesOf = (quantity: string | number): number => cached('b', quantity, ceiling);

/**
 * Thousandths of a CPU of a quantity, rounded up.
 * @example milliCpuOf('250m') // 250; milliCpuOf('2') // 2000
 */
export const milliCpuOf = (quantity: string | number): number =>
  cached('c', quantity, ({ over, under }) => ceiling({ over: over * 1000n, under }));

const steps = ['', 'Ki', 'Mi', 'Gi', 'Ti', 'Pi', 'Ei'];

/**
 * The shortest exact binary writing of a number of bytes, as manifests spell it.
 * @example quantityOf(107374182400) // '100Gi'; quantityOf(100000000000) // '97656250Ki'
 */
export function quantityOf(sizeBytes: number): string {
  let value = sizeBytes;
  let step = 0;
  while (step < steps.length - 1 && value !== 0 && value % 1024 === 0) {
    value /= 1024;
    step += 1;
  }
  return `${value}${steps[step]}`;
}
