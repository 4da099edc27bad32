/* Copies that hold only what has changed, and copies that nobody opens without their secret. */
import { encode } from 'js-base64';
import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { figuresOf, judgeBackup, roomAhead } from '$core/backups';
import { judge } from '$core/manifest';
import { builtOn, changesSince, openedText, printsOf, sealedText } from '$core/standin/control/backup/documents';
import { textOfNamed } from '$core/standin/engines/copies';
import { withBases } from '$core/standin';
import type { ApiObject } from '$core/model';
import type { World } from '$core/standin';
import { objects } from '../help';
import { ask, must } from '../roomy';
import { barn, begin, daily, into, later, plan, planOf, returned, rowsOf, run, second, write } from './help';

const statusOf = (world: World, name: string) => world.store.get('BackupRun', 'space', name)!.status!;
const objectOf = (world: World, name: string) =>
  ask(world, 'space', 'shed', { do: 'fetch', place: 'copies', key: statusOf(world, name).key! }).rows?.[0]?.[1];
const put = (world: World, key: string, value: string) =>
  expect(ask(world, 'space', 'shed', { do: 'put', place: 'copies', key, value }).outcome).toBe('acknowledged');

test('what has changed, put on what was before, is what there is; whatever both are', () => {
  const rows = fc.uniqueArray(fc.tuple(fc.string({ maxLength: 4 }), fc.string({ maxLength: 4 })), {
    selector: ([name]) => name,
    maxLength: 12
  });
  fc.assert(
    fc.property(rows, rows, (before, after) => {
      const [old, now] = [textOfNamed(before), textOfNamed(after)];
      const changes = changesSince(now, printsOf(old));
      const copy = { workload: '', engine: '', position: 0, momentMs: 0, checksum: '', base: 'first', ...changes };
      expect(builtOn(old, copy)).toBe(now);
      // Nothing that stayed is copied again.
      expect(changesSince(old, printsOf(old))).toEqual({ tables: '[]', gone: [] });
    }),
    { numRuns: 200 }
  );
});

