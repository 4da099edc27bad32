import fc from 'fast-check';
import { sql } from 'kysely';
import { describe, expect, test } from 'vitest';
import { World, type Action } from '$core/standin';
import { packWorld, unpackWorld } from '$server/rehearsals/snapshot';
import { createApp } from '$server/services/app';
import { asLeft, driver, must, objects, readySouth, smallSet } from '../core/help';
import { folder, value, hashOf, map, type OwnApp } from './own';

describe('a rehearsal that can not be stood up', () => {
  test('is shown as such with the reason, up to the last good moment; others go on; it is withdrawn, exported, taken away', async () => {
    const data = folder();
    const first = await createApp({ data });
    const before = await value(first.rehearsals.state('south-quay'));
    const good = await hashOf(first, 'south-quay');
    await value(first.rehearsals.fork('south-quay', 'side', undefined));
    for (const id of ['south-quay', 'south-quay~side']) {
      await value(first.rehearsals.send(id, [map('one', 'a')]));
      await value(first.rehearsals.send(id, [map('two', 'a')]));
      await sql`UPDATE action SET body = replace(body, '"one"', '"on*"') WHERE rehearsal = ${id} AND body LIKE '%"one"%'`.execute(first.db);
    }
    await first.close();

    const app = await createApp({ data });
    const estate = await app.estate();
    expect(estate.map((one) => [one.name, one.fault !== null])).toEqual([
      ['south-quay', true],
      ...estate.slice(1).map((one) => [one.name, false])
    ]);
    expect(estate[0]!.fault).toMatch(/stands as after \d+ actions; what was done then is damaged/);
    expect(estate[0]!.levels.length).toBeGreaterThan(3);
    const state = await value(app.rehearsals.state('south-quay'));
    expect(state).toMatchObject({ broken: { after: before.clock.actions }, clock: { actions: before.clock.actions } });
    expect(await hashOf(app, 'south-quay')).toBe(good);
    expect(await app.rehearsals.send('south-quay', driver())).toMatchObject({
      ok: false,
      refusal: { code: 'broken-rehearsal', status: 409 }
    });
    expect(await app.rehearsals.move('south-quay', { until: 'settled' })).toMatchObject({ ok: false });
    expect((await app.rehearsals.send('north-quay', [map('x', 'a')])).ok).toBe(true);
    // What there is goes along to another machine.
    expect((await value(app.transfer.give('south-quay'))).rehearsals[0]!.actions).toHaveLength(before.clock.actions);
    // The two latest go, and it stands again.
    expect((await app.rehearsals.undo('south-quay')).ok).toBe(true);
    expect(await value(app.rehearsals.state('south-quay'))).toHaveProperty('broken');
    expect((await app.rehearsals.undo('south-quay')).ok).toBe(true);
    expect(await value(app.rehearsals.state('south-quay'))).not.toHaveProperty('broken');
    expect((await app.rehearsals.send('south-quay', driver())).ok).toBe(true);
    expect((await app.rehearsals.drop('south-quay~side')).ok).toBe(true);
    await app.close();
  });

  test('an action that is refused now, a ground that makes no world, a damaged row of a cluster: told, and nothing else is touched', async () => {
    const data = folder();
    const first = await createApp({ data });
    const odd: Action = { type: 'write', namespace: 'nowhere', pod: 'nobody', key: 'a', value: 'b' };
    const { rehearsalRepository } = await import('$server/repositories/rehearsals');
    const { nowMs } = await value(first.rehearsals.state('south-quay'));
    await rehearsalRepository(first.db).append('south-quay', { atMs: nowMs, action: odd });
    await sql`UPDATE cluster SET ground = '[{"kind":"Node"}]', sum = '' WHERE name = 'north-quay'`.execute(first.db);
    await sql`UPDATE cluster SET note = 'another' WHERE name = 'harbour'`.execute(first.db);
    await first.close();
    const app = await createApp({ data });
    const faults = Object.fromEntries((await app.estate()).map((one) => [one.name, one.fault]));
    expect(faults['south-quay']).toContain('is refused now: Nothing can be written');
    expect(faults['north-quay']).toContain("its ground can't be stood up");
    expect(faults['harbour']).toMatch(/damaged/);
    expect(Object.values(faults).filter((one) => one === null).length).toBeGreaterThan(0);
    // What came with the demo stays, unless it is of no use.
    expect(await app.removeCluster('pilot-house')).toMatchObject({ ok: false, refusal: { code: 'cluster-stays' } });
    expect((await app.removeCluster('north-quay')).ok).toBe(true);
    await app.close();
  });

  test('an action of a newer program, or one that is none, stands as damage: named, with all that came before it', async () => {
    const data = folder();
    const first = await createApp({ data });
    const { rehearsalRepository } = await import('$server/repositories/rehearsals');
    const odd = [
      ['south-quay', { type: 'rename', from: 'a', to: 'b' }, /must be an action that this version knows/],
      ['north-quay', { version: 2, type: 'crash', namespace: 'a', pod: 'b' }, /version/],
      ['harbour', { type: 'send', objects: [{ kind: 'Pod' }] }, /objects/]
    ] as const;
    for (const [id, action] of odd) {
      const { nowMs } = await value(first.rehearsals.state(id));
      await rehearsalRepository(first.db).append(id, { atMs: nowMs, action: action as unknown as Action });
    }
    await first.close();
    const app = await createApp({ data });
    const faults = Object.fromEntries((await app.estate()).map((one) => [one.name, one.fault]));
    for (const [id, , why] of odd) expect(faults[id]).toMatch(why);
    expect((await app.rehearsals.undo('south-quay')).ok).toBe(true);
    expect(await value(app.rehearsals.state('south-quay'))).not.toHaveProperty('broken');
    await app.close();
  });

  test('what can not be carried out is not kept: the worker dies, or a loop stumbles while an action is taken', async () => {
    const app = await createApp({ data: folder() });
    const before = await hashOf(app, 'south-quay');
    const { revision } = await value(app.rehearsals.state('south-quay'));
    // A world that stumbles over one action, now and whenever it is stood up.
    const act = World.prototype.actSteps;
    World.prototype.actSteps = function* (action) {
      if (JSON.stringify(action).includes('stumble')) throw new TypeError('x is not a function');
      return yield* act.call(this, action);
    };
    try {
      const sent = await app.rehearsals.send('south-quay', [map('stumble', 'a')]);
      expect(sent).toMatchObject({ ok: false, refusal: { code: 'not-carried-out', status: 422 } });
    } finally {
      World.prototype.actSteps = act;
    }
    expect(await hashOf(app, 'south-quay')).toBe(before);
    expect((await value(app.rehearsals.state('south-quay'))).revision).toBe(revision + 2);
    expect((await app.rehearsals.send('south-quay', [map('other', 'a')])).ok).toBe(true);
    await app.close();
  });

  test('a fork that is taken away while it is written to: answers, no failures', async () => {
    const app = await createApp({ data: folder() });
    await value(app.rehearsals.fork('south-quay', 'short', undefined));
    const answers = await Promise.all([
      ...[1, 2, 3].map((i) => app.rehearsals.send('south-quay~short', [map(`m${i}`, 'a')])),
      app.rehearsals.drop('south-quay~short'),
      ...[4, 5].map((i) => app.rehearsals.send('south-quay~short', [map(`m${i}`, 'a')])),
      app.rehearsals.move('south-quay~short', { until: 'settled' }),
      app.rehearsals.ask('south-quay~short', 'tape', {}),
      app.rehearsals.undo('south-quay~short')
    ]);
    for (const one of answers) if (!one.ok) expect(one.refusal.code).toMatch(/unknown-rehearsal/);
    expect(answers.filter((one) => one.ok).length).toBeGreaterThan(0);
    await app.close();
  });
});

