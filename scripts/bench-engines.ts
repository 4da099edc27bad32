import { ReedSolomonErasure } from '@digitaldefiance/reed-solomon-erasure.wasm';
import { toUint8Array } from 'js-base64';
import wasmUrl from '@digitaldefiance/reed-solomon-erasure.wasm/wasm?url&inline';
import { isReady } from '$core/model';
import { drilled } from '$core/drills';
import { podsIn, workloadNamed } from '$core/proofs';
import { encodeShards, loops, Schedule, World, type Snapshot } from '$core/standin';
import { answered, roomy } from '../tests/core/roomy';

/** Speed of the engines, as part of `npm run bench`: ratios within one run. */

const timed = <T>(work: () => T): { ms: number; value: T } => {
  const from = performance.now();
  const value = work();
  return { ms: performance.now() - from, value };
};
const best = (times: number, work: () => void): number => Math.min(...Array.from({ length: times }, () => timed(work).ms));
const cluster = () => roomy({ nodes: 6, cpu: '32', memory: '256Gi', capacity: '90Ti', volumes: 900 });

/** A million messages of 100 bytes, kept three times: against a loop that appends them to three typed-array logs and reads one back. */
function messages(): void {
  const world = cluster();
  world.act({ type: 'send', objects: answered('log-broker', {}) });
  world.runSettled();
  let n = 0;
  const ask = (op: { do: string; [key: string]: unknown }) => {
    const id = `b${(n += 1)}`;
    world.act({ type: 'ask', namespace: 'events', id, ask: { workload: 'boarding', way: 'inside', login: 'right', op } });
    while (!world.store.get('Ask', 'events', id)!.status?.outcome) world.runUntil(world.nextMs!);
    return world.store.get('Ask', 'events', id)!.status!;
  };
  ask({ do: 'make-topic', place: 'many', count: 12 });
  const count = 1_000_000;
  const engine = timed(() => [
    ask({ do: 'produce', place: 'many', count, bytes: 100, acks: 'all' }),
    ask({ do: 'consume', place: 'many', from: 'beginning' })
  ]);
  if (engine.value[1]!.count !== count || engine.value[0]!.checksum !== engine.value[1]!.checksum) throw new Error('messages were lost');
  const plain = timed(() => {
    const logs = [0, 1, 2].map(() => new Uint32Array(count * 25));
    let x = 1;
    const message = new Uint32Array(25);
    for (let i = 0; i < count; i += 1) {
      for (let k = 0; k < 25; k += 1) {
        x ^= x << 13;
        x ^= x >>> 17;
        x ^= x << 5;
        message[k] = x;
      }
      for (const log of logs) log.set(message, i * 25);
    }
    let sum = 0;
    for (const word of logs[0]!) sum = (Math.imul(sum, 31) + word) | 0;
    return sum;
  });
  console.log(
    `1,000,000 messages of 100 bytes, kept 3 times: ${engine.ms.toFixed(0)} ms, ${(engine.ms / plain.ms).toFixed(1)} x a plain loop of ${plain.ms.toFixed(0)} ms (12 allowed)`
  );
}

/** Cutting bytes into 12 + 4 shards: against the package by itself. */
function coding(): void {
  const body = new Uint8Array(48 * 2 ** 20).map((_, i) => i * 31);
  const own = best(4, () => void encodeShards(body, 12, 4));
  const coder = ReedSolomonErasure.fromBytes(toUint8Array(wasmUrl.slice(wasmUrl.indexOf(',') + 1)) as never);
  const size = body.length / 12;
  const all = new Uint8Array(size * 16);
  const bare = best(4, () => {
    all.set(body);
    coder.encode(all, 12, 4);
  });
  console.log(
    `erasure coding 12 + 4 of 48 MiB: ${own.toFixed(0)} ms, ${(bare / own).toFixed(2)} of the package's own speed (0.5 at least)`
  );
}

