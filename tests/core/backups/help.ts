/* What the tests of copies share: a database and an object store side by side, and ways to run plans and returns to their ends. */
import { expect } from 'vitest';
import type { BackupPlan, BackupReturn, BackupRun } from '$core/model';
import type { World } from '$core/standin';
import { objects } from '../help';
import { answered, ask, must, roomy } from '../roomy';

export const plan = (spec: string, name = 'nightly') =>
  objects(
    `apiVersion: standin.example/v1\nkind: BackupPlan\nmetadata: {name: ${name}, namespace: space}\nspec: {workload: one, ${spec}}\n`
  );
export const into = 'into: {namespace: space, store: shed, bucket: copies}';
export const daily = 'schedule: "0 3 * * *"';

/** A database and an object store with a bucket, side by side. */
export function barn(engine = 'primary-standby-sql', bucket = true, synchronous = '1'): World {
  const world = roomy({ nodes: 2 });
  must(world, ...objects('apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n'));
  must(world, ...answered(engine, { namespace: 'space', name: 'one', ...(engine === 'primary-standby-sql' ? { synchronous } : {}) }));
  must(world, ...answered('object-store', { namespace: 'space', name: 'shed' }));
  world.runSettled();
  if (bucket) expect(ask(world, 'space', 'shed', { do: 'make-bucket', place: 'copies' }).outcome).toBe('acknowledged');
  return world;
}
export const write = (world: World, key: string, value = key, place = 'seats') =>
  expect(ask(world, 'space', 'one', { do: 'write', place, key, value })).toMatchObject({ outcome: 'acknowledged' });
export const rowsOf = (world: World, workload: string, place = 'seats') =>
  ask(world, 'space', workload, { do: 'list', place }).rows!.map(([key]) => key);
export const later = (world: World, ms: number) => world.runUntil(world.nowMs + ms);
/** Sends a run or a return by its name, and doesn't wait. */
export const begin = (world: World, kind: 'BackupRun' | 'BackupReturn', name: string, spec: string): void =>
  must(world, ...objects(`apiVersion: standin.example/v1\nkind: ${kind}\nmetadata: {name: ${name}, namespace: space}\nspec: {${spec}}\n`));
export const run = (world: World, name: string, ofPlan = 'nightly'): NonNullable<BackupRun['status']> => {
  begin(world, 'BackupRun', name, `plan: ${ofPlan}`);
  for (let n = 0; n < 400; n += 1) {
    const { status } = world.store.get('BackupRun', 'space', name)!;
    if (status && status.phase !== 'Running') return status;
    later(world, 2_000);
  }
  throw new Error(`${name} never ended`);
};
export const returned = (world: World, spec: string, name = 'back'): NonNullable<BackupReturn['status']> => {
  begin(world, 'BackupReturn', name, `plan: nightly, ${spec}`);
  for (let n = 0; n < 600; n += 1) {
    const { status } = world.store.get('BackupReturn', 'space', name)!;
    if (status && (status.phase === 'Done' || status.phase === 'Failed')) return status;
    later(world, 2_000);
  }
  throw new Error(`${name} never ended`);
};
export const planOf = (world: World): BackupPlan => world.store.get('BackupPlan', 'space', 'nightly')!;
export const second = (world: World) =>
  must(world, ...answered('primary-standby-sql', { namespace: 'space', name: 'two', synchronous: '1' }));
/** A plan with its first copy of one row, and another workload of the same make beside it, which may still be on its way. */
export function copiedOnce(world: World): void {
  must(world, ...plan(`how: copy, ${daily}, ${into}`));
  write(world, 'a');
  run(world, 'first');
  second(world);
}
