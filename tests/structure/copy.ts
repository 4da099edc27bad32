import { cpSync, mkdtempSync, rmSync, symlinkSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { afterAll } from 'vitest';

/** Parts of the project in a folder of their own, with its packages; gone after the tests of a file. */
export function copyOf(...parts: readonly string[]): string {
  const copy = mkdtempSync(join(tmpdir(), 'root-barn-copy-'));
  afterAll(() => rmSync(copy, { recursive: true, force: true }));
  for (const one of ['tsconfig.json', '.svelte-kit', 'package.json', ...parts]) cpSync(one, join(copy, one), { recursive: true });
  symlinkSync(resolve('node_modules'), join(copy, 'node_modules'));
  return copy;
}