/** Ten workloads with 60 members come up. */
function workloads(): void {
  const world = cluster();
  const wishes: [string, Record<string, string>][] = [
    ['multi-primary-sql', { members: '5' }],
    ['multi-primary-sql', { name: 'second', namespace: 'two', members: '5' }],
    ['primary-standby-sql', { members: '5' }],
    ['document-set', { members: '7' }],
    ['log-broker', { brokers: '6', copies: '3' }],
    ['log-broker', { name: 'scans', namespace: 'scans', brokers: '5', copies: '3' }],
    ['memory-store', { nodes: '5', cpu: '2', size: '4Gi', limit: '1Gi' }],
    ['object-store', { members: '5', volumes: '2' }],
    ['time-series', { nodes: '5' }],
    ['shared-files', { members: '3' }]
  ];
  const calls = world.calls;
  const run = timed(() => {
    for (const [id, more] of wishes) {
      const refused = world.act({ type: 'send', objects: answered(id, more) });
      if (refused.length) throw new Error(refused[0]!.message);
    }
    if (!world.runSettled()) throw new Error('did not settle');
  });
  const members = world.store
    .list('Namespace')
    .flatMap((space) => world.store.list('Pod', space.metadata.name))
    .filter((pod) =>
      podsIn(world.store, {
        namespace: pod.metadata.namespace ?? '',
        name: pod.metadata.labels?.['app.kubernetes.io/part-of'] ?? ''
      }).includes(pod)
    );
  if (members.length < 55 || !members.every(isReady))
    throw new Error(`only ${members.filter(isReady).length} of ${members.length} members are ready`);
  const floor = timed(() => {
    const schedule = new Schedule(loops.length);
    for (let i = 0; i < 60; i += 1) schedule.add(i % 1000, i % loops.length, `key-${i}`, false);
    for (let i = 0; i < world.calls - calls; i += 1) {
      const due = schedule.next()!;
      schedule.add(due.atMs + 20 + (i % 977), due.loop, due.key, false);
    }
  }).ms;
  console.log(
    `ten workloads with ${members.length} members: ${(run.ms / 1000).toFixed(2)} s (3 allowed), ${world.calls - calls} calls, ${(run.ms / floor).toFixed(0)} x the event floor`
  );
}

/** A drill of ten minutes on a workload of three, in a cluster of some 50 members; and how that grows with what is asked. */
function drills(): void {
  const world = cluster();
  const wishes: [string, Record<string, string>][] = [
    ['document-set', { name: 'drilled', namespace: 'drilled' }],
    ['multi-primary-sql', { members: '5' }],
    ['primary-standby-sql', { members: '5' }],
    ['log-broker', { brokers: '6', copies: '3' }],
    ['log-broker', { name: 'scans', namespace: 'scans', brokers: '5', copies: '3' }],
    ['memory-store', { nodes: '5', cpu: '2', size: '4Gi', limit: '1Gi' }],
    ['object-store', { members: '5', volumes: '2' }],
    ['time-series', { nodes: '5' }]
  ];
  for (const [id, more] of wishes) {
    const refused = world.act({ type: 'send', objects: answered(id, more) });
    if (refused.length) throw new Error(refused[0]!.message);
  }
  world.runSettled();
  const saved = structuredClone(world.save()) as Snapshot;
  const workload = workloadNamed(world.store, 'drilled', 'drilled')!;
  const run = (everyMs: number) => {
    const pace = { leadMs: 30_000, faultMs: 480_000, calmMs: 90_000, everyMs };
    const fork = () => World.restore(world.seed, saved);
    const { ms, value } = timed(() => drilled({ facts: world.store, workload, fork, fault: 'node-dark', pace }));
    if (typeof value === 'string') throw new Error(value);
    const { writes, reads } = value.measured;
    return { ms, minutes: value.overMs / 60_000, asked: writes.asked + reads.asked };
  };
  run(500);
  const usual = run(500);
  const dense = run(120);
  const line = ({ ms, minutes, asked }: typeof usual) => `${minutes.toFixed(1)} min, ${asked} operations: ${(ms / 1000).toFixed(2)} s`;
  console.log(`a drill (1.5 s allowed): ${line(usual)}; at four times the pace (10,000 operations, 2 s): ${line(dense)}`);
}

messages();
coding();
workloads();
drills();
