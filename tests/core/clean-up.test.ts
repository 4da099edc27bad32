import { describe, expect, test } from 'vitest';
import { tryCleanUp } from '$core/change';
import { blueprints } from '$core/blueprints';
import { keyOf, kindEntries, refOf, type ApiObject } from '$core/model';
import { asManifest } from '$core/manifest';
import { Estate, replay, type World } from '$core/standin';
import { documentSet, operatedParts } from './estate/help';
import { named, objects } from './help';
import { answered, must, roomy } from './roomy';

const space = 'apiVersion: v1\nkind: Namespace\nmetadata: {name: space}\n';
/** What merely tells, and what comes and goes by itself. */
const telling = new Set(['Event', 'Ask', 'EndpointSlice', 'Lease', 'Process', 'Login']);
const there = ({ store }: World) =>
  new Set(
    kindEntries.flatMap((one) =>
      telling.has(one.kind) ? [] : (store.list(one.kind) as readonly ApiObject[]).map((object) => keyOf(refOf(object)))
    )
  );
const none = { data: false, copies: false };

function deployed(id: string, more: Record<string, string> = {}, before = ''): { world: World; first: Set<string> } {
  const world = roomy({ nodes: 2, capacity: '40000Gi' });
  if (before) must(world, ...objects(before));
  world.runSettled();
  const first = there(world);
  must(world, ...objects(space), ...answered(id, { namespace: 'space', name: 'one', ...more }));
  world.runSettled();
  return { world, first };
}

