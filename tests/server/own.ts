import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll } from 'vitest';
import type { Answer } from '$server/services';
import type { createApp } from '$server/services/app';

/** An application of a test's own, with data in a folder of its own. */
export type OwnApp = Awaited<ReturnType<typeof createApp>>;

const folders: string[] = [];
afterAll(() => {
  for (const one of folders) rmSync(one, { recursive: true, force: true });
});
/** A new folder, gone after the tests of a file. */
export function folder(): string {
  const made = mkdtempSync(join(tmpdir(), 'root-barn-test-'));
  folders.push(made);
  return made;
}

/** What a service gives, which has to be given. */
export async function value<T>(answer: Promise<Answer<T>>): Promise<T> {
  const given = await answer;
  if (!given.ok) throw new Error(given.refusal.detail);
  return given.value;
}

/** SHA-256 over all changes of a rehearsal up to its clock's head. */
export const hashOf = async (app: OwnApp, id: string): Promise<string> => (await value(app.rehearsals.journal(id, 0, undefined, 0))).hash;

/** A small object to send. */
export const map = (name: string, text = 'a') =>
  ({ apiVersion: 'v1', kind: 'ConfigMap', metadata: { name, namespace: 'default' }, data: { a: text } }) as never;
