/* Owners, disruptions, names. Sources: "Garbage Collection", "Disruptions" (pod disruption conditions), ObjectMeta v1 meta. */
import { expect, test } from 'vitest';
import { conditionOf } from '$core/model';
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
