/* What the engines' loop keeps from call to call is derived: with it and without it the same happens, to the last change. */
import fc from 'fast-check';
import { expect, test } from 'vitest';
import { epochMs, stableJson } from '$core/shared';
import { certificateInSecret, type World } from '$core/standin';
import type { ClusterAccess } from '$core/standin/control/loop';
import { keepSite, takeSite } from '$core/standin/control/traffic/kept-sites';
import type { WorldSite } from '$core/standin/control/traffic/site';
import { objects, ref } from '../help';
import { answered, ask, must, offer, roomy } from '../roomy';
import { rounds } from '../../rounds';

/** A world that counts something moved at every look, so that nothing is kept in it. */
function forgetful(world: World): World {
  let looks = 0;
  Object.defineProperty(world, 'moved', { get: () => (looks += 1), set() {} });
  return world;
}
const trace = (world: World): string[] =>
  world.journal.changes.map(({ atMs, key, after }) => `${atMs} ${key} ${stableJson(after ?? null)}`);

const outage = (spec: string) => objects(`apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: o}\nspec: {${spec}}\n`);
const closed =
  'apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nmetadata: {name: closed, namespace: space}\nspec: {podSelector: {}, policyTypes: [Ingress], ingress: []}\n';
/** What somebody does, by its number, to the workload `one` of the namespace `space`. */
const deeds: readonly ((world: World, nth: number) => void)[] = [
  (world, n) => must(world, ...outage(`dark: [${nodeOf(world, n)}]`)),
  (world, n) => must(world, ...outage(`hangs: [{namespace: space, pod: ${podOf(world, n)}}]`)),
  (world, n) => must(world, ...outage(`apart: [{namespace: space, pod: ${podOf(world, n)}, from: ${n % 2 ? 'members' : 'clients'}}]`)),
  (world, n) => must(world, ...outage(`slow: [{node: ${nodeOf(world, n)}, ms: 900}], cut: [[${nodeOf(world, n + 1)}]]`)),
  (world) => void world.act({ type: 'remove', ref: ref('Outage', '', 'o') }),
  (world, n) => void world.act({ type: 'remove', ref: ref('Pod', 'space', podOf(world, n)) }),
  (world, n) =>
    world.store
      .list('Service', 'space')
      .slice(n % 2, (n % 2) + 1)
      .forEach(({ metadata }) => world.act({ type: 'remove', ref: ref('Service', 'space', metadata.name) })),
  (world) => must(world, ...objects(closed)),
  (world) => void world.act({ type: 'remove', ref: ref('NetworkPolicy', 'space', 'closed') })
];
const pods = (world: World) =>
  world.store
    .list('Pod', 'space')
    .map((one) => one.metadata.name)
    .sort();
const podOf = (world: World, n: number) => pods(world)[n % Math.max(1, pods(world).length)] ?? 'none';
const nodeOf = (world: World, n: number) => world.store.get('Pod', 'space', podOf(world, n))?.spec.nodeName ?? 'w-a-1';

function lived(engine: string, steps: readonly (readonly [deed: number, nth: number, waitMs: number])[], keep: boolean): string[] {
  const world = roomy();
  if (!keep) forgetful(world);
  must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
  must(world, ...answered(engine, { namespace: 'space', name: 'one' }));
  world.runSettled();
  steps.forEach(([deed, nth, waitMs], i) => {
    deeds[deed]!(world, nth);
    for (let k = 0; k < 4; k += 1) {
      const op =
        engine === 'log-broker'
          ? ({ do: 'produce', place: 'gate-scans', count: 3 } as const)
          : ({ do: 'put', key: `k${i}${k}`, value: 'v' } as const);
      // Names of asks have to be the same in both lives.
      world.act({ type: 'ask', namespace: 'space', id: `a${i}-${k}`, ask: { workload: 'one', way: 'inside', login: 'right', op } });
      world.runUntil(world.nowMs + waitMs);
    }
  });
  world.runUntil(world.nowMs + 60_000);
  return trace(world);
}