describe('copies of changes', () => {
  /** A whole copy of `a` and `b`, then one with `c` and without `b`, then one with another `a`. */
  const chain = (more = '') => {
    const world = barn();
    must(world, ...plan(`how: copy, ${daily}, ${into}, fullEvery: 3${more}`));
    write(world, 'a', 'one');
    write(world, 'b');
    run(world, 'first');
    write(world, 'c');
    expect(ask(world, 'space', 'one', { do: 'delete', place: 'seats', key: 'b' }).outcome).toBe('acknowledged');
    run(world, 'second');
    write(world, 'a', 'two');
    run(world, 'third');
    return world;
  };

  test('hold only what is new, lead back each to its own moment, and after so many one is whole again', () => {
    const world = chain();
    expect(['first', 'second', 'third'].map((one) => statusOf(world, one).base)).toEqual([undefined, 'first', 'second']);
    expect(statusOf(world, 'second').says).toMatch(/^\d+ rows at position \d+, as changes since first$/);
    const held = JSON.parse(objectOf(world, 'second')!) as { tables: string; gone: string[] };
    expect([JSON.parse(held.tables), held.gone]).toEqual([[['seats/c', 'c']], ['seats/b']]);
    expect(run(world, 'fourth').base).toBeUndefined();
    write(world, 'a', 'three');
    expect(returned(world, 'into: one, over: true, run: second', 'back-2')).toMatchObject({ phase: 'Done' });
    expect(rowsOf(world, 'one').sort()).toEqual(['a', 'c']);
    const read = () => ask(world, 'space', 'one', { do: 'read', place: 'seats', key: 'a' }).rows;
    expect(read()).toEqual([['a', 'one']]);
    expect(returned(world, 'into: one, over: true, run: third', 'back-3')).toMatchObject({ phase: 'Done' });
    expect(read()).toEqual([['a', 'two']]);
    expect(world.store.get('BackupReturn', 'space', 'back-3')!.status!.proved).toBe(statusOf(world, 'third').checksum);
  });

  test('carry so much less as has changed, and what comes back is all that they build on', () => {
    const world = barn();
    must(world, ...plan(`how: copy, ${daily}, ${into}, fullEvery: 5`));
    for (let n = 0; n < 40; n += 1) write(world, `k${n}`, 'v'.repeat(50));
    const whole = run(world, 'first').bytes!;
    write(world, 'k0', 'w'.repeat(50));
    const part = run(world, 'second').bytes!;
    expect(part).toBeLessThan(whole / 10);
    // Of the newest: the whole one, and the changes behind it.
    const { backMs, bytes } = figuresOf(world.store, planOf(world));
    expect(bytes).toBe(whole);
    expect(backMs[0]).toBeGreaterThanOrEqual(2_000);
    const room = roomAhead(world.store, planOf(world));
    // Five are kept, and those that the oldest of them builds on: by the schedule each fifth is whole.
    const most = Math.max(...room.points.map((one) => one.copies));
    expect(most).toBeGreaterThanOrEqual(5);
    expect(most).toBeLessThanOrEqual(9);
    expect(room.mostBytes).toBeLessThan(most * whole);
  });

  test('what a kept one builds on is kept with it', () => {
    const world = barn();
    must(world, ...plan(`how: copy, ${daily}, ${into}, fullEvery: 3, keep: {newest: 1}`));
    for (const [n, name] of ['first', 'second', 'third', 'fourth'].entries()) {
      write(world, `k${n}`);
      run(world, name);
      later(world, 5_000);
      // The fourth is whole: those before it go.
      const left = world.store.list('BackupRun', 'space').map((one) => one.metadata.name);
      expect(left.sort()).toEqual(
        { first: ['first'], second: ['first', 'second'], third: ['first', 'second', 'third'], fourth: ['fourth'] }[name]
      );
    }
    const rows = [1, 2, 3, 4].map((n) => ({ name: `r${n}`, momentMs: n, status: { 4: { base: 'r2' }, 2: { base: 'r1' } }[n] ?? {} }));
    expect([...withBases(new Set([rows[3]!]), rows)].map((one) => one.name)).toEqual(['r1', 'r2', 'r4']);
    // One whose base is gone stays by itself.
    expect([...withBases(new Set([rows[3]!]), rows.slice(2))].map((one) => one.name)).toEqual(['r4']);
  });

  test('with the one gone that they build on they open to nothing, and the next copy is whole', () => {
    const world = chain();
    world.act({ type: 'remove', ref: { kind: 'BackupRun', namespace: 'space', name: 'second' } });
    later(world, 1_000);
    const torn = judgeBackup(world.store, 'space', 'one', [planOf(world)]).find((one) => one.id === 'chain-torn');
    expect(torn).toMatchObject({ state: 'broken', says: expect.stringContaining('third') });
    expect(returned(world, 'into: one, over: true, run: third', 'no')).toMatchObject({
      phase: 'Failed',
      says: 'what third builds on is there no more'
    });
    expect(run(world, 'fourth').base).toBeUndefined();
    // An object of the chain that was spoilt is found out, whichever it is.
    const other = chain();
    put(other, statusOf(other, 'second').key!, objectOf(other, 'third')!);
    expect(returned(other, 'into: one, over: true, run: third', 'no')).toMatchObject({
      phase: 'Failed',
      says: expect.stringMatching(/checksum differs|is no copy/)
    });
  });

  test('another bucket begins anew, and a plan that is taken away and sent again too', () => {
    const world = chain();
    expect(ask(world, 'space', 'shed', { do: 'make-bucket', place: 'others' }).outcome).toBe('acknowledged');
    must(world, ...plan(`how: copy, ${daily}, into: {namespace: space, store: shed, bucket: others}, fullEvery: 9`));
    expect(run(world, 'elsewhere').base).toBeUndefined();
    expect(run(world, 'there').base).toBe('elsewhere');
    world.act({ type: 'remove', ref: { kind: 'BackupPlan', namespace: 'space', name: 'nightly' } });
    later(world, 1_000);
    must(world, ...plan(`how: copy, ${daily}, into: {namespace: space, store: shed, bucket: others}, fullEvery: 9`));
    expect(run(world, 'anew').base).toBeUndefined();
  });
});

