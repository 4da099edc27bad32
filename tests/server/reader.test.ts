import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, test } from 'vitest';
import { readDump } from '../../src/lib/server/dumps/client';

const folder = mkdtempSync(join(tmpdir(), 'reader-'));
afterAll(() => rmSync(folder, { recursive: true }));

/** A reader that hands one part over, says `last` and ends at once. */
function reader(name: string, last: object): string {
  const path = join(folder, `${name}.mjs`);
  writeFileSync(
    path,
    `import { parentPort } from 'node:worker_threads';
     parentPort.postMessage({ part: new Uint8Array(8), count: 1 });
     parentPort.postMessage(${JSON.stringify(last)});
     process.exit();`
  );
  return path;
}
async function* nothing(): AsyncGenerator<Uint8Array> {}

test('a reader that is done may end while a slow disk still takes what it handed over; one that ends before has failed', async () => {
  const kept: number[] = [];
  const calls = {
    hand: async (bytes: Uint8Array) => {
      await new Promise((done) => setTimeout(done, 400));
      kept.push(bytes.byteLength);
    },
    tell: () => undefined,
    signal: new AbortController().signal
  };
  expect(await readDump(reader('done', { done: { objects: 1 } }), nothing(), false, calls)).toEqual({ objects: 1 });
  expect(kept).toEqual([8]);
  await expect(readDump(reader('gone', { taken: 0 }), nothing(), false, calls)).rejects.toThrow('the reader of dumps has ended');
});
