import { describe, expect, test } from 'vitest';
import { Estate, type Action, type TimedAction } from '$core/standin';
import type { ApiObject, BackupPlan, Facts } from '$core/model';
import { movesTo, tryMove, type Move, type MoveWay } from '$core/moving';
import { answered } from './roomy';
import { acted, documentSet, joins, Linked, operatedParts, parts } from './estate/help';
import { rows } from '../rounds';

const space = { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'space' } } as const;
const sent = (atMs: number, ...all: readonly object[]): TimedAction => ({ atMs, action: { type: 'send', objects: all } as Action });
const answers = { class: 'steady', namespace: 'space', name: 'one' };
let drawn = 0;
const draw = () => `for-tests-${(drawn += 1)}`;

/** A workload in the east, with room for it in the west, and a store in the west where its plan copies it. */
function pair(engine: string, more: object = {}): Linked {
  const made = Estate.replay(
    parts(
      {
        east: [joins(60_000, 'west'), sent(61_000, space), sent(62_000, ...answered(engine, { ...answers, ...more }))],
        west: [sent(61_000, space), sent(62_000, ...answered('object-store', { ...answers, name: 'shed', size: '20Gi' }))]
      },
      { east: 'production', west: 'production' }
    ),
    62_000
  );
  made.runSettled();
  const linked = new Linked(made);
  expect(linked.ask('west', 'shed', { do: 'make-bucket', place: 'copies' }).outcome).toBe('acknowledged');
  linked.send(
    'apiVersion: standin.example/v1\nkind: BackupPlan\nmetadata: {name: nightly, namespace: space}\nspec: {workload: one, schedule: "0 3 * * *", how: copy, into: {cluster: west, namespace: space, store: shed, bucket: copies}}\n'
  );
  return linked;
}
const facts = (linked: Linked, cluster = 'east') => linked.world(cluster).store as Facts;
const moved = (linked: Linked, way: MoveWay, cluster = 'east', to = 'west', namespace = 'space', name = 'one') => {
  const fork = new Linked(linked.estate.fork());
  const move = movesTo(facts(fork, cluster), namespace, name, to, draw) as Move;
  const plan = move.ways.find((one) => one.way === way)!;
  expect(plan.not).toBeUndefined();
  return { move, plan, tried: tryMove(fork.world(cluster), move, plan), fork };
};

