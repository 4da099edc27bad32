import { expect, test } from 'vitest';
import { inOrder } from '$ui/in-order';

test('wishes of one page reach a rehearsal in their order; a run of the clock, another rehearsal and reading hold nothing up', async () => {
  const begun: string[] = [];
  const ends = new Map<string, (failed?: Error) => void>();
  const ask = (name: string) => () => {
    begun.push(name);
    return new Promise<string>((resolve, reject) => ends.set(name, (failed) => (failed ? reject(failed) : resolve(name))));
  };
  const settled = () => new Promise((resolve) => setTimeout(resolve));
  const send = inOrder('POST', '/rehearsals/a/objects', ask('send'));
  const run = inOrder('POST', '/rehearsals/a/clock', ask('run'));
  void inOrder('POST', '/rehearsals/b/clock', ask('elsewhere'));
  void inOrder('GET', '/rehearsals/a/objects?kind=Pod', ask('reading'));
  void inOrder('POST', '/rehearsals/a/look', ask('looking'));
  await settled();
  expect(begun).toEqual(['send', 'elsewhere', 'reading', 'looking']);
  ends.get('send')!(new Error('lost'));
  await expect(send).rejects.toThrow('lost');
  await settled();
  expect(begun.at(-1)).toBe('run');
  // What runs until it is settled can be stopped, and undone.
  void inOrder('POST', '/rehearsals/a/clock', ask('stop'));
  await settled();
  expect(begun.at(-1)).toBe('stop');
  void inOrder('POST', '/rehearsals/a/undo', ask('undo'));
  void inOrder('DELETE', '/rehearsals/a', ask('end'));
  await settled();
  expect(begun.at(-1)).toBe('undo');
  ends.get('undo')!();
  await settled();
  expect(begun.at(-1)).toBe('end');
  ends.get('run')!();
  expect(await run).toBe('run');
});
