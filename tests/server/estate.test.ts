import { describe, expect, test } from 'vitest';
import { createApp } from '$server/services/app';
import { link, part } from '../core/estate/help';
import { driver } from '../core/help';
import { folder, hashOf, map, value, type OwnApp } from './own';

const names = ['south-quay', 'north-quay', 'harbour', 'pilot-house'];
const hashes = (app: OwnApp, fork = '') => Promise.all(names.map((name) => hashOf(app, `${name}${fork}`)));
const clocks = async (app: OwnApp, fork = '') =>
  Promise.all(names.map(async (name) => (await value(app.rehearsals.state(`${name}${fork}`))).clock.nowMs));
const join = (app: OwnApp, a: string, b: string) => value(app.rehearsals.join(a, b, link));

async function linked(data = ':memory:'): Promise<OwnApp> {
  const app = await createApp({ data });
  await join(app, 'south-quay', 'north-quay');
  await join(app, 'north-quay', 'harbour');
  await join(app, 'harbour', 'pilot-house');
  await join(app, 'south-quay', 'pilot-house');
  await join(app, 'north-quay', 'pilot-house');
  return app;
}
/** A document set over three clusters of the demo. */
async function sendCrew(app: OwnApp, fork = '') {
  const clusters = ['south-quay', 'north-quay', 'pilot-house'];
  await value(app.rehearsals.send(`south-quay${fork}`, driver()));
  for (const [nth, cluster] of clusters.entries()) {
    const classes: Record<string, string> = { 'south-quay': 'steady-block', 'north-quay': 'steady-block', 'pilot-house': 'desk-dirs' };
    const objects = JSON.parse(
      JSON.stringify(part(clusters, nth, nth < 2 ? 2 : 1))
        .replaceAll('"steady"', `"${classes[cluster]}"`)
        .replaceAll('people', 'decks')
    ) as never;
    await value(app.rehearsals.send(`${cluster}${fork}`, objects));
  }
}
const ready = async (app: OwnApp, id: string) =>
  (await value(app.rehearsals.ask(id, 'objects', { kind: 'Process', namespace: 'decks' }))).map(
    (one) => `${one.metadata.name} ${(one as { status?: { ready?: boolean } }).status?.ready}`
  );