describe('sealed copies', () => {
  const secret = (value: string, key = 'copies') =>
    objects(`apiVersion: v1\nkind: Secret\nmetadata: {name: safe, namespace: space}\ndata: {${key}: ${encode(value)}}\n`);
  const sealed = `how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}, fullEvery: 2, seal: {secret: safe, key: copies}`;
  const standing = () => {
    const world = barn();
    must(world, ...secret('open sesame'));
    must(world, ...plan(sealed));
    write(world, 'a', 'nobody reads this');
    expect(run(world, 'first')).toMatchObject({ phase: 'Done', sealed: true });
    write(world, 'b');
    run(world, 'second');
    later(world, 40_000);
    write(world, 'c', 'nor this');
    later(world, 40_000);
    return world;
  };

  test('nothing of them lies open in the bucket, log included; with the secret all of it comes back', () => {
    const world = standing();
    const pieces = planOf(world).status!.pieces!;
    const texts = [
      objectOf(world, 'first')!,
      objectOf(world, 'second')!,
      ...pieces.map((one) => ask(world, 'space', 'shed', { do: 'fetch', place: 'copies', key: one.key }).rows![0]![1])
    ];
    expect(texts.length).toBeGreaterThanOrEqual(3);
    for (const text of texts) {
      expect(text).toMatch(/^sealed:/);
      expect(text).not.toMatch(/seats|nobody|nor this/);
    }
    expect(new Set(texts.map((one) => one.split('.')[0])).size).toBe(texts.length);
    const back = returned(world, 'into: one, over: true');
    expect(back).toMatchObject({ phase: 'Done' });
    expect(rowsOf(world, 'one').sort()).toEqual(['a', 'b', 'c']);
    const said = judgeBackup(world.store, 'space', 'one', [planOf(world)]).find((one) => one.id === 'seal-here');
    expect(said).toMatchObject({
      state: 'doubt',
      says: 'nobody opens the copies without copies of the secret safe, and that is in none of them'
    });
  });

  test('without the secret, with another one, and where somebody altered them they open to nobody, and that is said', () => {
    const world = standing();
    second(world);
    world.runSettled();
    must(world, ...secret('another'));
    expect(returned(world, 'into: two', 'other')).toMatchObject({
      phase: 'Failed',
      says: expect.stringContaining('sealed with another secret than safe has now')
    });
    world.act({ type: 'remove', ref: { kind: 'Secret', namespace: 'space', name: 'safe' } });
    later(world, 1_000);
    expect(returned(world, 'into: two', 'none')).toMatchObject({
      phase: 'Failed',
      says: expect.stringContaining('is sealed, and there is no secret safe')
    });
    expect(run(world, 'third')).toMatchObject({ phase: 'Failed', says: 'there is no secret safe to seal with' });
    must(world, ...secret('open sesame', 'elsewhere'));
    expect(run(world, 'fourth')).toMatchObject({ phase: 'Failed', says: 'the secret safe has no copies' });
    must(world, ...plan(`how: copy, ${daily}, ${into}`));
    expect(returned(world, 'into: two', 'open')).toMatchObject({
      phase: 'Failed',
      says: expect.stringContaining('the plan names no secret')
    });
    must(world, ...secret('open sesame'), ...plan(sealed));
    const text = objectOf(world, 'first')!;
    put(world, statusOf(world, 'first').key!, `${text.slice(0, -6)}${text.at(-6) === 'A' ? 'B' : 'A'}${text.slice(-5)}`);
    expect(returned(world, 'into: two', 'altered')).toMatchObject({ phase: 'Failed', says: expect.stringContaining('or was altered') });
  });

  test('any text opens with its own secret alone', () => {
    fc.assert(
      fc.property(fc.string(), fc.string(), fc.string(), (text, one, other) => {
        const box = sealedText(text, one, 'here');
        expect(openedText(box, one)).toBe(text);
        if (one !== other) expect(openedText(box, other)).toBeUndefined();
      }),
      { numRuns: 60 }
    );
    expect(['sealed:', 'sealed:x', 'sealed:AA.AA', 'sealed:..'].map((one) => openedText(one, 'a'))).toEqual(Array(4).fill(undefined));
  });
});

test('what counts for copies through an engine alone is refused for snapshots', () => {
  const faultsOf = (more: object) => {
    const one = plan(`how: snapshots, ${daily}`)[0] as ApiObject & { spec: object };
    return judge({ ...one, spec: { ...one.spec, ...more } }).faults.map(({ path, remedy }) => `${path.join('.')}: ${remedy}`);
  };
  expect([faultsOf({}), faultsOf({ fullEvery: 1 }), faultsOf({ fullEvery: 2 }), faultsOf({ seal: { secret: 'a', key: 'b' } })]).toEqual([
    [],
    [],
    ['spec.fullEvery: Leave it out.'],
    ['spec.seal: Leave it out.']
  ]);
});

test('a run that is under way when its plan changes ends as one of them, and the next builds on what is there', () => {
  const world = barn();
  must(world, ...plan(`how: copy, ${daily}, ${into}, fullEvery: 4`));
  write(world, 'a');
  run(world, 'first');
  write(world, 'b');
  begin(world, 'BackupRun', 'second', 'plan: nightly');
  later(world, 500);
  must(world, ...plan(`how: copy, ${daily}, ${into}, fullEvery: 1`));
  later(world, 60_000);
  expect(statusOf(world, 'second')).toMatchObject({ phase: 'Done', base: 'first' });
  expect(run(world, 'third').base).toBeUndefined();
});