test('worlds that nobody looks at are put to rest, and stand up as they were; without room nothing new is begun, and what is there goes on', async () => {
  const app = await createApp({ data: folder() });
  await value(app.rehearsals.send('south-quay', driver()));
  await value(app.rehearsals.move('south-quay', { until: 'settled' }));
  const [hash, state] = [await hashOf(app, 'south-quay'), await value(app.rehearsals.state('south-quay'))];
  const held = async () => Number(/root_barn_worlds (\d+)/.exec((await app.measured(0)).text)![1]);
  expect(await held()).toBe(1);
  await app.rehearsals.rest(undefined, Date.now() + 60_000);
  expect(await held()).toBe(1);
  await app.rehearsals.rest(undefined, Date.now() + 3_600_000);
  expect(await held()).toBe(0);
  const began = Date.now();
  expect([await hashOf(app, 'south-quay'), await value(app.rehearsals.state('south-quay'))]).toEqual([hash, state]);
  expect(Date.now() - began).toBeLessThan(1_000);
  // One byte for all worlds is too little, whatever is put to rest.
  expect(await app.rehearsals.rest(1)).toBe(true);
  for (const refused of [
    await app.rehearsals.send('south-quay', [map('a', 'a')]),
    await app.rehearsals.fork('south-quay', 'more', undefined)
  ])
    expect(refused).toMatchObject({
      ok: false,
      refusal: { code: 'memory', status: 507, detail: expect.stringMatching(/MiB of the/) as string }
    });
  expect((await app.rehearsals.move('south-quay', { step: -1 })).ok).toBe(true);
  expect((await app.rehearsals.undo('south-quay')).ok).toBe(true);
  expect(await app.rehearsals.rest(undefined)).toBe(false);
  expect((await app.rehearsals.send('south-quay', [map('a', 'a')])).ok).toBe(true);
  await app.close();
});

