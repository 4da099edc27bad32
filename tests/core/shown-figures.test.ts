/* Figures, words and offers that planted faults showed untested, one by one. */
import { expect, test } from 'vitest';
import { answerFaults, blueprintNamed, firstAnswers } from '$core/blueprints';
import { removalSheet } from '$core/change';
import { check } from '$core/checker';
import { rootLine } from '$core/rootline';
import { waitingForDriver } from '../fixtures/exports/case';
import { condition, healthy, space } from '../fixtures/exports/cluster';
import { kept } from './kept';
import { get, pod, ready, send } from './obeys/help';
import { roomy } from './roomy';

test('a mount of no volume is mended by the volume that is meant: of the pod, of a template, or the claim template of a set', () => {
  const mends = (text: string) =>
    check([{ text }])
      .filter((one) => one.code === 'mount-without-volume')
      .map((one) => one.mend?.says);
  const container = (mount: string) => `containers: [{name: c, image: i, volumeMounts: [{name: ${mount}, mountPath: /x}]}]`;
  const empties = (...names: string[]) => `volumes: [${names.map((one) => `{name: ${one}, emptyDir: {}}`).join(', ')}]`;
  const alone = (mount: string, ...names: string[]) =>
    `apiVersion: v1\nkind: Pod\nmetadata: {name: p}\nspec: {${container(mount)}, ${empties(...names)}}\n`;
  expect(mends(alone('ledgr', 'ledger', 'cache'))).toEqual(['Write ledger']);
  expect(mends(alone('other', 'ledger', 'cache'))).toEqual([undefined]);
  expect(mends(alone('other', 'ledger'))).toEqual(['Write ledger']);
  expect(mends(`apiVersion: v1\nkind: Pod\nmetadata: {name: p}\nspec: {${container('other')}}\n`)).toEqual([undefined]);
  const made = (kind: string, template: string, more = '') =>
    `apiVersion: apps/v1\nkind: ${kind}\nmetadata: {name: d}\nspec: {selector: {matchLabels: {a: b}}, template: {metadata: {labels: {a: b}}, spec: {${template}}}${more}}\n`;
  expect(mends(made('Deployment', `${container('cachee')}, ${empties('ledger', 'cache')}`))).toEqual(['Write cache']);
  const claims =
    ', serviceName: d, volumeClaimTemplates: [{metadata: {name: data}, spec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 1Gi}}}}]';
  expect(mends(made('StatefulSet', container('dat'), claims))).toEqual(['Write data']);
});

test('an in-memory store takes as much as its nodes have for databases, every replica counted', () => {
  const blueprint = blueprintNamed('memory-store')!;
  const { store } = roomy();
  const faults = (more: Record<string, string>) =>
    answerFaults(blueprint, { ...firstAnswers(blueprint, store), nodes: '3', size: '10Gi', ...more }, store).map((one) => [
      one.question,
      one.message
    ]);
  // Three nodes of 10 GiB; each replica keeps all of it once more.
  expect(faults({ limit: '8Gi', replicas: '1' })).toEqual([]);
  const [[question, says]] = faults({ limit: '9Gi', replicas: '2' }) as [[string, string]];
  expect(question).toBe('limit');
  expect(says).toMatch(/^9Gi kept 3 times is 27 GiB; 3 nodes have \d+(\.\d+)? GiB for databases\.$/);
  expect(faults({ replicas: '3', limit: '1Gi' })).toEqual([['replicas', 'A primary and 3 replicas need 4 nodes; there are 3.']]);
});

test('a part of a driver that is there and not ready says in what phase it is, where no event tells more', () => {
  const to = healthy();
  waitingForDriver(to);
  to.get('Deployment', 'quarry-controller').status.readyReplicas = 0;
  for (const one of to.docs.filter((two) => two.kind === 'Pod' && String(two.metadata.name).startsWith('quarry-controller')))
    one.status.conditions = [condition('PodScheduled', 'True', 900), condition('Ready', 'False', 60)];
  const line = rootLine(kept(to.docs), { kind: 'Pod', namespace: space, name: 'ledger-2' })!;
  const driver = line.joints.find((one) => one.joint === 'driver')!;
  expect(driver.says).toMatch(/quarry-controller-\S+ is Running and not ready/);
  expect(driver.evidence).toContainEqual(expect.objectContaining({ field: 'status.phase', value: 'Running' }));
});

test('a snapshot whose content is deleted with it says what of which claim nobody can go back to, and as of when', () => {
  const world = ready();
  const text = (name: string) =>
    `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: ${name}, namespace: space}\nspec: {volumeSnapshotClassName: s, source: {persistentVolumeClaimName: a}}\n---\n`;
  send(
    world,
    `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: s}\ndriver: block.standin.example\ndeletionPolicy: Delete\n`
  );
  send(
    world,
    `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: a, namespace: space}\nspec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 1Gi}}}\n---\n${pod('p', 'volumes: [{name: d, persistentVolumeClaim: {claimName: a}}]')}`
  );
  world.runSettled();
  send(world, text('first'));
  world.runSettled();
  const lost = () =>
    removalSheet(world.store, { kind: 'Namespace', namespace: '', name: 'space' })!
      .lost.filter((one) => one.ref?.kind === 'VolumeSnapshot')
      .map((one) => one.says);
  expect(lost()).toEqual([expect.stringMatching(/^what it holds of a as of .+ \(policy Delete\): nobody can go back to it$/)]);
  // Before it was taken it has no moment yet.
  const one = get(world, 'VolumeSnapshot', 'first')!;
  const { creationTime: _, ...status } = one.status!;
  world.put({ ...one, status });
  expect(lost()).toEqual(['what it holds of a (policy Delete): nobody can go back to it']);
});
