/* Owners, disruptions, names. Sources: "Garbage Collection", "Disruptions" (pod disruption conditions), ObjectMeta v1 meta. */
import { expect, test } from 'vitest';
import { removalSheet } from '$core/change';
import { conditionOf, kindEntries } from '$core/model';
import { readManifests } from '$core/manifest';
import { alter, deployment, eventsAbout, get, nodeOf, pod, podsLike, ready, remove, send, set } from './help';

const map = (name: string, owners = '') =>
  `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: ${name}, namespace: space${owners ? `, ownerReferences: [${owners}]` : ''}}\ndata: {a: b}\n---\n`;
const owner = (name: string, uid: string) => `{apiVersion: v1, kind: ConfigMap, name: ${name}, uid: ${uid}}`;

test('what is sent with owners goes with the last of them, and one whose owner was never there goes at once', () => {
  const world = ready();
  send(world, map('one') + map('two'));
  const uid = (name: string) => get(world, 'ConfigMap', name)!.metadata.uid!;
  send(
    world,
    map('both', `${owner('one', uid('one'))}, ${owner('two', uid('two'))}`) +
      map('stray', owner('gone', 'no-such-uid')) +
      map('half', `${owner('one', uid('one'))}, ${owner('gone', 'no-such-uid')}`)
  );
  world.runSettled();
  expect(get(world, 'ConfigMap', 'stray')).toBeUndefined();
  expect(get(world, 'ConfigMap', 'half')!.metadata.ownerReferences).toHaveLength(1);
  remove(world, 'ConfigMap', 'one');
  world.runSettled();
  expect(get(world, 'ConfigMap', 'half')).toBeUndefined();
  expect(get(world, 'ConfigMap', 'both')!.metadata.ownerReferences).toEqual([expect.objectContaining({ name: 'two' })]);
  remove(world, 'ConfigMap', 'two');
  world.runSettled();
  expect(get(world, 'ConfigMap', 'both')).toBeUndefined();
});

test('a pod that is sent away says why', () => {
  const world = ready();
  send(world, deployment('replicas: 1') + pod('plain', 'nodeSelector: {kubernetes.io/hostname: node-b2}'));
  world.runSettled();
  const [one] = podsLike(world, 'd');
  send(world, `apiVersion: standin.example/v1\nkind: Emptying\nmetadata: {name: e}\nspec: {nodes: [${one!.spec.nodeName}]}\n---\n`);
  const why = (name: string) => conditionOf(get(world, 'Pod', name)?.status?.conditions, 'DisruptionTarget')?.reason;
  const until = (name: string) => {
    for (let i = 0; i < 200 && why(name) === undefined; i += 1) world.runUntil(world.nowMs + 100);
    return why(name);
  };
  expect(until(one!.metadata.name)).toBe('EvictionByEvictionAPI');
  const node = world.store.get('Node', '', nodeOf(world, 'plain')!)!;
  alter(world, node.metadata.name, () => ({ spec: { ...node.spec, taints: [{ key: 'own', effect: 'NoExecute' }] } }));
  expect(until('plain')).toBe('DeletionByTaintManager');
});

test("a set whose name leaves no room for its members' labels makes none, and says so; a name to be generated is told apart", () => {
  const world = ready();
  const long = 'n'.repeat(55);
  send(world, set().replaceAll('name: s,', `name: ${long},`));
  world.runUntil(world.nowMs + 30_000);
  expect(podsLike(world, 's')).toEqual([]);
  expect(eventsAbout(world, 'StatefulSet', long).join()).toContain('may have 52');
  const [problem] = readManifests(
    'apiVersion: v1\nkind: Pod\nmetadata: {generateName: a-}\nspec: {containers: [{name: a, image: b}]}\n'
  ).problems;
  expect(problem!.message).toContain('generateName gives a name only where something is created');
});