describe('snapshots', () => {
  test('a world that was packed goes on as if it had never stopped, whatever was done before and after', async () => {
    const worlds = [readySouth(), asLeft('north-quay')];
    await fc.assert(
      fc.asyncProperty(fc.constantFrom(...worlds), fc.nat(120_000), fc.boolean(), async (from, ms, more) => {
        const world = World.restore(7, structuredClone(from.save()));
        if (more) must(world, { type: 'send', objects: objects(smallSet({ name: 'probe' })) });
        world.runUntil(world.nowMs + ms);
        const { bytes } = await packWorld(world);
        const again = await unpackWorld(7, bytes);
        for (const one of [world, again]) {
          one.act({ type: 'send', objects: [map('after', 'a')] });
          one.runUntil(world.nowMs);
        }
        const end = world.nowMs + 3_600_000;
        for (const one of [world, again]) one.runUntil(end);
        expect(again.journal.changes.length).toBe(world.journal.changes.length);
        expect(JSON.stringify(again.journal.changes)).toBe(JSON.stringify(world.journal.changes));
        // Versions go on sharing what they share, so that it takes no more room than before.
        const shared = again.journal.changes.filter(
          ({ before, after }) => before && after && 'spec' in before && 'spec' in after && before.spec === after.spec
        );
        expect(shared.length).toBeGreaterThan(5);
      }),
      { numRuns: 12, seed: 3 }
    );
    const { bytes } = await packWorld(worlds[0]!);
    await expect(unpackWorld(7, bytes.subarray(0, bytes.length - 40))).rejects.toThrow();
  });

  test('one of an earlier moment is gone on from; one that what was taken back stood in is not used', async () => {
    const data = folder();
    const app = await createApp({ data });
    await value(app.rehearsals.send('south-quay', driver()));
    await value(app.rehearsals.move('south-quay', { until: 'settled' }));
    const far = Date.now() + 86_400_000;
    await app.rehearsals.rest(undefined, far);
    const kept = async () =>
      (await sql<{ actions: number }>`SELECT actions FROM snapshot WHERE rehearsal = 'south-quay'`.execute(app.db)).rows[0]?.actions;
    const count = await kept();
    expect(count).toBeGreaterThan(2);
    await value(app.rehearsals.send('south-quay', [map('one', 'a')]));
    const { clock } = await value(app.rehearsals.state('south-quay'));
    const hash = await hashOf(app, 'south-quay');
    await app.close();
    const again = await createApp({ data });
    const state = await value(again.rehearsals.state('south-quay'));
    expect(state.clock).toEqual(clock);
    expect(await hashOf(again, 'south-quay')).toBe(hash);
    // Two back: the second one was in the snapshot.
    await value(again.rehearsals.undo('south-quay'));
    await value(again.rehearsals.undo('south-quay'));
    const fresh = await createApp({ data: ':memory:' });
    const plain = await value(again.rehearsals.state('south-quay'));
    await value(fresh.rehearsals.move('south-quay', { untilMs: plain.nowMs }));
    expect(await hashOf(again, 'south-quay')).toBe(await hashOf(fresh, 'south-quay'));
    await fresh.close();
    await again.close();
  });

  test('one that another past follows from is not gone on from', async () => {
    const data = folder();
    const plain = await createApp({ data: ':memory:' });
    const app = await createApp({ data });
    const story = async (one: OwnApp, saved: boolean) => {
      await value(one.rehearsals.send('south-quay', driver()));
      await value(one.rehearsals.send('south-quay', [map('one', 'a')]));
      const { nowMs } = await value(one.rehearsals.state('south-quay'));
      await value(one.rehearsals.move('south-quay', { until: 'settled' }));
      if (saved) await one.rehearsals.rest(undefined, Date.now() + 86_400_000);
      // Something is sent before the moment that was saved: what followed there is forgotten.
      await value(one.rehearsals.move('south-quay', { untilMs: nowMs + 5_000 }));
      await value(one.rehearsals.send('south-quay', [map('two', 'a')]));
      await value(one.rehearsals.move('south-quay', { until: 'settled' }));
      if (saved) await one.rehearsals.rest(undefined, Date.now() + 86_400_000);
      // As many actions as were saved, but not the same ones.
      await value(one.rehearsals.undo('south-quay'));
      await value(one.rehearsals.send('south-quay', [map('three', 'a')]));
    };
    await story(plain, false);
    await story(app, true);
    await app.close();
    const again = await createApp({ data });
    expect(await hashOf(again, 'south-quay')).toBe(await hashOf(plain, 'south-quay'));
    await again.close();
    await plain.close();
  });

  test('a rehearsal of 12,000 actions is forked and stands up again from what was kept', async () => {
    const data = folder();
    const app = await createApp({ data });
    const { nowMs, clock } = await value(app.rehearsals.state('south-quay'));
    const { rehearsalRepository } = await import('$server/repositories/rehearsals');
    const store = rehearsalRepository(app.db);
    const { actions } = await store.actions('south-quay');
    await app.rehearsals.release('south-quay');
    await store.remove('south-quay');
    const many = Array.from({ length: 12_000 }, (_, i) => ({
      atMs: nowMs + i,
      action: { type: 'send' as const, objects: [map(`m${i % 50}`, String(i))] }
    }));
    const lastMs = nowMs + many.length - 1;
    await store.add(
      {
        id: 'south-quay',
        cluster: 'south-quay',
        fork: null,
        parent: null,
        forkedAtMs: null,
        headMs: lastMs,
        frontierMs: lastMs,
        revision: 1
      },
      [...actions, ...many]
    );
    const made = await value(app.rehearsals.fork('south-quay', 'long', undefined));
    expect(made.clock.actions).toBe(clock.actions + many.length);
    expect(await hashOf(app, 'south-quay~long')).toBe(await hashOf(app, 'south-quay'));
    await value(app.rehearsals.fork('south-quay', 'half', nowMs + 6_000));
    expect((await value(app.rehearsals.state('south-quay~half'))).clock.actions).toBe(clock.actions + 6_001);
    await app.close();
  });
});
