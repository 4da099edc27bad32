import type { Facts } from '$core/model';
import type { World } from '$core/standin';
import type { Change } from '$core/standin/store';

/** So many worlds and benches of a test count at first: storms have some rounds, or very many. */
let most = 0;
/** What is told of a place that a test made as its so-many-eth; nothing where that doesn't count. */
type Tells = (facts: Facts, nth: number) => readonly unknown[];
let counting = false;
let reads: ((tells: Tells) => unknown)[] = [];

/** Counts something among what the test that runs has played. @param read what is held against what it was, once the test is over */
export function played(read: (tells: Tells) => unknown): void {
  if (counting && reads.length < most) reads.push(read);
}

/** From now on things count, so many at first: a test runs. What is made before is shared by several. */
export function testBegins(counted: number): void {
  reads = [];
  most = counted;
  counting = true;
}

/** Makes something that several tests share: it counts for none of them. */
export function aside<T>(make: () => T): T {
  const was = counting;
  counting = false;
  try {
    return make();
  } finally {
    counting = was;
  }
}

/** Counts a world: what it comes to from now on, and what is told of the place as it then stands. */
export function playedWorld(world: World): void {
  const from = world.journal.changes.length;
  const nth = reads.length;
  played((tells) => [
    world.nowMs,
    ofChanges(world.journal.changes, from),
    world.log.steps.length,
    world.lines.length,
    ofEach(tells(world.store, nth))
  ]);
}

/** A digest of all that was counted since this was asked last; undefined where nothing was. */
export function digestOfPlayed(tells: Tells): string | undefined {
  const all = reads;
  [reads, counting] = [[], false];
  known = new WeakMap();
  return all.length ? (ofValue(all.map((read) => ofValue(read(tells)))) >>> 0).toString(16).padStart(8, '0') : undefined;
}

/** What has been reckoned for the digest that is being made. */
let known = new WeakMap<object, number>();
const mix = (a: number, b: number): number => {
  const x = Math.imul(a ^ (b >>> 15), 0x85ebca6b) ^ Math.imul(b ^ (a >>> 13), 0xc2b2ae35);
  return x ^ (x >>> 16);
};
/** Of long texts, lists and tables what stands last, and how long they are: what is added to them from change to change isn't gone through again. */
const longest = 200;
const widest = [24, 24, 24, 12, 6, 4, 3];
const lastOf = <T>(list: readonly T[], most: number): readonly T[] => (list.length > most ? list.slice(-most) : list);

function ofText(text: string): number {
  const { length } = text;
  let sum = 0x811c9dc5 ^ length;
  for (let i = length > longest ? length - longest : 0; i < length; i += 1) sum = Math.imul(sum ^ text.charCodeAt(i), 0x01000193);
  return sum;
}

/** A digest of plain data; what objects share is reckoned once. */
function ofValue(value: unknown, deep = 0): number {
  if (typeof value === 'string') return ofText(value);
  if (typeof value === 'number' && Number.isInteger(value)) return Math.imul(value ^ 0x9e3779b9, 0x85ebca6b);
  if (typeof value !== 'object' || value === null) return ofText(String(value));
  const found = known.get(value);
  if (found !== undefined) return found;
  const wide = widest[deep] ?? 2;
  let sum = 7;
  if (value instanceof Map || value instanceof Set) sum = ofValue([...value], deep);
  else if (ArrayBuffer.isView(value))
    sum = ofValue([...new Uint8Array(value.buffer, value.byteOffset, value.byteLength).slice(-24), value.byteLength]);
  else if (Array.isArray(value)) {
    sum = value.length;
    for (const one of lastOf(value, wide)) sum = mix(sum, ofValue(one, deep + 1));
  } else {
    const record = value as Readonly<Record<string, unknown>>;
    for (const field of lastOf(Object.keys(record), wide))
      if (record[field] !== undefined) sum = (sum + mix(ofText(field), ofValue(record[field], deep + 1))) | 0;
  }
  known.set(value, sum);
  return sum;
}

/** A digest of each thing of a list, however long it is. */
export const ofEach = (list: Iterable<unknown>): number => {
  let sum = 0;
  for (const one of list) sum = mix(sum, ofValue(one));
  return sum;
};

/** All changes of a journal from one on: of each its moment and its key, of all or (in a long journal) every so many what stands then. */
function ofChanges(changes: readonly Change[], from: number): number {
  const each = Math.ceil((changes.length - from) / 2_000);
  let sum = changes.length - from;
  for (let i = from; i < changes.length; i += 1) {
    const { atMs, key, after } = changes[i]!;
    sum = mix(mix(sum, atMs), ofText(key));
    if (after && (i - from) % each === 0) sum = mix(sum, ofValue(after));
  }
  return sum;
}
