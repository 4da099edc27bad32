import { beforeAll, describe, expect, test } from 'vitest';
import type { Action } from '$core/standin';
import { bytesOf } from '$core/shared';
import { engineVersion } from '$core/standin';
import { Host } from '$server/rehearsals/host';
import { driver, objects, ref, smallSet, southOrigin } from '../core/help';
import { scenario } from '../../src/lib/scenario';

const id = 'south-quay';
/** A host with south-quay as the demo leaves it. */
async function opened(): Promise<Host> {
  const host = new Host();
  const { seed, ground, actions, headMs } = southOrigin();
  await host.open({ id, origin: { seed, ground }, actions, headMs, frontierMs: headMs });
  return host;
}
async function act(host: Host, action: Action): Promise<void> {
  const { refusals } = await host.prepare(id, action);
  expect(refusals).toEqual([]);
  await host.commit(id);
}
let stuck: Host;
let whole: Host;
beforeAll(async () => {
  stuck = await opened();
  whole = await opened();
  await act(whole, { type: 'send', objects: driver() });
  await whole.move(id, { until: 'settled' });
});
const levels = async (host: Host, proofs: never[] = []) =>
  (await host.ask(id, 'stack', { proofs })).levels.map((one) => `${one.title} ${one.state} ${one.count} ${one.says}`.trim());

describe('the stack', () => {
  test('of the stuck cluster: broken at Supply, everything above waits', async () => {
    expect(await levels(stuck)).toEqual([
      'Ground holds 4',
      'Supply broken 1 no driver answers',
      'Claims waiting 0/3 1 Pending, 2 to come',
      'Members waiting 0/3 bookings waits',
      'Proofs waiting –'
    ]);
    expect(await stuck.ask(id, 'stack', { proofs: [] })).toMatchObject({
      sentence: '3 members of bookings wait: no driver answers to block.standin.example.',
      trace: { kind: 'StatefulSet', namespace: 'tickets', name: 'bookings' },
      broken: true
    });
  });

  test('of the mended one: holds; with proofs, stale ones settle and failed ones break', async () => {
    expect(await levels(whole)).toEqual([
      'Ground holds 4',
      'Supply holds 1 1 driver, 1 class',
      'Claims holds 3/3 120 GiB',
      'Members holds 3/3 all ready',
      'Proofs waiting –'
    ]);
    const proofs = (await whole.ask(id, 'prove', { namespace: 'tickets', set: 'bookings' }))!.map((one) => ({
      ...one,
      namespace: 'tickets',
      set: 'bookings'
    }));
    const top = async (list: typeof proofs) => (await levels(whole, list as never)).at(-1);
    expect(await top(proofs)).toBe('Proofs holds 11/11');
    expect(await top(proofs.map((one) => ({ ...one, atMs: 1_000 })))).toBe('Proofs settling 0/11 11 stale');
    expect(await top(proofs.map((one, i) => (i ? one : { ...one, state: 'broken' })))).toBe('Proofs broken 10/11 bookings: Claims fails');
    expect((await whole.ask(id, 'stack', { proofs: proofs as never })).sentence).toBe('Holds at every level.');
  });

  test('of the other clusters of the demo', async () => {
    const sentences: Record<string, string> = {};
    for (const { name, seed, ground, actions, headMs } of scenario()) {
      const host = new Host();
      await host.open({ id, origin: { seed, ground }, actions, headMs, frontierMs: headMs });
      sentences[name] = (await host.ask(id, 'estate', { proofs: [] })).sentence;
    }
    expect(sentences).toEqual({
      'south-quay': '3 members of bookings wait: no driver answers to block.standin.example.',
      harbour: '6 members of papers wait: there is no class shed-pool.',
      'north-quay': '1 member of chartroom waits: zone c has no mount target.',
      'pilot-house':
        "1 member of crew waits: others refuse it: the certificate in crew-tls doesn't carry the name crew-2.crew.people.svc.cluster.local."
    });
  });
});

