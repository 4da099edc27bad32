import { expect, test } from 'vitest';
import { removalSheet } from '$core/change';
import { check } from '$core/checker';
import { spreadOut } from '$core/dumps';
import { applyEdits } from '$core/manifest';
import { rootLine } from '$core/rootline';
import { get, pod, podsLike, ready, readyOnes, remove, send, set } from './obeys/help';

/** Figures and places that planted faults showed untested. */

test('a mend of what is written wrongly stands at its own line, in whichever document it is', () => {
  const claim = (indent: string) =>
    `apiVersion: v1\nkind: ConfigMap\nmetadata:\n  name: a\n---\napiVersion: v1\nkind: ConfigMap\nmetadata:\n${indent}name: b\ndata: {k: v}\n`;
  const text = claim('\t');
  const [found] = check([{ text }]).filter((one) => one.code === 'tab-indent');
  expect(found!.at.line).toBe(9);
  expect(applyEdits(text, found!.mend!.edits)).toBe(claim('  '));
});

test('the port that a service means is the one of its own name, else the nearest, else the only one', () => {
  const service = (ports: string, own: string) =>
    `apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: s}\nspec: {serviceName: s, selector: {matchLabels: {a: b}}, template: {metadata: {labels: {a: b}}, spec: {containers: [{name: c, image: i, ports: [${own}]}]}}}\n---\napiVersion: v1\nkind: Service\nmetadata: {name: s}\nspec: {clusterIP: None, selector: {a: b}, ports: [${ports}]}\n`;
  const mends = (ports: string, own: string) =>
    check([{ text: service(ports, own) }])
      .filter((one) => one.code === 'target-port-unheard')
      .map((one) => one.mend?.says);
  const two = '{name: sql, containerPort: 7110}, {name: admin, containerPort: 7111}';
  expect(mends('{name: admin, port: 80}', two)).toEqual(['Write admin']);
  expect(mends('{name: other, port: 80, targetPort: sqll}', two)).toEqual(['Write sql']);
  expect(mends('{name: other, port: 80}', two)).toEqual([undefined]);
  expect(mends('{name: other, port: 80}', '{name: sql, containerPort: 7110}')).toEqual(['Write sql']);
  expect(mends('{name: other, port: 80}', '{containerPort: 7110}')).toEqual(['Write 7110']);
  expect(mends('{name: sql, port: 7110}', two)).toEqual([]);
});

test('items of a typed list get its kind, those that have one keep it, and what is no list is one value', () => {
  const list = (kind: string, items: unknown[]) => [...spreadOut({ apiVersion: 'v1', kind, items })];
  expect(list('PodList', [{ metadata: { name: 'a' } }])).toEqual([{ apiVersion: 'v1', kind: 'Pod', metadata: { name: 'a' } }]);
  expect(list('List', [{ metadata: { name: 'a' } }])).toEqual([{ metadata: { name: 'a' } }]);
  expect(list('PodList', [{ apiVersion: 'v2', kind: 'Other' }, 5])).toEqual([{ apiVersion: 'v2', kind: 'Other' }, 5]);
  expect(list('Pods', [{ a: 1 }])).toEqual([{ apiVersion: 'v1', kind: 'Pods', items: [{ a: 1 }] }]);
  expect([...spreadOut([null, [undefined, { a: 1 }]])]).toEqual([{ a: 1 }]);
});

test('an account that comes lets those members be made that wait for it, and tells others nothing', () => {
  const world = ready();
  send(world, set('', 'one').replace('spec: {containers', 'spec: {serviceAccountName: robot, containers'));
  send(world, set('', 'one').replaceAll('name: s,', 'name: t,').replaceAll('app: s', 'app: t'));
  world.runSettled();
  expect([readyOnes(world, 's'), readyOnes(world, 't')]).toEqual([0, 3]);
  const before = world.calls;
  send(world, 'apiVersion: v1\nkind: ServiceAccount\nmetadata: {name: other, namespace: space}\n');
  world.runSettled();
  expect(podsLike(world, 's')).toHaveLength(0);
  expect(world.calls - before).toBeLessThan(20);
  send(world, 'apiVersion: v1\nkind: ServiceAccount\nmetadata: {name: robot, namespace: space}\n');
  world.runSettled();
  expect(readyOnes(world, 's')).toBe(3);
  remove(world, 'Pod', 't-0');
  world.runSettled();
  expect(readyOnes(world, 't')).toBe(3);
});

test('a program with too little memory says in MiB how much it needs, and its root line says so too', () => {
  const world = ready();
  send(
    world,
    pod('small').replace(
      'shelf.standin.example/tools/t:1',
      'shelf.standin.example/engines/multi-primary-sql:r4, resources: {limits: {memory: 128Mi}}'
    )
  );
  world.runUntil(world.nowMs + 300_000);
  const message = get(world, 'Pod', 'small')!.status!.containerStatuses![0]!.state!.waiting!.message!;
  expect(message).toBe('main was killed at its start: it needs 512 MiB of memory and its limit is 128Mi.');
  const start = rootLine(world.store, { kind: 'Pod', namespace: 'space', name: 'small' })!.joints.find((one) => one.state === 'broken')!;
  expect(start.says).toContain('512 MiB');
});

test('an ephemeral directory holds what its pod brought and has written since it started', () => {
  const world = ready();
  send(
    world,
    pod('desk', 'volumes: [{name: scratch, emptyDir: {}}]').replace(
      'labels: {a: b}',
      'labels: {a: b}, annotations: {standin.example/holds: 1Gi, standin.example/writes-a-day: 24Gi}'
    )
  );
  world.runSettled();
  const lostMib = () =>
    Number(/ (\d+)Mi in all/.exec(removalSheet(world.store, { kind: 'Pod', namespace: 'space', name: 'desk' }).lost[0]!.says)![1]);
  const first = lostMib();
  expect([first >= 1_024, first < 1_040]).toEqual([true, true]);
  world.runUntil(world.nowMs + 6 * 3_600_000);
  expect(lostMib() - first).toBe(6 * 1_024);
});
