import { isReady } from '$core/model';
import { rootLine } from '$core/rootline';
import { loops, Schedule, Views } from '$core/standin';
import { largeOrigin, largeWorld, manySets } from './bench-world';

/** `npm run bench`: one table of speed and size. Ratios are taken within one run, so that they mean the same on any machine. */

const mib = (bytes: number) => Math.round(bytes / 2 ** 20);
const seconds = (ms: number) => `${(ms / 1000).toFixed(2)} s`;
const rows: string[][] = [];

function timed<T>(work: () => T): { ms: number; value: T } {
  const from = performance.now();
  const value = work();
  return { ms: performance.now() - from, value };
}

/** The floor: the same number of bare calls pushed and popped, as many waiting at once as in the run. */
function floorMs(calls: number, waiting: number): number {
  return timed(() => {
    const schedule = new Schedule(loops.length);
    for (let i = 0; i < waiting; i += 1) schedule.add(i % 1000, i % loops.length, `key-${i}`, false);
    for (let i = 0; i < calls; i += 1) {
      const due = schedule.next()!;
      schedule.add(due.atMs + 20 + (i % 977), due.loop, due.key, false);
    }
  }).ms;
}

function rehearse(nodes: number, sets: number) {
  const origin = largeOrigin(nodes, sets * 3);
  const objects = manySets(sets);
  globalThis.gc?.();
  const { ms, value: world } = timed(() => {
    const made = largeWorld(nodes, sets, objects, origin);
    if (!made.runSettled()) throw new Error('did not settle');
    return made;
  });
  const heap = process.memoryUsage().heapUsed;
  const pods = world.store.list('Pod').filter((one) => one.metadata.name.startsWith('set-'));
  if (pods.length !== sets * 3 || !pods.every(isReady))
    throw new Error(`only ${pods.filter(isReady).length} of ${sets * 3} members are ready`);
  const floor = floorMs(world.calls, sets * 3);
  rows.push([
    `${sets} sets of 3 on ${nodes} nodes`,
    seconds(ms),
    `${world.calls} calls`,
    `${world.journal.changes.length} changes`,
    `heap ${mib(heap)} MiB, rss ${mib(process.memoryUsage().rss)} MiB`,
    `${(ms / floor).toFixed(1)} x floor (${seconds(floor)})`
  ]);
  return { ms, world };
}

/** Any moment of 1,002 members: the views that the host keeps ready, and a root line of what stands there. */
function drag(): void {
  const world = largeWorld(100, 334);
  world.runSettled();
  const views = new Views(world.journal);
  const ready = timed(() => [...views.spread()].length).ms;
  const look = (atMs: number) => timed(() => rootLine(views.at(atMs), { kind: 'StatefulSet', namespace: 'space-0', name: 'set-1' })).ms;
  look(world.nowMs / 2);
  const waits = Array.from({ length: 60 }, (_, i) => look(Math.floor(((i * 7919) % 60) * (world.nowMs / 60)))).sort((a, b) => a - b);
  rows.push([
    'drag the clock, 1,002 members, and a root line there',
    `worst ${waits.at(-1)!.toFixed(0)} ms`,
    `median ${waits[30]!.toFixed(0)} ms`,
    `${world.journal.changes.length} changes`,
    `views ready in ${ready.toFixed(0)} ms`,
    ''
  ]);
}

const warm = largeWorld(20, 20);
warm.runSettled();
const small = rehearse(100, 300);
const large = rehearse(1000, 3300);
rows.push(['growth of time for 11 times the work', `${(large.ms / small.ms).toFixed(1)} x (15 allowed)`, '', '', '', '']);
drag();
const widths = rows[0]!.map((_, i) => Math.max(...rows.map((row) => (row[i] ?? '').length)));
for (const row of rows) console.log(row.map((cell, i) => cell.padEnd(widths[i]!)).join('  '));
