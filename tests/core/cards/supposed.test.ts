/* What is supposed of programs and drivers, piece by piece: ports, settings, names, proposals, answers. */
import { describe, expect, test } from 'vitest';
import { check } from '$core/checker';
import { assumptionsOf, groundOfDump } from '$core/dumps';
import { answerFault } from '$core/shared';
import { likenesses, proposedFor } from '$core/dumps/likeness';
import type { ApiObject, Facts } from '$core/model';
import { asManifest } from '$core/manifest';
import { rootLine } from '$core/rootline';
import { World, type Store } from '$core/standin';
import { objects } from '../help';
import { ask, must } from '../roomy';
import { strangeFacts } from './facts';
import { image, takenMs } from './strange';

const rehearsed = (answers: Record<string, string>, facts: Facts = strangeFacts()): World =>
  World.create({ seed: 3, ground: groundOfDump(facts, takenMs, answers), adopted: true });
const like = (value: string) => ({ [`like:${image}`]: value });
const put = (facts: Store, yaml: string): void => objects(yaml).forEach((one) => facts.place(undefined, one));
const cards = (ground: readonly ApiObject[], kind: string) => ground.filter((one) => one.kind === kind).map((one) => one.metadata.name);

test('clients come to the first port that the container names, members to the others', () => {
  const policy = (members: number) =>
    objects(`apiVersion: networking.k8s.io/v1
kind: NetworkPolicy
metadata: {name: kept, namespace: till}
spec:
  podSelector: {matchLabels: {app: ledger}}
  policyTypes: [Ingress]
  ingress:
  - ports: [{port: 6200}]
  - from: [{podSelector: {matchLabels: {app: ledger}}}]
    ports: [{port: ${members}}]
`);
  for (const [members, outcome] of [
    [6201, 'acknowledged'],
    [6999, 'refused']
  ] as const) {
    const world = rehearsed(like('document-set/member'));
    must(world, ...policy(members));
    world.runUntil(world.nowMs + 60_000);
    expect(ask(world, 'till', 'ledger', { do: 'write', key: 'k', value: 'v' }).outcome, String(members)).toBe(outcome);
  }
});

test('what an export lacks of the defaults is no change when it is sent again', () => {
  const facts = strangeFacts();
  const [set] = facts.list('StatefulSet');
  const { replicas, serviceName, selector, template, volumeClaimTemplates } = set!.spec;
  const bare = { ...set!, spec: { replicas, serviceName, selector, template, volumeClaimTemplates } };
  facts.place(facts.find({ kind: 'StatefulSet', namespace: 'till', name: 'ledger' }), bare);
  const world = rehearsed(like('document-set/member'), facts);
  must(world, asManifest({ ...bare, spec: { ...bare.spec, replicas: 2 } } as ApiObject));
  expect(
    world.act({ type: 'send', objects: [asManifest({ ...bare, spec: { ...bare.spec, serviceName: 'other' } } as ApiObject)] })
  ).toMatchObject([{ code: 'immutable-field', at: { field: 'spec.serviceName' } }]);
});

test('settings of a card are read at the start, where the program has none of its own', () => {
  const ground = groundOfDump(strangeFacts(), takenMs, like('primary-standby-sql/member')).map((one) =>
    one.kind === 'EngineCard' ? { ...one, spec: { ...one.spec, settings: { synchronous: '0', privileged: 'yes' } } } : one
  );
  const world = World.create({ seed: 3, ground, adopted: true });
  expect(world.store.get('Process', 'till', 'ledger-0')!.spec.options).toMatchObject({ synchronous: '0', privileged: 'no' });
});

test('what waits has the time that was seen, and drafts are checked as what their programs are taken for', () => {
  const world = rehearsed(like('document-set/member'));
  world.runSettled();
  world.act({ type: 'crash', namespace: 'till', pod: 'ledger-2' });
  const line = () => rootLine(world.store, { kind: 'Pod', namespace: 'till', name: 'ledger-2' })!;
  const ready = () => line().joints.find((one) => one.joint === 'ready');
  for (let i = 0; i < 200 && ready()?.state !== 'settling'; i += 1) world.runUntil(world.nowMs + 500);
  expect(ready()?.settling?.normalMs).toEqual([9_000, 36_000]);

  const set = world.store.get('StatefulSet', 'till', 'ledger')!;
  const text = JSON.stringify({
    apiVersion: 'apps/v1',
    kind: 'StatefulSet',
    metadata: { name: 'even', namespace: 'till' },
    spec: { ...set.spec, replicas: 4, template: { ...set.spec.template, metadata: { labels: { app: 'ledger' } } } }
  });
  expect(check([{ text }], world.store).map((one) => one.code)).toContain('even-quorum');
  expect(check([{ text }], rehearsed({}).store).map((one) => one.code)).not.toContain('even-quorum');
});

