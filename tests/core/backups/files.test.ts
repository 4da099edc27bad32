/* Copies of what has no log: shared files as they were closed, images of a shelf. What each gives and doesn't: docs/model.md, "Backup". */
import { describe, expect, test } from 'vitest';
import { judgeBackup } from '$core/backups';
import { rootLine } from '$core/rootline';
import type { World } from '$core/standin';
import { answered, ask, must } from '../roomy';
import { barn, daily, into, later, plan, planOf, returned, run } from './help';

const write = (world: World, key: string, value: string) => ask(world, 'space', 'one', { do: 'write', key, value });
const read = (world: World, key: string) => {
  const { outcome, rows } = ask(world, 'space', 'one', { do: 'read', key });
  return outcome === 'acknowledged' ? rows![0]![1] : undefined;
};

describe('shared files', () => {
  test('are back as they were closed: what was open counts as before it was opened, what came since is gone, a file that was removed is there', () => {
    const world = barn('shared-files');
    write(world, 'charts/a', 'old');
    write(world, 'charts/b', 'kept');
    must(world, ...plan(`how: copy, ${daily}, ${into}`));
    const member = world.store.list('Process', 'space').find((one) => one.spec.workload === 'one')!.metadata.name;
    const opened = ask(world, 'space', 'one', { do: 'open', key: 'charts/a' }, { member });
    const handle = /as (\S+)$/.exec(opened.says!)![1]!;
    expect(ask(world, 'space', 'one', { do: 'write-open', key: handle, value: 'half done' }, { member }).outcome).toBe('acknowledged');
    expect(run(world, 'first')).toMatchObject({ phase: 'Done', rows: 2, says: '2 in all' });
    expect(ask(world, 'space', 'one', { do: 'close', value: handle }, { member }).outcome).toBe('acknowledged');
    expect(read(world, 'charts/a')).toBe('half done');
    ask(world, 'space', 'one', { do: 'delete', key: 'charts/b' });
    write(world, 'charts/c', 'new');
    expect(returned(world, 'into: one', 'no')).toMatchObject({ phase: 'Failed', says: expect.stringContaining('overwritten') });
    const back = returned(world, 'into: one, over: true', 'yes');
    expect(back).toMatchObject({ phase: 'Done', rows: 2, says: '2 in all are back' });
    expect(back.proved).toBe(back.checksum);
    expect(['charts/a', 'charts/b', 'charts/c'].map((one) => read(world, one))).toEqual(['old', 'kept', undefined]);
  });

  test('have no log: a plan that asks for one copies all the same, says so, and its root line breaks there', () => {
    const world = barn('shared-files');
    must(world, ...plan(`how: copy-and-log, ${daily}, logEverySeconds: 30, ${into}`));
    expect(run(world, 'first').phase).toBe('Done');
    later(world, 60_000);
    expect(planOf(world).status!.shipping!.says).toBe('the engine shared-files keeps no log that could be taken away');
    expect(judgeBackup(world.store, 'space', 'one', [planOf(world)]).find((one) => one.id === 'log-stands')).toMatchObject({
      state: 'broken'
    });
    const line = rootLine(world.store, { kind: 'BackupPlan', namespace: 'space', name: 'nightly' })!;
    expect(JSON.stringify(line)).toContain('keeps no log');
  });

  test('go into no database, and a database into no files', () => {
    const world = barn('shared-files');
    write(world, 'a', 'b');
    must(world, ...plan(`how: copy, ${daily}, ${into}`));
    run(world, 'first');
    must(world, ...answered('primary-standby-sql', { namespace: 'space', name: 'two', synchronous: '1' }));
    world.runSettled();
    expect(returned(world, 'into: two')).toMatchObject({ phase: 'Failed', says: expect.stringContaining('the copy is of shared-files') });
  });
});

test('images of a shelf come back with the same digests, and none that came since', () => {
  const world = barn('image-shelf');
  const push = (key: string) => ask(world, 'space', 'one', { do: 'push', key, bytes: 300 }).checksum;
  const digests = [push('tools/a:r1'), push('tools/b:r1')];
  must(world, ...plan(`how: copy, ${daily}, ${into}`));
  expect(run(world, 'first')).toMatchObject({ phase: 'Done', rows: 2 });
  push('tools/b:r1');
  push('tools/c:r1');
  expect(returned(world, 'into: one, over: true')).toMatchObject({ phase: 'Done', rows: 2 });
  const pulled = ['tools/a:r1', 'tools/b:r1', 'tools/c:r1'].map((key) => ask(world, 'space', 'one', { do: 'pull', key }));
  expect(pulled.map((one) => one.outcome)).toEqual(['acknowledged', 'acknowledged', 'refused']);
  expect(pulled.slice(0, 2).map((one) => one.checksum)).toEqual(digests);
  // What is no copy of images is taken by nobody, whatever is written over.
  for (const value of ['', '[]x', '[["tools/a:r1"]]', '[["no image","AAAA"]]', '[["tools/a:r1","!!"]]'])
    expect(ask(world, 'space', 'one', { do: 'put-back', value, count: 1 })).toMatchObject({
      outcome: 'refused',
      says: 'that is no copy of images'
    });
});