describe('a workload goes to another cluster', () => {
  test.each(rows(1, ['primary-standby-sql', 'log-broker', 'object-store']))(
    '%s: by a standby and by a copy, and nothing that counted is lost',
    (engine) => {
      const linked = pair(engine, { size: '20Gi' });
      const standby = moved(linked, 'standby').tried;
      const copy = moved(linked, 'copy').tried;
      for (const one of [standby, copy]) expect(one).toMatchObject({ state: 'holds', lost: 0 });
      for (const one of [standby, copy]) expect(one.writes.acknowledged).toBeGreaterThanOrEqual(15);
      // Writers stand still until it has the last of it, however seldom they write.
      expect(standby.pauseMs).toBeGreaterThan(1_000);
      // Whoever follows has nearly all of it by then; a copy begins only once writers stand still.
      expect(standby.pauseMs).toBeLessThan(15_000);
      expect(copy.pauseMs).toBeGreaterThan(standby.pauseMs);
      expect(copy.pauseMs).toBeLessThan(60_000);
      // On the worlds themselves nothing was done.
      expect(facts(linked, 'west').get('StatefulSet', 'space', 'one')).toBeUndefined();
    }
  );

  test('a document set of an operator: members there, then none here; writers never stand still', () => {
    const estate = Estate.replay(operatedParts(), 90_000);
    const clusters = [
      { cluster: 'east', members: 2 },
      { cluster: 'north', members: 1 }
    ];
    estate.world('south')!.act({ type: 'send', objects: [documentSet({ members: 3, clusters })] });
    estate.runUntil(estate.nowMs + 1_200_000);
    const linked = new Linked(estate);
    const { tried, fork } = moved(linked, 'members', 'east', 'west', 'people', 'crew');
    expect(tried).toMatchObject({ state: 'holds', lost: 0 });
    // An election at most: twice the patience of a member, 12 s.
    expect(tried.pauseMs).toBeLessThan(24_000);
    const seats = ['east', 'north', 'west'].map((one) => facts(fork, one).list('Process', 'people').length);
    expect(seats).toEqual([0, 1, 2]);

    // Seats that nobody sits in yet are no reason to take the members here away.
    const steps = () => (movesTo(facts(linked), 'people', 'crew', 'west', draw) as Move).ways[0]!.steps;
    const told = () => steps().map(({ stands, done, after }) => [stands, done, after]);
    linked.world('south').act({ type: 'send', objects: steps()[0]!.sends! });
    expect(told()).toEqual([
      [true, undefined, undefined],
      [undefined, undefined, 1]
    ]);
    linked.estate.runUntil(linked.estate.nowMs + 1_200_000);
    expect(told()).toEqual([
      [true, true, undefined],
      [undefined, undefined, undefined]
    ]);
  });

  test('one in its operator’s cluster alone goes the same way, with a certificate of more names; other ways are none for it', () => {
    const estate = Estate.replay(operatedParts(), 80_000);
    estate.world('south')!.act({ type: 'send', objects: [documentSet({ members: 3, clusters: undefined })] });
    estate.runUntil(estate.nowMs + 600_000);
    const { move, tried, fork } = moved(new Linked(estate), 'members', 'south', 'west', 'people', 'crew');
    expect([move.bytes, move.unfit]).toEqual([3 * 4 * 2 ** 30, []]);
    expect(move.ways.map((one) => one.not)).toEqual([
      undefined,
      'its operator makes it: go by members',
      'its operator makes it: go by members'
    ]);
    expect(tried).toMatchObject({ state: 'holds', lost: 0 });
    expect(['south', 'west'].map((one) => facts(fork, one).list('Process', 'people').length)).toEqual([0, 3]);
  });

  test('it is said beforehand why a way is none, what does not fit, and what it takes there', () => {
    const linked = pair('primary-standby-sql');
    const at = (to: string, name = 'one') => movesTo(facts(linked), 'space', name, to);
    expect(at('north')).toBe('north is not linked with this cluster.');
    expect(at('west', 'nobody')).toBe('No engine of space/nobody runs here.');
    const move = at('west') as Move;
    expect(move.ways.map((one) => [one.way, one.not === undefined, one.steps.length])).toEqual([
      ['members', false, 0],
      ['standby', true, 4],
      ['copy', true, 3]
    ]);
    expect(move.bytes, '3 members, 40 GiB each').toBe(120 * 2 ** 30);
    expect(move.unfit).toEqual([]);
    // Copies that lie in what is moved lead nowhere; those of a store of that name elsewhere do.
    const [plan] = facts(linked).list('BackupPlan', 'space');
    const saysOf = (into: object) => {
      linked.world('east').put({ ...plan!, spec: { ...plan!.spec, into: { bucket: 'copies', ...into } } } as BackupPlan);
      return (at('west') as Move).ways.find((one) => one.way === 'copy')!.not;
    };
    const itself = { namespace: 'space', store: 'one' };
    expect(saysOf(itself)).toBe('its copies lie in itself');
    for (const into of [
      { ...itself, namespace: 'other' },
      { ...itself, store: 'two' },
      { ...itself, cluster: 'west' }
    ])
      expect(saysOf(into)).not.toBe('its copies lie in itself');
    linked.world('east').put(plan!);
    // The other cluster's class has another name and can't grow: it is said, and the try breaks there.
    for (const name of ['steady', 'steady-block']) linked.remove({ kind: 'StorageClass', namespace: '', name }, 'west');
    linked.send(
      'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: stiff}\nprovisioner: block.standin.example\nvolumeBindingMode: WaitForFirstConsumer\n',
      'west'
    );
    const unfit = (at('west') as Move).unfit;
    expect(unfit).toEqual(["no class does it: stiff can't grow"]);
    const { tried } = moved(linked, 'standby');
    expect(tried.state).toBe('broken');
    expect(tried.steps.map((one) => one.state)).toEqual(['broken', 'waiting', 'waiting', 'waiting']);
    expect(tried.steps[0]!.why).toMatch(/^one waits: .*steady/);
    linked.send(
      'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: supple}\nprovisioner: block.standin.example\nvolumeBindingMode: WaitForFirstConsumer\nallowVolumeExpansion: true\n',
      'west'
    );
    const there = (at('west') as Move).ways[1]!.steps[0]!.sends!.find((one) => one.kind === 'StatefulSet') as ApiObject & {
      kind: 'StatefulSet';
    };
    expect(there.spec.volumeClaimTemplates![0]!.spec.storageClassName).toBe('supple');
    linked.send('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: cut}\nspec: {links: [{to: west, is: cut}]}\n');
    expect(at('west')).toBe('Nothing goes to west: the link east.west is cut (cut).');
  });

  test('goes on from the step that was done, and says what was', () => {
    const linked = pair('primary-standby-sql', { size: '20Gi' });
    const plan = () => (movesTo(facts(linked), 'space', 'one', 'west', draw) as Move).ways.find((one) => one.way === 'standby')!;
    const done = () => plan().steps.map((one) => one.done === true);
    const sends = (nth: number) => acted(linked.world('west'), { type: 'send', objects: plan().steps[nth]!.sends! });
    expect(done()).toEqual([false, false, false, false]);
    // A later step that comes first would promote one that never followed.
    expect(plan().steps.map((one) => one.after)).toEqual([undefined, 1, undefined, 1]);
    sends(0);
    linked.estate.runSettled();
    expect(done()).toEqual([true, false, false, false]);
    // Tried from here the first step has nothing to do.
    expect(moved(linked, 'standby').tried).toMatchObject({ state: 'holds', lost: 0 });
    sends(1);
    linked.later(10_000);
    expect(done()).toEqual([true, true, false, false]);
    expect(plan().steps.every((one) => one.after === undefined)).toBe(true);
    expect(moved(linked, 'copy').tried).toMatchObject({ state: 'broken' });
    sends(3);
    linked.later(5_000);
    expect(linked.ask('west', 'one', { do: 'write', place: 'a', key: 'b', value: 'c' }).outcome).toBe('acknowledged');
    expect(plan().not).toBe('the one in west followed it, and was promoted: let it follow anew on Links');
  });

  test('a last copy that was taken by hand is the one that is put back, and says what it lacks', () => {
    const linked = pair('primary-standby-sql', { size: '20Gi' });
    const steps = () => (movesTo(facts(linked), 'space', 'one', 'west', draw) as Move).ways.find((one) => one.way === 'copy')!.steps;
    const sends = (cluster: string, nth: number) => acted(linked.world(cluster), { type: 'send', objects: steps()[nth]!.sends! });
    expect(steps().map((one) => one.after)).toEqual([undefined, 1, 1]);
    expect(linked.ask('east', 'one', { do: 'write', place: 'a', key: 'b', value: 'c' }).outcome).toBe('acknowledged');
    sends('west', 0);
    linked.estate.runSettled();
    sends('east', 1);
    linked.estate.runSettled();
    expect(steps().map((one) => [one.done, one.after])).toEqual([
      [true, undefined],
      [true, undefined],
      [undefined, undefined]
    ]);
    expect(steps()[1]!.says).toMatch(/^It was copied by one-last at T\+.*: what was written since is not in it\./);
    sends('west', 2);
    linked.estate.runSettled();
    expect(linked.ask('west', 'one', { do: 'read', place: 'a', key: 'b' })).toMatchObject({
      outcome: 'acknowledged',
      says: expect.stringMatching(/^written at position/)
    });
    // It was put back: the next move takes a copy of its own.
    expect(JSON.stringify(steps()[1]!.sends)).toContain('one-last-2');
  });

  test('one that follows another is not moved, and where nobody can write nothing is said to hold', () => {
    const linked = pair('primary-standby-sql');
    const nodes = facts(linked)
      .list('Node')
      .map((one) => one.metadata.name);
    linked.send(`apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: dark}\nspec: {dark: [${nodes.slice(1).join(', ')}]}\n`);
    linked.later(20_000);
    const { tried } = moved(linked, 'standby');
    expect(tried).toMatchObject({ state: 'broken', pauseMs: 0 });
    expect(tried.lost).toBeUndefined();
    expect(tried.steps.map((one) => one.state)).toEqual(['broken', 'waiting', 'waiting', 'waiting']);
    expect(tried.steps[0]!.why).toMatch(/^nothing can be written to it even before: /);
    linked.send(
      'apiVersion: standin.example/v1\nkind: Mirror\nmetadata: {name: m, namespace: space}\nspec: {workload: one, from: {cluster: west, namespace: space, workload: one}}\n'
    );
    expect(movesTo(facts(linked), 'space', 'one', 'west')).toBe('one follows one of west: promote it, or move that one.');
  });

  test('secrets of the new one are its own, and nothing names addresses of the old cluster', () => {
    const linked = pair('primary-standby-sql');
    const [inner] = facts(linked).list('Service', 'space');
    const { selector, ports } = inner!.spec;
    linked.send(
      JSON.stringify({
        apiVersion: 'v1',
        kind: 'Service',
        metadata: { name: 'one-outside', namespace: 'space' },
        spec: { type: 'NodePort', selector, ports }
      })
    );
    expect(facts(linked).get('Service', 'space', 'one-outside')!.spec.ports![0]!.nodePort).toBeDefined();
    const move = movesTo(facts(linked), 'space', 'one', 'west', () => 'drawn') as Move;
    const objects = move.ways[1]!.steps[0]!.sends!;
    const secrets = objects.filter((one) => one.kind === 'Secret') as (ApiObject & { stringData: Record<string, string>; data?: object })[];
    expect(secrets.length).toBeGreaterThan(0);
    for (const one of secrets)
      expect([Object.values(one.stringData).every((text) => text === 'drawn'), one.data]).toEqual([true, undefined]);
    const text = JSON.stringify(objects);
    expect(text).toContain('one-outside');
    expect(text).not.toContain('nodePort');
    for (const { spec } of facts(linked).list('Service', 'space'))
      if (spec.clusterIP && spec.clusterIP !== 'None') expect(text).not.toContain(spec.clusterIP);
  });
});