test('events about an object that bore the same name before say nothing', () => {
  const stamp = new Date(takenMs - 3_600_000 + 10_000).toISOString();
  const [event] = strangeFacts()
    .list('Event')
    .filter((one) => one.reason === 'Provisioning');
  const before = {
    ...event!,
    metadata: { ...event!.metadata, name: 'a-before' },
    involvedObject: { ...event!.involvedObject, uid: 'another' },
    firstTimestamp: stamp,
    lastTimestamp: stamp
  };
  const facts = strangeFacts(undefined, [before]);
  const found = facts.eventsOf({ kind: 'PersistentVolumeClaim', namespace: 'till', name: event!.involvedObject.name! });
  expect(found.filter((one) => one.reason === 'Provisioning')).toHaveLength(2);
  expect(assumptionsOf(facts).find((one) => one.id === 'times')!.why).toContain('took 5 to 9 s (3 seen)');
});

test('what ships gets no card unless its times were seen; images whose names come out alike get one each', () => {
  const facts = strangeFacts();
  put(facts, 'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: shipped}\nprovisioner: block.standin.example\n');
  for (const [name, program] of [
    ['x', 'a.example/db_x'],
    ['y', 'a.example/db-x']
  ])
    put(
      facts,
      `apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: ${name}, namespace: till}\nspec: {serviceName: ${name}, selector: {matchLabels: {a: ${name}}}, template: {metadata: {labels: {a: ${name}}}, spec: {containers: [{name: m, image: "${program}:1"}]}}}\n`
    );
  const answers = { times: 'no', 'like:a.example/db_x': 'document-set/member', 'like:a.example/db-x': 'log-broker/broker' };
  const ground = groundOfDump(facts, takenMs, answers);
  expect(cards(ground, 'DriverCard')).toEqual(['disks.kiln.example']);
  expect(cards(ground, 'EngineCard')).toEqual(['a.example-db-x', 'a.example-db-x-2']);
  expect(ground.flatMap((one) => (one.kind === 'EngineCard' ? [one.spec.behavesAs?.engine] : [])).sort()).toEqual([
    'document-set',
    'log-broker'
  ]);
});

test('the form alone proposes; helpers are nothing to be taken for', () => {
  const of = (members: number, claims: number, kind = 'StatefulSet') =>
    proposedFor({ image: 'a', of: [{ kind, namespace: 'n', name: 's', members }], claims, ports: [] });
  expect([of(1, 1), of(2, 1), of(3, 1), of(4, 1), of(5, 1), of(4, 2), of(6, 3), of(3, 1, 'Deployment')]).toEqual([
    undefined,
    'primary-standby-sql/member',
    'document-set/member',
    undefined,
    'document-set/member',
    'object-store/member',
    'object-store/member',
    undefined
  ]);
  expect(likenesses.some((one) => one.value.endsWith('/helper'))).toBe(false);
});

describe('answers', () => {
  const choices = [
    { value: 'a', label: 'A' },
    { value: 'b', label: 'B' }
  ];
  test.each([
    ['size', ['10Ti', '1.5Gi', '1Ei', '100'], ['', 'much', '-1Gi', '1e400', '9'.repeat(40)]],
    ['count', ['0', '9999999'], ['', '-1', '1.5', '12345678']],
    ['range', ['10.0.0.0/8', '255.255.255.255/32'], ['256.0.0.0/8', '10.0.0.0/33', '10.0.0/8', 'fd00::/8', '']],
    ['yes-no', ['yes', 'no'], ['', 'Yes', 'maybe']],
    ['choice', ['a', 'b'], ['', 'c', 'constructor']],
    ['several', ['a', 'a, b', 'b a'], ['', ',', 'a, c']],
    ['rights', ['', 'a', 'a, b'], ['c']]
  ] as const)('of the kind %s', (kind, good, bad) => {
    const one = { id: 'x', says: '…', why: '', kind, value: '', choices };
    for (const value of good) expect(answerFault(one, value), `"${value}"`).toBeUndefined();
    for (const value of bad) expect(answerFault(one, value), `"${value}"`).toBeDefined();
  });
});
