import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { Estate, replay, resolve, World, type Action } from '$core/standin';
import { scenario } from '../../../src/lib/scenario';
import { acted, crewParts, hashable, link, parts, processes } from './help';

const up = (): Estate => {
  const estate = Estate.replay(crewParts(), 90_000);
  estate.runSettled();
  return estate;
};
let asks = 0;
function asked(estate: Estate, cluster: string, op: object, more: object = {}) {
  const id = `ask-${(asks += 1)}`;
  const world = estate.world(cluster)!;
  acted(world, { type: 'ask', namespace: 'people', id, ask: { workload: 'crew', way: 'inside', login: 'right', op, ...more } as never });
  while (!world.store.get('Ask', 'people', id)!.status?.outcome) estate.runUntil(estate.nowMs + 100);
  return world.store.get('Ask', 'people', id)!.status!;
}
const outage = (spec: object): Action => ({
  type: 'send',
  objects: [{ apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: 'trouble' }, spec } as never]
});
const over: Action = { type: 'remove', ref: { kind: 'Outage', namespace: '', name: 'trouble' } };
const dark = (estate: Estate, cluster: string) =>
  outage({
    dark: estate
      .world(cluster)!
      .store.list('Node')
      .map((one) => one.metadata.name)
  });
const primary = (estate: Estate) =>
  processes(estate)
    .filter((one) => one.includes(' primary '))
    .map((one) => one.split(' ').slice(0, 2).join(' '));

describe('one clock for several clusters', () => {
  test('a cluster by itself runs in an estate as it does alone: to a moment, and until it has settled', () => {
    for (const { name, seed, ground, actions, headMs } of scenario()) {
      const origin = { seed, ground };
      const alone = replay(origin, actions, headMs);
      const estate = Estate.replay(new Map([[name, { origin, actions }]]), headMs);
      const within = estate.world(name)!;
      for (const turn of [alone, estate]) turn.runUntil(headMs + 45_000);
      for (const turn of [alone, estate]) turn.runSettled();
      expect([within.nowMs, within.calls, hashable(within)], name).toEqual([alone.nowMs, alone.calls, hashable(alone)]);
    }
  });

  test('the same actions give the same journals, in whatever order the clusters are given and however the clock is moved', () => {
    const ends = (estate: Estate) => estate.clusters.map((name) => hashable(estate.world(name)!));
    const whole = Estate.replay(crewParts(), 260_000);
    const wanted = ends(whole);
    expect(
      whole
        .world('west')!
        .store.list('Process')
        .every((one) => one.status?.ready)
    ).toBe(true);
    fc.assert(
      fc.property(
        fc.shuffledSubarray(['east', 'north', 'west'], { minLength: 3 }),
        fc.array(
          fc.tuple(fc.integer({ min: 1, max: 40_000 }), fc.integer({ min: 1, max: 500 }), fc.constantFrom('go', 'fork', 'restore')),
          {
            minLength: 1,
            maxLength: 8
          }
        ),
        (names, moves) => {
          const given = crewParts();
          let estate = Estate.replay(new Map(names.map((name) => [name, given.get(name)!])), 90_000);
          for (const [byMs, budget, what] of moves) {
            const target = Math.min(260_000, estate.nowMs + byMs);
            // In slices, as a server does it.
            while (!estate.runUntil(target, budget));
            if (what === 'fork') estate = estate.fork();
            if (what === 'restore') {
              const saved = names.map((name) => [name, structuredClone(estate.world(name)!.save()), estate.world(name)!.seed] as const);
              estate = new Estate(saved.map(([name, snapshot, seed]) => [name, World.restore(seed, snapshot)]));
            }
          }
          estate.runUntil(260_000);
          expect(ends(estate)).toEqual(wanted);
        }
      ),
      { numRuns: 12 }
    );
  });

  test('a fork goes its own way; what it came from stays', () => {
    const estate = up();
    const before = estate.clusters.map((name) => hashable(estate.world(name)!));
    const fork = estate.fork();
    acted(fork.world('east')!, dark(fork, 'east'));
    fork.runUntil(fork.nowMs + 120_000);
    expect(primary(fork)).toEqual(['north crew-10']);
    expect(estate.clusters.map((name) => hashable(estate.world(name)!))).toEqual(before);
  });

  test('clusters that are joined later run on to one moment, and their past stays', () => {
    const { east, north } = Object.fromEntries(parts({ east: [], north: [] }));
    const [a, b] = [World.create(east!.origin), World.create(north!.origin)];
    a.runUntil(1_000);
    acted(a, east!.actions[0]!.action);
    a.runUntil(70_000);
    b.runUntil(3_000);
    const past = hashable(a);
    const estate = new Estate([
      ['east', a],
      ['north', b]
    ]);
    expect([a.nowMs, b.nowMs]).toEqual([70_000, 70_000]);
    acted(a, { type: 'join', with: 'north', link });
    expect(hashable(a).startsWith(past.slice(0, -1))).toBe(true);
    expect(b.store.list('Link').map((one) => [one.metadata.name, one.spec.to])).toEqual([['east.north', 'east']]);
    expect(a.act({ type: 'join', with: 'north', link })[0]!.message).toBe('The link east.north between east and north is there already.');
    expect(a.act({ type: 'join', with: 'east', link })[0]!.message).toBe("east can't be linked with itself.");
    expect(a.act({ type: 'join', with: 'moon', link })[0]!.code).toBe('cannot-join');
    expect(estate.settled).toBe(a.settled);
  });
});