describe('sheets', () => {
  test('Ground: what the planks say is what the pods ask', async () => {
    const { zones } = await whole.ask(id, 'ground', {});
    expect(zones.map((one) => [one.name, one.planks.length])).toEqual([
      ['a', 2],
      ['b', 2]
    ]);
    const planks = zones.flatMap((one) => one.planks);
    // Three members of 500m and 2Gi, two controllers and a collector of 50m and 128Mi, four plugins of 20m and 64Mi.
    expect(planks.reduce((sum, one) => sum + one.milliCpu.asked, 0)).toBe(3 * 500 + 3 * 50 + 4 * 20);
    expect(planks.reduce((sum, one) => sum + one.memoryBytes.asked, 0)).toBe(
      3 * bytesOf('2Gi') + 3 * bytesOf('128Mi') + 4 * bytesOf('64Mi')
    );
    expect(planks.reduce((sum, one) => sum + one.slots.taken, 0)).toBe(3);
    expect(planks.every((one) => one.slots.limit === 25)).toBe(true);
    expect((await stuck.ask(id, 'ground', {})).zones[0]!.planks[0]!.slots.limit).toBeNull();
  });

  test('Supply: the rails join where they join, and the break says why', async () => {
    const broken = await stuck.ask(id, 'supply', {});
    expect(broken.joins.map((one) => [one.from, one.to, one.state])).toEqual([
      ['south-quay-volumes', 'block.standin.example', 'holds'],
      ['block.standin.example', 'steady-block', 'broken']
    ]);
    expect(
      broken.drivers.map((one) => [one.id, one.installed, one.newest, one.gates.find((gate) => gate.state === 'broken')?.joint])
    ).toEqual([['block.standin.example', false, 'r3', 'driver']]);
    const held = await whole.ask(id, 'supply', {});
    expect(held.joins.every((one) => one.state === 'holds')).toBe(true);
    expect(held.backends[0]!.says).toBe('1,480 of 1,600 GiB free · quota 40, 3 used');
    expect(held.drivers[0]!.parts.map((one) => [one.name, one.essential, one.ready, one.wanted])).toEqual([
      ['block-controller', true, 2, 2],
      ['block-node', true, 4, 4],
      ['block-collector', false, 1, 1]
    ]);
  });

  test('Claims: rows and the inspection by question', async () => {
    const { rows } = await whole.ask(id, 'claims', {});
    expect(rows.map((one) => [one.name, one.label, one.heldBy])).toEqual(
      [0, 1, 2].map((one) => [`data-bookings-${one}`, 'Bound', [`bookings-${one}`]])
    );
    const one = (await whole.ask(id, 'claim', { namespace: 'tickets', name: 'data-bookings-0' }))!;
    expect(one).toMatchObject({ policy: 'Delete', grows: true, fsType: 'ext4', attachedTo: one.nodes, sizes: [{ size: '40Gi' }] });
    expect(await whole.ask(id, 'claim', { namespace: 'tickets', name: 'nothing' })).toBeUndefined();
    expect((await stuck.ask(id, 'claims', {})).rows.map((row) => [row.label, row.state])).toEqual([['Pending', 'waiting']]);
  });

  test('Members: each row says what it is about', async () => {
    const rows = async (host: Host) =>
      (await host.ask(id, 'members', {})).bands[0]!.rows.map((one) => one.label.replace(/\d\d:\d\d:\d\d/, 'T'));
    expect(await rows(whole)).toEqual(['ready T', 'ready T', 'ready T']);
    expect(await rows(stuck)).toEqual(['no driver answers to block.standin.example', 'after bookings-0', 'after bookings-1']);
    const [band] = (await whole.ask(id, 'members', { namespace: 'tickets', name: 'bookings' })).bands;
    expect(band).toMatchObject({ ready: 3, replicas: 3, secrets: ['bookings-access'], blueprint: 'multi-primary SQL' });
    expect(band!.reach.map((one) => [one.name, one.headless])).toEqual([
      ['bookings', true],
      ['bookings-sql', false]
    ]);
  });

  test('the tape: lanes in order, each member after the one before, what is overdue is said', async () => {
    expect(await stuck.ask(id, 'tape', {})).toMatchObject({
      text: '1 claim overdue by 3 min 46 s; nothing is under way: it waits for somebody',
      overdue: true
    });
    const tape = await whole.ask(id, 'tape', {});
    // Nothing moves any more, so what moved last comes first.
    const lane = (label: string) => tape.lanes.find((one) => one.label === label)!;
    expect(tape.lanes.slice(0, 3).map((one) => one.label)).toEqual(['bookings-2', 'bookings-1', 'bookings-0']);
    expect(
      tape.lanes
        .slice(3)
        .map((one) => one.label)
        .sort()
    ).toEqual(['block collector', 'block controller', 'block on nodes']);
    const steps = lane('bookings-2').segments.map((one) => one.step);
    expect(steps).toEqual(['provisioning', 'attaching', 'mounting', 'pulling', 'starting', 'joining']);
    for (const lane of tape.lanes) for (const one of lane.segments) expect(one.toMs! >= one.fromMs, lane.label).toBe(true);
    expect(lane('bookings-1').segments[0]!.fromMs).toBeGreaterThan(lane('bookings-0').segments.at(-1)!.toMs!);
    expect(tape.text).toBe('settled: nothing is under way');
    expect(tape.marks.map((one) => one.label)).toEqual([
      'sent StorageClass steady-block',
      'sent StatefulSet bookings and 6 more',
      'sent CSIDriver block.standin.example and 7 more'
    ]);
  });

  test('find answers with objects of any kind', async () => {
    expect((await whole.ask(id, 'find', { text: 'bookings-1' })).map((one) => one.kind)).toEqual(['Pod', 'PersistentVolumeClaim']);
    expect(await whole.ask(id, 'find', { text: 'nothing-like-this' })).toEqual([]);
  });
});

