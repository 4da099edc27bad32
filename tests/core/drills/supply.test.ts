import { expect, test } from 'vitest';
import { isReady } from '$core/model';
import { offers } from '$core/drills';
import { ask, must, offer } from '../roomy';
import { objects } from '../help';
import { short, standing } from './help';

const outage = (spec: string) => objects(`apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: drill}\nspec: {${spec}}\n`);

test('a slow volume delays what follows from a write, not reads, and nothing overtakes on the way: no write is lost, none stays open', () => {
  const { drill, world } = standing('log-broker');
  const one = drill('volume-slow', short);
  // Each write waits 2 s at the broker that leads; a third of them go there.
  expect(one).toMatchObject({ state: 'expected', measured: { lostCount: 0, readsPauseMs: 0, wholeMs: 2_000 } });
  expect(one.measured.writesPauseMs).toBeGreaterThan(2_000);
  expect(one.measured.writesPauseMs).toBeLessThan(5_000);
  must(world, ...outage('sluggish: [{namespace: space, claim: nobody, ms: 5}]'));
  world.runUntil(world.nowMs + 1_000);
  expect(world.store.list('Event').some((event) => event.message?.includes('the claim space/nobody'))).toBe(true);

  const claim =
    'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: idle, namespace: space}\nspec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 1Gi}}}\n';
  must(world, ...objects(claim));
  must(world, ...outage('sluggish: [{namespace: space, claim: idle, ms: 5}, {namespace: space, claim: disk-0-one-1, ms: 5}]'));
  world.runUntil(world.nowMs + 1_000);
  const said = world.store.list('Event').filter((event) => event.reason === 'NothingFollows');
  expect(said.map((event) => event.message)).toEqual(['Nothing that is played out writes to space/idle: slow without effect.']);

  const shelf = standing('image-shelf').world;
  must(shelf, ...outage('sluggish: [{namespace: space, claim: one, ms: 2000}]'));
  const pushed = ask(shelf, 'space', 'one', { do: 'push', key: 'a/b:r1', bytes: 64 });
  expect(pushed.answeredMs! - pushed.askedMs).toBeGreaterThanOrEqual(2_000);
  const pulled = ask(shelf, 'space', 'one', { do: 'pull', key: 'a/b:r1' });
  expect([pulled.outcome, pulled.answeredMs! - pulled.askedMs < 1_000]).toEqual(['acknowledged', true]);
  // In the very moment of a write a read doesn't wait for it either.
  const [slow, quick] = [
    offer(shelf, 'space', 'one', { do: 'push', key: 'a/b:r2', bytes: 64 }),
    offer(shelf, 'space', 'one', { do: 'pull', key: 'a/b:r1' })
  ];
  shelf.runUntil(shelf.nowMs + 1_000);
  const outcome = (id: string) => shelf.store.get('Ask', 'space', id)!.status!.outcome;
  expect([outcome(slow), outcome(quick)]).toEqual([undefined, 'acknowledged']);
});

test('a mount target that goes hangs what has mounted in its zone, and only that; it comes back with it', () => {
  const { drill, world } = standing('shared-files');
  const one = drill('mount-target-out');
  expect(one.target).toMatch(/^files in zone [abc]$/);
  expect(one).toMatchObject({ state: 'worse', derived: { goesOn: true }, measured: { lostCount: 0 } });
  // One of three users hangs, and nothing tells: about a third of what is asked waits in vain, for as long.
  const { asked, unknown } = one.measured.writes;
  expect(unknown / asked).toBeGreaterThan(0.15);
  expect(unknown / asked).toBeLessThan(0.45);
  expect(one.measured.steadyMs).toBeGreaterThan(150_000);

  const [files] = world.store.list('Backend').filter((backend) => backend.spec.fileSystem !== undefined);
  const [pod] = world.store.list('Pod', 'space').filter(isReady);
  const write = () => ask(world, 'space', 'one', { do: 'write', key: 'x', value: 'y' }, { member: pod!.metadata.name }).outcome;
  expect(write()).toBe('acknowledged');
  must(world, { ...files!, spec: { ...files!.spec, letIn: [] } });
  expect(write()).toBe('unknown');
  must(world, files!);
  expect(write()).toBe('acknowledged');
});

test('without its rights a driver lets no volume go: the member that has to move waits, and comes once they are back', () => {
  const { drill } = standing('primary-standby-sql', { synchronous: '1' });
  const one = drill('rights-gone', short);
  expect(one).toMatchObject({
    state: 'expected',
    measured: { lostCount: 0 },
    cause: { from: 'break', says: expect.stringContaining('rights') }
  });
  // Without it a member that moves is whole in less than the minute for which they are gone.
  const away = one.lanes.map((lane) =>
    lane.stretches.filter((two) => two.state !== 'ready').reduce((sum, two) => sum + two.toMs - two.fromMs, 0)
  );
  expect(Math.max(...away)).toBeGreaterThan(60_000);
  expect(one.measured.wholeMs).toBeGreaterThan(0);
});

test('with its operator down the members go on: a set makes its own pods; nothing of the kind is offered where no operator looks after it', () => {
  const { drill } = standing('memory-store');
  const one = drill('operator-down', short);
  expect(one).toMatchObject({ target: 'memory-operator', state: 'expected', measured: { lostCount: 0 } });
  const { scene } = standing('time-series');
  expect(Object.fromEntries(offers(scene()).map(({ fault, not }) => [fault, not]))).toMatchObject({
    'operator-down': 'no operator looks after it',
    'mount-target-out': 'its members mount no shared file system',
    'certificate-out': 'its members show no certificates',
    'key-changed': 'its members seal nothing with a key from a secret'
  });
});

test('a certificate that has run out stops all who show it for as long as nobody renews it; then it is renewed', () => {
  const { drill, world } = standing('document-set');
  const before = world.store.get('Secret', 'space', 'one-tls')!.data!['tls.crt'];
  const one = drill('certificate-out', short);
  expect(one).toMatchObject({ state: 'expected', derived: { goesOn: false, why: expect.stringContaining('all of 3 members') } });
  expect(one.measured.writesPauseMs).toBeGreaterThan(60_000);
  expect(one.cause!.says).toContain('expired');
  for (const action of one.begin) expect(world.act(action)).toEqual([]);
  world.runUntil(world.nowMs + 90_000);
  expect(world.store.list('Pod', 'space').filter(isReady)).toHaveLength(0);
  for (const action of one.end) expect(world.act(action)).toEqual([]);
  world.runUntil(world.nowMs + 90_000);
  expect(world.store.list('Pod', 'space').filter(isReady)).toHaveLength(3);
  expect(world.store.get('Secret', 'space', 'one-tls')!.data!['tls.crt']).not.toBe(before);
});

test('what is taken with another key is lost once the right one is back, by number; what lay there before is not', () => {
  const { drill } = standing('object-store');
  const one = drill('key-changed', short);
  expect(one).toMatchObject({ state: 'worse', cause: { from: 'known', says: expect.stringContaining('another key') } });
  const lost = one.measured.lost;
  // Ten puts of the first 20 s are whole; what is lost came while the other key was there, and is one stretch.
  expect(lost[0]).toBeGreaterThan(10);
  expect(lost).toHaveLength(one.measured.lostCount!);
  expect(lost.at(-1)! - lost[0]!).toBeLessThan(60_000 / 2_000 + 10);
});
