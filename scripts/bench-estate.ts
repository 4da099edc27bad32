import { isReady } from '$core/model';
import { Estate, type World } from '$core/standin';
import { largeOrigin, largeWorld, manySets } from './bench-world';

/** Part of `npm run bench`: clusters of one clock against one cluster of as many members, in turn, in one run. */

const clusters = ['east', 'north', 'south', 'west'];
const setsEach = 67;
const runs = 5;

const link = { delayMs: 8, lossPercent: 0, carries: { names: true, addresses: true }, encrypted: true, version: '2.1' };
const ready = (world: World): number =>
  world.store.list('Pod').filter((one) => one.metadata.name.startsWith('set-') && isReady(one)).length;

function one(): number {
  const [objects, origin] = [manySets(setsEach * clusters.length), largeOrigin(80, setsEach * clusters.length * 3)];
  globalThis.gc?.();
  const fromMs = performance.now();
  const world = largeWorld(80, setsEach * clusters.length, objects, origin);
  world.runSettled();
  const tookMs = performance.now() - fromMs;
  if (ready(world) !== setsEach * clusters.length * 3) throw new Error(`only ${ready(world)} members are ready`);
  return tookMs;
}

function four(): number {
  const [objects, origin] = [manySets(setsEach), largeOrigin(20, setsEach * 3)];
  globalThis.gc?.();
  const fromMs = performance.now();
  const worlds = clusters.map((name) => [name, largeWorld(20, setsEach, objects, origin)] as const);
  const estate = new Estate(worlds);
  for (const [i, [, world]] of worlds.entries()) for (const other of clusters.slice(i + 1)) world.act({ type: 'join', with: other, link });
  estate.runSettled();
  const tookMs = performance.now() - fromMs;
  const all = worlds.reduce((sum, [, world]) => sum + ready(world), 0);
  if (all !== setsEach * clusters.length * 3) throw new Error(`only ${all} members are ready`);
  return tookMs;
}

one();
four();
const pairs = Array.from({ length: runs }, () => [one(), four()] as const);
const ratios = pairs.map(([alone, linked]) => linked / alone).sort((a, b) => a - b);
const median = (of: readonly number[]) => [...of].sort((a, b) => a - b)[Math.floor(of.length / 2)]!;
console.log(
  `one cluster of 804 members, and four linked ones of 201 each: ${(median(pairs.map(([a]) => a)) / 1_000).toFixed(2)} s and ` +
    `${(median(pairs.map(([, b]) => b)) / 1_000).toFixed(2)} s, ${median(ratios).toFixed(2)} times as long (${ratios.map((each) => each.toFixed(2)).join(', ')}; 1.3 allowed)`
);