describe('members over several clusters', () => {
  test('what is written through one cluster is read through another', () => {
    const estate = up();
    const put = asked(estate, 'west', { do: 'write', key: 'k1', value: 'from the west', acks: 'majority' });
    expect(put).toMatchObject({ outcome: 'acknowledged' });
    const read = asked(estate, 'north', { do: 'read', key: 'k1' }, { member: 'crew-11' });
    expect(read).toMatchObject({ outcome: 'acknowledged', rows: [['k1', 'from the west']] });
    // To the primary in the east, and back, over a link of 9 ms each way.
    expect(put.answeredMs! - put.askedMs!).toBeGreaterThanOrEqual(18);
    const far = asked(estate, 'north', { do: 'read', key: 'k1' }, { member: 'crew-20' });
    expect(far).toMatchObject({ outcome: 'acknowledged', by: 'crew-20' });
  });

  test('a cluster that is lost is survived by a majority of the others, and comes back', () => {
    const estate = up();
    expect(primary(estate)).toEqual(['east crew-0']);
    acted(estate.world('east')!, dark(estate, 'east'));
    estate.runUntil(estate.nowMs + 60_000);
    expect(primary(estate)).toEqual(['north crew-10']);
    const put = asked(estate, 'west', { do: 'write', key: 'k2', value: 'v', acks: 'majority' });
    expect(put.outcome).toBe('acknowledged');
    acted(estate.world('east')!, over);
    estate.runUntil(estate.nowMs + 600_000);
    expect(primary(estate)).toEqual(['east crew-0']);
    expect(asked(estate, 'east', { do: 'read', key: 'k2' }).rows).toEqual([['k2', 'v']]);
    expect(processes(estate).every((one) => one.includes(' true '))).toBe(true);
  });

  test.each([
    ['cut from one side', { links: [{ to: 'west', is: 'cut' }] }],
    ['cut one way: calls need an answer', { links: [{ to: 'west', is: 'one-way' }] }]
  ])('a link that is %s takes a member away, and nobody believes to be the rest', (_, spec) => {
    const estate = up();
    acted(estate.world('east')!, outage(spec));
    acted(estate.world('north')!, outage(spec));
    estate.runUntil(estate.nowMs + 60_000);
    expect(primary(estate)).toEqual(['east crew-0']);
    expect(processes(estate).find((one) => one.includes('crew-20'))).toContain('no majority: reaches 1 of 5');
    expect(asked(estate, 'west', { do: 'write', key: 'k3', value: 'v', acks: 'majority' }).outcome).not.toBe('acknowledged');
    acted(estate.world('east')!, over);
    acted(estate.world('north')!, over);
    estate.runUntil(estate.nowMs + 60_000);
    expect(processes(estate).every((one) => one.includes(' true '))).toBe(true);
  });

  test('a slow link makes writes slow, a lossy one slower, and neither loses anything', () => {
    const took = (estate: Estate) => {
      const { askedMs, answeredMs } = asked(estate, 'west', { do: 'write', key: 'k4', value: 'v', acks: 'majority' });
      return answeredMs! - askedMs!;
    };
    const plain = took(up());
    const slow = up();
    for (const to of ['east', 'north'].map((cluster) => slow.world(cluster)!))
      acted(to, outage({ links: [{ to: 'west', is: 'slow', ms: 400 }] }));
    expect(took(slow)).toBeGreaterThanOrEqual(plain + 800);
    const lossy = up();
    const ends = lossy.world('east')!.store.list('Link');
    acted(lossy.world('east')!, { type: 'send', objects: ends.map((one) => ({ ...one, spec: { ...one.spec, lossPercent: 60 } })) });
    let resent = 0;
    for (let i = 0; i < 12; i += 1) {
      const put = asked(lossy, 'east', { do: 'write', key: `n${i}`, value: String(i), acks: 'majority' });
      expect(put.outcome).toBe('acknowledged');
      if (put.answeredMs! - put.askedMs! > 1_000) resent += 1;
    }
    expect(resent).toBeGreaterThan(0);
    lossy.runUntil(lossy.nowMs + 60_000);
    const last = asked(lossy, 'west', { do: 'read', key: 'n11' }, { member: 'crew-20' });
    expect(last.rows).toEqual([['n11', '11']]);
  });

  test('without names a member finds nobody; with them it comes in', () => {
    const estate = Estate.replay(
      crewParts({
        west: [
          {
            atMs: 80_000,
            action: outage({
              links: [
                { to: 'east', is: 'nameless' },
                { to: 'north', is: 'nameless' }
              ]
            })
          }
        ]
      }),
      90_000
    );
    for (const cluster of ['east', 'north']) acted(estate.world(cluster)!, outage({ links: [{ to: 'west', is: 'nameless' }] }));
    estate.runUntil(500_000);
    expect(processes(estate).find((one) => one.includes('crew-20'))).toContain('false');
    expect(primary(estate)).toEqual(['east crew-0']);
    const { reason } = resolve(estate.world('west')!.store, 'people', 'crew-0.crew.people.svc.east.linked.example');
    expect(reason).toBe("names of east aren't found in west just now (trouble)");
    acted(estate.world('west')!, over);
    estate.runUntil(estate.nowMs + 60_000);
    expect(processes(estate).find((one) => one.includes('crew-20'))).toContain('secondary true');
    expect(resolve(estate.world('west')!.store, 'people', 'crew-0.crew.people.svc.east.linked.example').addresses).toEqual([
      estate.world('east')!.store.get('Pod', 'people', 'crew-0')!.status!.podIP
    ]);
  });

  test('a cluster whose leading one is not joined founds no group of its own', () => {
    const all = crewParts();
    const alone = parts({ west: [all.get('west')!.actions.at(-1)!] });
    const estate = Estate.replay(alone, 90_000);
    estate.runUntil(600_000);
    expect(processes(estate)).toEqual([expect.stringContaining('west crew-20 joining false')]);
  });
});