describe('clusters with one clock', () => {
  test('are joined at the moment of the later one; from then on whatever moves one clock moves all', { timeout: 20_000 }, async () => {
    const app = await createApp({ data: ':memory:' });
    const before = await clocks(app);
    expect(new Set(before).size).toBeGreaterThan(1);
    const past = await value(app.rehearsals.journal('south-quay', 0, before[0]!, 0));
    await join(app, 'south-quay', 'north-quay');
    const [south, north, harbour] = await clocks(app);
    const later = Math.max(before[0]!, before[1]!) + 1;
    expect([south, north, harbour]).toEqual([later, later, before[2]!]);
    expect((await value(app.rehearsals.journal('south-quay', 0, before[0]!, 0))).count).toBe(past.count);
    await value(app.rehearsals.move('north-quay', { untilMs: 30_900_000 }));
    expect((await clocks(app)).slice(0, 2)).toEqual([30_900_000, 30_900_000]);
    await value(app.rehearsals.move('south-quay', { untilMs: 30_400_000 }));
    expect((await clocks(app)).slice(0, 3)).toEqual([30_400_000, 30_400_000, before[2]]);
    // Sent in one, nothing can be sent before that in the other.
    await value(app.rehearsals.move('south-quay', { untilMs: 30_900_000 }));
    await value(app.rehearsals.send('south-quay', [map('one')]));
    await value(app.rehearsals.move('north-quay', { untilMs: 30_500_000 }));
    const early = await app.rehearsals.send('north-quay', [map('two')]);
    expect(early.ok ? '' : early.refusal.code).toBe('later-actions');
    expect(await app.rehearsals.join('south-quay', 'north-quay', link)).toMatchObject({ ok: false, refusal: { code: 'cannot-join' } });
    await app.close();
  });

  test('what was joined is undone in the order in which it was done, and the join itself parts them', { timeout: 20_000 }, async () => {
    const app = await createApp({ data: ':memory:' });
    const [south] = await hashes(app);
    const southMs = (await clocks(app))[0]!;
    await join(app, 'south-quay', 'north-quay');
    await value(app.rehearsals.move('south-quay', { untilMs: 30_600_000 }));
    await value(app.rehearsals.send('north-quay', [map('one')]));
    // The latest thing was done in the other cluster.
    await value(app.rehearsals.undo('south-quay'));
    expect((await value(app.rehearsals.ask('north-quay', 'objects', { kind: 'ConfigMap', name: 'one' }))).length).toBe(0);
    await value(app.rehearsals.undo('north-quay'));
    expect((await value(app.rehearsals.ask('south-quay', 'objects', { kind: 'Link' }))).length).toBe(0);
    await value(app.rehearsals.move('south-quay', { untilMs: southMs }));
    expect((await hashes(app))[0]).toBe(south);
    await value(app.rehearsals.move('north-quay', { untilMs: 31_000_000 }));
    expect((await clocks(app)).slice(0, 2)).toEqual([southMs, 31_000_000]);
    await app.close();
  });

  test(
    'stand as they stood after a restart, from their snapshots and without them, and so do their forks',
    { timeout: 40_000 },
    async () => {
      const data = folder();
      const app = await linked(data);
      await sendCrew(app);
      await value(app.rehearsals.move('south-quay', { until: 'settled' }));
      expect(await ready(app, 'south-quay')).toEqual(['crew-0 true', 'crew-1 true']);
      expect(await ready(app, 'pilot-house')).toEqual(['crew-20 true']);
      const standing = [await hashes(app), await clocks(app)] as const;
      const earlierMs = standing[1][0]! - 1_000;
      await value(app.rehearsals.fork('harbour', 'try', undefined));
      expect([await hashes(app, '~try'), await clocks(app, '~try')]).toEqual(standing);
      await value(app.rehearsals.move('north-quay~try', { untilMs: standing[1][0]! + 60_000 }));
      expect([await hashes(app), await clocks(app)]).toEqual(standing);
      // All are put to rest together, and come back from their snapshots.
      await app.rehearsals.rest(undefined, Date.now() + 1e9);
      expect(
        (await app.db.selectFrom('snapshot').select('at_ms').where('rehearsal', 'in', names).execute()).map((one) => one.at_ms)
      ).toEqual(standing[1]);
      expect([await hashes(app), await clocks(app)]).toEqual(standing);
      // The moment of an earlier fork is stood up by replaying all of them.
      await value(app.rehearsals.fork('south-quay', 'earlier', earlierMs));
      await value(app.rehearsals.send('pilot-house~earlier', [map('early')]));
      expect(new Set(await clocks(app, '~earlier'))).toEqual(new Set([earlierMs]));
      // Before it was joined it stands alone.
      await value(app.rehearsals.fork('south-quay', 'alone', 200_000));
      expect((await app.rehearsals.all()).filter((one) => one.fork === 'alone').map((one) => one.id)).toEqual(['south-quay~alone']);
      const forked = await hashes(app, '~try');
      await app.close();
      const again = await createApp({ data });
      expect([await hashes(again), await clocks(again), await hashes(again, '~try')]).toEqual([...standing, forked]);
      await again.db.deleteFrom('snapshot').execute();
      await again.close();
      const third = await createApp({ data });
      expect([await hashes(third), await hashes(third, '~try')]).toEqual([standing[0], forked]);
      await value(third.rehearsals.drop('north-quay~try'));
      expect((await third.rehearsals.all()).filter((one) => one.fork === 'try')).toEqual([]);
      await third.close();
    }
  );

  test('a link that cannot be is refused, and nothing is joined by it', { timeout: 20_000 }, async () => {
    const app = await createApp({ data: ':memory:' });
    const fault = async (a: string, b: string) => {
      const answer = await app.rehearsals.join(a, b, link);
      return answer.ok ? 'joined' : `${answer.refusal.code}: ${answer.refusal.detail}`;
    };
    expect(await fault('south-quay', 'south-quay')).toContain("can't be linked with itself");
    expect(await fault('south-quay', 'moon')).toBe('not-found: There is no rehearsal moon.');
    await value(app.rehearsals.fork('south-quay', 'mine', undefined));
    expect(await fault('south-quay~mine', 'harbour')).toBe('not-found: There is no rehearsal harbour~mine.');
    await join(app, 'south-quay', 'north-quay');
    expect(await fault('north-quay', 'south-quay')).toContain('is there already');
    // Both at once, from both sides: one of them is first.
    const both = await Promise.all([fault('harbour', 'pilot-house'), fault('pilot-house', 'harbour'), fault('south-quay', 'harbour')]);
    expect(both.map((one) => one.split(':')[0]).sort()).toEqual(['cannot-join', 'joined', 'joined']);
    expect(new Set(await clocks(app)).size).toBe(1);
    await app.close();
  });
});