describe('a clean-up, tried', () => {
  test.each(blueprints.map((one) => one.id))('%s: all of it goes, and nothing stays that is not listed', (id) => {
    const { world, first } = deployed(id, id === 'memory-store' || id === 'document-set' ? { operator: 'without' } : {});
    const made = [...there(world)].filter((key) => !first.has(key));
    expect(made.length).toBeGreaterThan(4);
    const found = tryCleanUp(world, 'space', 'one', none)!;
    expect(found.steps.flatMap((one) => one.stuck)).toEqual([]);
    expect(found.state).toBe('holds');
    const listed = new Set(found.rest.map((one) => keyOf(one.ref)));
    // An operator is there for the whole cluster: it is listed by its deployment.
    const operators = found.rest.filter((one) => one.why.startsWith('the operator'));
    expect(operators.map((one) => one.ref.name)).toEqual(id === 'memory-store' ? ['memory-operator'] : []);
    const ofOperator = (key: string) => operators.length > 0 && /memory-(operator|system)|^CustomResourceDefinition memory/.test(key);
    expect([...there(world)].filter((key) => !first.has(key) && !listed.has(key) && !ofOperator(key))).toEqual([]);
    // Members end before their claims go, and nothing is taken away twice.
    const order = found.steps.map((one) => one.id);
    expect(order).toEqual([...order].sort((a, b) => all.indexOf(a) - all.indexOf(b)));
    const refs = found.steps.flatMap((one) => one.refs.map(keyOf));
    expect(new Set(refs).size).toBe(refs.length);
  });
  const all = ['plans', 'workload', 'beside', 'snapshots', 'claims', 'volumes', 'assets', 'namespace'];

  test('a class that keeps leaves volumes and what backends have; they go in steps of their own', () => {
    const kept =
      'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: kept}\nprovisioner: block.standin.example\nreclaimPolicy: Retain\nvolumeBindingMode: WaitForFirstConsumer\nallowVolumeExpansion: true\n';
    const { world } = deployed('primary-standby-sql', { class: 'kept', size: '20Gi' }, kept);
    const volumes = world.store.list('PersistentVolume').length;
    const backing = () => world.store.list('Asset').filter((one) => one.spec.driver === 'block.standin.example');
    const assets = backing().length;
    expect([volumes, assets]).toEqual([3, 3]);
    const found = tryCleanUp(world, 'space', 'one', none)!;
    expect(found.steps.map((one) => one.id)).toEqual(['workload', 'beside', 'claims', 'volumes', 'assets', 'namespace']);
    expect(found.steps.find((one) => one.id === 'volumes')!.refs).toHaveLength(3);
    expect(found.steps.find((one) => one.id === 'assets')!.refs).toHaveLength(3);
    expect(found.rest).toEqual([]);
    expect(backing()).toEqual([]);
  });

  test('copies in the bucket of another workload are no part of it: they stay, and are listed', () => {
    const { seed, ground, actions, headMs } = named('north-quay');
    const world = replay({ seed, ground }, actions, headMs);
    const found = tryCleanUp(world, 'plans', 'timetable', none)!;
    expect(found.steps[0]).toMatchObject({ id: 'plans', refs: [{ kind: 'BackupPlan', name: 'timetable-copies' }] });
    expect(found.rest).toEqual([
      {
        ref: { kind: 'StatefulSet', namespace: 'keeps', name: 'strongbox' },
        why: '4 copies of it by timetable-copies in the bucket timetable-copies',
        costs: true
      }
    ]);
  });

  test('what others keep in it is said to go with it; behind what does not go nothing is tried', () => {
    const { seed, ground, actions, headMs } = named('north-quay');
    const quay = replay({ seed, ground }, actions, headMs);
    expect(tryCleanUp(quay, 'keeps', 'strongbox', none)!.lost).toEqual([
      {
        ref: { kind: 'BackupPlan', namespace: 'plans', name: 'timetable-copies' },
        why: 'copies of plans/timetable lie in its bucket timetable-copies, and go with it'
      }
    ]);
    // Members whose operator stands in another cluster are made again.
    const estate = Estate.replay(operatedParts(), 90_000);
    estate.world('south')!.act({ type: 'send', objects: [documentSet({ members: 1, clusters: [{ cluster: 'east', members: 1 }] })] });
    estate.runUntil(estate.nowMs + 1_200_000);
    const east = estate.fork().world('east')!;
    const found = tryCleanUp(east, 'people', 'crew', none)!;
    expect(found.state).toBe('broken');
    expect(found.steps.map((one) => one.id)).toEqual(['workload']);
    expect(found.steps[0]!.stuck[0]!.why).toMatch(/^it came back: whoever made it makes it again/);
    expect(found.steps[0]!.tookMs).toBeLessThan(60_000);
    const rest = new Map(found.rest.map((one) => [one.ref.kind, one.why]));
    expect([rest.get('PersistentVolumeClaim'), rest.get('Asset')]).toEqual(['still there', 'the data itself, still there']);
    expect(rest.get('Service')).toBe('not tried, for what comes before it does not go');
  });

  test('claims that go with their set are lost although they were to be kept; of those a class keeps the volumes stay', () => {
    const { world } = deployed('primary-standby-sql', { size: '20Gi' });
    const [set] = world.store.list('StatefulSet', 'space');
    must(
      world,
      asManifest({ ...set!, spec: { ...set!.spec, persistentVolumeClaimRetentionPolicy: { whenDeleted: 'Delete', whenScaled: 'Retain' } } })
    );
    must(
      world,
      ...objects(
        'apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nmetadata: {name: shut, namespace: space}\nspec: {podSelector: {}}\n'
      )
    );
    world.runSettled();
    const found = tryCleanUp(world, 'space', 'one', { data: true, copies: false })!;
    expect(found.state).toBe('broken');
    expect(found.lost.map((one) => one.ref.name).sort()).toEqual(['data-one-0', 'data-one-1', 'data-one-2']);
    // Something else stands in the namespace: it is not taken along.
    const again = deployed('time-series').world;
    must(
      again,
      ...objects(
        'apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nmetadata: {name: shut, namespace: space}\nspec: {podSelector: {}}\n'
      )
    );
    expect(tryCleanUp(again, 'space', 'one', none)!.steps.map((one) => one.id)).not.toContain('namespace');
    expect(again.store.get('NetworkPolicy', 'space', 'shut')).toBeDefined();
  });

  test('what is kept stays and is listed; what others use, too; and the namespace stays with it', () => {
    const { world } = deployed('primary-standby-sql', { size: '20Gi' });
    must(
      world,
      ...objects(
        'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: before, namespace: space}\nspec: {source: {persistentVolumeClaimName: data-one-0}}\n---\napiVersion: apps/v1\nkind: Deployment\nmetadata: {name: reader, namespace: space}\nspec:\n  selector: {matchLabels: {app: reader}}\n  template:\n    metadata: {labels: {app: reader}}\n    spec:\n      containers: [{name: main, image: "shelf.standin.example/tools/writer:r1", envFrom: [{secretRef: {name: one-access}}]}]\n'
      )
    );
    world.runSettled();
    const claims = world.store.list('PersistentVolumeClaim', 'space').map((one) => one.metadata.name);
    expect(claims.length).toBeGreaterThanOrEqual(3);
    const found = tryCleanUp(world, 'space', 'one', { data: true, copies: false })!;
    expect(found.steps.map((one) => one.id)).toEqual([
      'workload',
      'beside',
      ...(world.store.list('VolumeSnapshot').length ? [] : ['snapshots'])
    ]);
    const rest = new Map(found.rest.map((one) => [`${one.ref.kind} ${one.ref.name}`, one]));
    for (const name of claims)
      expect(rest.get(`PersistentVolumeClaim ${name}`)).toMatchObject({ why: 'kept with its data, as was asked', costs: true });
    expect(rest.get('Secret one-access')).toMatchObject({ why: 'others read it too', costs: false });
    expect(world.store.get('Deployment', 'space', 'reader')).toBeDefined();
    expect(world.store.get('Namespace', '', 'space')).toBeDefined();
    expect(tryCleanUp(world, 'space', 'nobody', none)).toBeUndefined();
  });
});