test('an owner that goes in the foreground stands until all that it owns has gone, level by level', () => {
  const world = ready();
  send(world, deployment('replicas: 2') + pod('other', 'terminationGracePeriodSeconds: 30'));
  world.runSettled();
  send(
    world,
    map(
      'under',
      `{apiVersion: apps/v1, kind: Deployment, name: d, uid: ${get(world, 'Deployment', 'd')!.metadata.uid}, blockOwnerDeletion: false}`
    )
  );
  const sheet = removalSheet(world.store, { kind: 'Deployment', namespace: 'space', name: 'd' }, { foreground: true });
  expect(sheet.goes.at(-1)).toMatchObject({ ref: { kind: 'Deployment' }, says: 'goes once 3 objects before it have gone' });
  world.act({ type: 'remove', foreground: true, ref: { kind: 'Deployment', namespace: 'space', name: 'd' } });
  const left = () =>
    [podsLike(world, 'd').length, world.store.list('ReplicaSet', 'space').length, get(world, 'Deployment', 'd') ? 1 : 0].join(' ');
  const seen = [left()];
  for (const until = world.nowMs + 60_000; world.nowMs < until; world.runUntil(world.nowMs + 10))
    if (left() !== seen.at(-1)) seen.push(left());
  expect(seen).toEqual(['2 1 1', '1 1 1', '0 1 1', '0 0 1', '0 0 0']);
  expect(get(world, 'ConfigMap', 'under')).toBeUndefined();
});

test('a foreign finalizer of something owned holds its owner; in the background it does not', () => {
  const world = ready();
  const both = ['kept', 'free'] as const;
  for (const name of both) send(world, map(name));
  for (const name of both) {
    const { uid } = get(world, 'ConfigMap', name)!.metadata;
    const owned = `{apiVersion: v1, kind: ConfigMap, name: ${name}, uid: ${uid}, blockOwnerDeletion: true}`;
    send(world, map(`of-${name}`, owned).replace('namespace: space', 'namespace: space, finalizers: [example.test/mine]'));
    world.act({ type: 'remove', foreground: name === 'kept', ref: { kind: 'ConfigMap', namespace: 'space', name } });
  }
  world.runSettled();
  expect(both.map((name) => get(world, 'ConfigMap', name) !== undefined)).toEqual([true, false]);
  expect(get(world, 'ConfigMap', 'of-free')!.metadata.deletionTimestamp).toBeDefined();
  send(world, map('of-kept').replace('namespace: space', 'namespace: space, finalizers: []'));
  world.runSettled();
  expect(get(world, 'ConfigMap', 'kept')).toBeUndefined();
});

test('a namespace takes along all that is in it, of every kind', () => {
  const world = ready();
  const rule = (kind: string, api: string, name: string, rest: string) =>
    `apiVersion: ${api}\nkind: ${kind}\nmetadata: {name: ${name}, namespace: space}\n${rest}\n---\n`;
  send(world, map('one') + set() + deployment('replicas: 1'));
  send(world, rule('NetworkPolicy', 'networking.k8s.io/v1', 'p', 'spec: {podSelector: {}, ingress: [{}]}'));
  send(world, rule('PodDisruptionBudget', 'policy/v1', 'b', 'spec: {minAvailable: 1, selector: {matchLabels: {app: d}}}'));
  send(world, rule('Role', 'rbac.authorization.k8s.io/v1', 'r', 'rules: [{apiGroups: [""], resources: [pods], verbs: [get]}]'));
  send(
    world,
    rule('ResourceQuota', 'v1', 'q', 'spec: {hard: {pods: "20"}}') +
      rule('LimitRange', 'v1', 'l', 'spec: {limits: [{type: Container, max: {cpu: "4"}}]}')
  );
  world.runSettled();
  world.act({ type: 'remove', ref: { kind: 'Namespace', namespace: '', name: 'space' } });
  world.runUntil(world.nowMs + 300_000);
  expect(world.store.get('Namespace', '', 'space')).toBeUndefined();
  expect(kindEntries.flatMap((one) => world.store.list(one.kind, 'space').map((two) => `${one.kind} ${two.metadata.name}`))).toEqual([]);
});
