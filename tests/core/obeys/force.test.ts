/* Pods that are taken away by force, and finalizers on pods. Sources: "Force Delete StatefulSet Pods", "Node Shutdowns" (force storage detach on timeout), "Finalizers". */
import { expect, test } from 'vitest';
import { removalSheet } from '$core/change';
import { claimAssetOf, ref } from '../help';
import { alter, eventsAbout, get, markOf, nodeOf, pod, ready, remove, send, set } from './help';

const minute = 60_000;
const outage = (how: string) => `apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: gone}\nspec: {${how}}\n---\n`;
const force = (world: ReturnType<typeof ready>, name: string) => world.act({ type: 'remove', ref: ref('Pod', 'space', name), force: true });

/** A set of three whose member 1 stands on a node that is lost, and has stood there until it is Terminating. */
function lost(how: 'dark' | 'cut') {
  const world = ready();
  send(world, set());
  world.runSettled();
  const node = nodeOf(world, 's-1')!;
  send(world, outage(how === 'dark' ? `dark: [${node}]` : `cut: [[${node}]]`));
  world.runUntil(world.nowMs + 7 * minute);
  expect(get(world, 'Pod', 's-1')!.metadata.deletionTimestamp).toBeDefined();
  return { world, node };
}

test('a member of a lost node comes back six minutes after it was forced away, when its volume is no longer waited for', () => {
  const { world, node } = lost('dark');
  expect(remove(world, 'Pod', 's-1')[0]?.code).toBe('not-sendable');
  const old = get(world, 'Pod', 's-1')!.metadata.uid;
  const sheet = removalSheet(world.store, ref('Pod', 'space', 's-1'), { force: true });
  expect(sheet.risks.map((one) => one.says).join()).toMatch(/has no power.*stays attached to .* for 6 minutes/s);
  expect(force(world, 's-1')).toEqual([]);
  world.runUntil(world.nowMs + 5.5 * minute);
  expect(get(world, 'Pod', 's-1')!.metadata.uid).not.toBe(old);
  expect(eventsAbout(world, 'Pod', 's-1').join()).toContain(`is attached to ${node}`);
  expect(get(world, 'Pod', 's-1')!.status!.phase).toBe('Pending');
  world.runUntil(world.nowMs + 2 * minute);
  expect(get(world, 'Pod', 's-1')!.status!.phase).toBe('Running');
  expect(nodeOf(world, 's-1')).not.toBe(node);
});

test('a node that is marked as out of service, or comes back, is not waited for', () => {
  for (const way of ['taint', 'back'] as const) {
    const { world, node } = lost('cut');
    force(world, 's-1');
    world.runUntil(world.nowMs + 5_000);
    if (way === 'taint') {
      const one = world.store.get('Node', '', node)!;
      alter(world, node, () => ({
        spec: { ...one.spec, taints: [...(one.spec?.taints ?? []), { key: 'node.kubernetes.io/out-of-service', effect: 'NoExecute' }] }
      }));
    } else world.act({ type: 'remove', ref: ref('Outage', '', 'gone') });
    world.runUntil(world.nowMs + 2 * minute);
    expect(get(world, 'Pod', 's-1')!.status!.phase, way).toBe('Running');
  }
});

test('on a node that is heard of a forced pod ends at once, without its time to stop', () => {
  const world = ready();
  send(world, set('', 'one'));
  world.runSettled();
  const sheet = removalSheet(world.store, ref('Pod', 'space', 's-0'), { force: true });
  expect(sheet.risks.map((one) => one.says).join()).toContain('is ended at once by');
  const before = world.nowMs;
  force(world, 's-0');
  world.runUntil(before + 1_000);
  expect(get(world, 'Pod', 's-0')!.metadata.creationTimestamp).not.toBeUndefined();
  world.runSettled();
  expect([get(world, 'Pod', 's-0')!.status!.phase, markOf(get(world, 'Pod', 's-0'))]).toEqual(['Running', 'one']);
});

test('two programs spoil a volume that is attached to nobody, and the second one hears of it', () => {
  const { world, node } = lost('cut');
  // The same volume as a share: nothing keeps the old program off it.
  const driver = world.store.get('CSIDriver', '', 'block.standin.example')!;
  world.put({ ...driver, spec: { ...driver.spec, attachRequired: false } });
  const share = claimAssetOf(world, 'space', 'd-s-1')!;
  world.put({ ...share, status: { ...share.status, attachedTo: [] } });
  const sheet = removalSheet(world.store, ref('Pod', 'space', 's-1'), { force: true });
  expect(sheet.risks.map((one) => one.says).join()).toMatch(/runs on.*writing into it at once/s);
  force(world, 's-1');
  world.runUntil(world.nowMs + 3 * minute);
  expect(nodeOf(world, 's-1')).not.toBe(node);
  expect(eventsAbout(world, 'Pod', 's-1').join()).toContain('two programs write at once');
  const stored = claimAssetOf(world, 'space', 'd-s-1')!;
  expect(stored.status!.store!.rows.at(-1)![1]).toMatch(/\?$/);
});

test("a pod with somebody's finalizer ends its containers and stays until it is taken off", () => {
  const world = ready();
  send(world, pod('kept').replace('name: kept', 'name: kept, finalizers: [example.test/hold]'));
  world.runSettled();
  remove(world, 'Pod', 'kept');
  world.runSettled();
  expect(get(world, 'Pod', 'kept')!.status!.phase).toBe('Succeeded');
  const kept = get(world, 'Pod', 'kept')!;
  world.put({ ...kept, metadata: { ...kept.metadata, finalizers: [] } });
  world.runSettled();
  expect(get(world, 'Pod', 'kept')).toBeUndefined();
});

test('a forced pod that a finalizer holds goes when that is taken off, though its node is not heard of', () => {
  const world = ready();
  const held = pod('kept').replace('name: kept', 'name: kept, finalizers: [example.test/hold]');
  send(world, held);
  world.runSettled();
  send(world, outage(`cut: [[${nodeOf(world, 'kept')}]]`));
  world.runUntil(world.nowMs + minute);
  force(world, 'kept');
  world.runUntil(world.nowMs + minute);
  expect(get(world, 'Pod', 'kept')).toBeDefined();
  send(world, held.replace('[example.test/hold]', '[]'));
  world.runUntil(world.nowMs + 1_000);
  expect(get(world, 'Pod', 'kept')).toBeUndefined();
});