describe('the host', () => {
  test('a snapshot opens to the same journal; one of another engine is thrown away', async () => {
    const saved = (await whole.save(id))[0]!;
    const { hash } = await whole.journal(id, 0, undefined, 0);
    const clock = await whole.status(id);
    const { seed, ground, actions } = southOrigin();
    const all = [...actions, { atMs: 250_000, action: { type: 'send', objects: driver() } as Action }];
    for (const engine of [engineVersion, 'another']) {
      const host = new Host();
      await host.open({
        id,
        origin: { seed, ground },
        actions: all,
        headMs: clock.nowMs,
        frontierMs: clock.frontierMs,
        snapshot: { ...saved, engine, ...(engine === engineVersion ? {} : { bytes: new Uint8Array([1, 2, 3]) }) }
      });
      expect((await host.journal(id, 0, undefined, 0)).hash).toBe(hash);
      await act(host, { type: 'remove', ref: ref('Pod', 'tickets', 'bookings-2') });
      expect(await host.move(id, { until: 'settled' })).toMatchObject({ settled: true });
    }
  });

  test('steps go to the next and the last change, and stop at both ends', async () => {
    const host = await opened();
    await host.move(id, { untilMs: 0 });
    const moments: number[] = [];
    for (let i = 0; i < 4; i += 1) moments.push((await host.move(id, { step: 1 })).nowMs);
    expect([...moments].sort((a, b) => a - b)).toEqual(moments);
    expect(new Set(moments).size).toBe(4);
    for (let i = 0; i < 4; i += 1) await host.move(id, { step: -1 });
    expect((await host.move(id, { step: -1 })).nowMs).toBe(0);
  });

  test('it runs by itself until it is paused', async () => {
    const told: number[] = [];
    const host = new Host((_, clock) => told.push(clock.nowMs));
    const { seed, ground, actions, headMs } = southOrigin();
    await host.open({ id, origin: { seed, ground }, actions, headMs, frontierMs: headMs });
    expect((await host.move(id, { run: 60 })).running).toBe(60);
    while (told.length < 3) await new Promise((resolve) => setTimeout(resolve, 20));
    await host.halt(id);
    const at = (await host.status(id)).nowMs;
    expect(at).toBeGreaterThan(headMs);
    expect([...told].sort((a, b) => a - b)).toEqual(told);
    await new Promise((resolve) => setTimeout(resolve, 200));
    expect((await host.status(id)).nowMs).toBe(at);
  });

  test('while an action is being written down the clock stands still; dropped, it goes on', async () => {
    const host = await opened();
    await host.prepare(id, { type: 'send', objects: objects(smallSet()) });
    await host.drop(id);
    await act(host, { type: 'send', objects: objects(smallSet()) });
    expect((await host.ask(id, 'objects', { kind: 'StatefulSet', namespace: 'default' })).map((one) => one.metadata.name)).toEqual([
      'probe'
    ]);
    await expect(host.status('nobody')).rejects.toThrow('not open');
  });
});