test('whatever strikes members, ways and clients meanwhile, what is kept between calls changes nothing', () => {
  const step = fc.tuple(fc.nat(deeds.length - 1), fc.nat(7), fc.constantFrom(3, 700, 9_000));
  for (const engine of ['document-set', 'log-broker'])
    fc.assert(
      fc.property(fc.array(step, { minLength: 2, maxLength: 6 }), (steps) => {
        const [kept, anew] = [lived(engine, steps, true), lived(engine, steps, false)];
        const at = kept.findIndex((one, i) => one !== anew[i]);
        expect(at < 0 && kept.length === anew.length, `${kept[at]?.slice(0, 300)}\n${anew[at]?.slice(0, 300)}`).toBe(true);
      }),
      { numRuns: rounds(4, 60), seed: 3 }
    );
});

test('members whose certificate expires while nothing else moves are refused from the next moment on', () => {
  const answers = (keep: boolean) => {
    const world = roomy();
    if (!keep) forgetful(world);
    must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
    must(world, ...answered('log-broker', { namespace: 'space', name: 'one' }));
    world.runSettled();
    ask(world, 'space', 'one', { do: 'make-topic', place: 't', count: 1 });
    // Nobody renews it.
    const shown = world.store.list('Secret', 'space').flatMap((one) => certificateInSecret(one.data?.['tls.crt'] ?? '') ?? []);
    const untilMs = Math.min(...shown.map((one) => one.untilMs));
    for (const kind of ['Certificate', 'Issuer'] as const)
      for (const { metadata } of world.store.list(kind, 'space')) world.act({ type: 'remove', ref: ref(kind, 'space', metadata.name) });
    world.runUntil(untilMs - epochMs - 5_000);
    const got: string[] = [];
    for (let i = 0; i < 10; i += 1) {
      const id = offer(world, 'space', 'one', { do: 'produce', place: 't', count: 1 });
      world.runUntil(world.nowMs + 1_000);
      got.push(world.store.get('Ask', 'space', id)!.status?.outcome ?? 'open');
    }
    return got;
  };
  const kept = answers(true);
  expect(kept).toEqual(answers(false));
  expect(kept.slice(0, 5)).toEqual(Array(5).fill('acknowledged'));
  expect(kept.slice(6)).not.toContain('acknowledged');
});

test('what somebody writes to a volume beside its engine between two calls is there at the next one', () => {
  const world = roomy();
  must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
  must(world, ...answered('shared-files', { namespace: 'space', name: 'one' }));
  world.runSettled();
  const [pod] = pods(world);
  const list = () => ask(world, 'space', 'one', { do: 'list', place: '' }).rows?.map(([name]) => name);
  expect(ask(world, 'space', 'one', { do: 'write', key: 'a.txt', value: 'x' }).outcome).toBe('acknowledged');
  expect(list()).toEqual(['a.txt']);
  expect(world.act({ type: 'write', namespace: 'space', pod: pod!, key: 'b.txt', value: 'y' })).toEqual([]);
  expect(list()).toEqual(['a.txt', 'b.txt']);
  expect(ask(world, 'space', 'one', { do: 'write', key: 'c.txt', value: 'z' }).outcome).toBe('acknowledged');
  expect(list()).toEqual(['a.txt', 'b.txt', 'c.txt']);
});

test('a site that was taken out for a call is there again only once that call has put it back, and only where nothing has moved', () => {
  const world = { moved: 1 } as ClusterAccess & { moved: number };
  let same = true;
  const site = { again: () => same } as unknown as WorldSite;
  const take = () => takeSite(world, 'space/one', 0);
  expect(take()).toBeUndefined();
  keepSite(world, 'space/one', site);
  // The second call fails, or another site made it: the third one finds nothing.
  expect([take(), take()]).toEqual([site, undefined]);
  keepSite(world, 'space/one', site);
  world.moved += 1;
  expect(take()).toBeUndefined();
  keepSite(world, 'space/one', site);
  same = false;
  expect(take()).toBeUndefined();
});
