import { describe, expect, test } from 'vitest';
import type { World } from '$core/standin';
import { objects, readySouth, send } from './help';

const refusals = (world: World, yaml: string): [string | undefined, string][] =>
  world.act({ type: 'send', objects: objects(yaml) }).map((one) => [one.at.field, one.message]);
const fields = (world: World, yaml: string) => refusals(world, yaml).map(([field]) => field);

const claim = (storage: string, more = '') =>
  `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: data, namespace: tickets}\nspec: {storageClassName: steady-block, accessModes: [ReadWriteOnce], resources: {requests: {storage: ${storage}}}}\n${more}`;
const pod = (name: string, spec = '') =>
  `apiVersion: v1\nkind: Pod\nmetadata: {name: ${name}, namespace: tickets}\nspec: {containers: [{name: main, image: shelf.standin.example/tools/t:1}]${spec}}\n`;
const service = (name: string, spec: string) =>
  `apiVersion: v1\nkind: Service\nmetadata: {name: ${name}, namespace: tickets}\nspec: {ports: [{name: sql, port: 7110}], ${spec}}\n`;

/** south-quay with its class, its driver, and a namespace. */
function ready(): World {
  const world = readySouth();
  send(world, 'apiVersion: v1\nkind: Namespace\nmetadata: {name: tickets}\n');
  world.runSettled();
  return world;
}

describe('what is sent meets what stands', () => {
  test('a status that is sent is dropped: a claim sent as Bound waits like any other', () => {
    const world = ready();
    send(world, claim('1Gi', 'status: {phase: Bound, capacity: {storage: 1Gi}}\n'));
    expect(world.store.get('PersistentVolumeClaim', 'tickets', 'data')!.status).toEqual({ phase: 'Pending' });
    send(world, `${service('front', 'selector: {app: a}')}status: {loadBalancer: {ingress: [{ip: 192.0.2.1}]}}\n`);
    expect(world.store.get('Service', 'tickets', 'front')!.status).toBeUndefined();
    world.runSettled();
    send(world, claim('1Gi', 'status: {phase: Lost}\n'));
    expect(world.store.get('PersistentVolumeClaim', 'tickets', 'data')!.status?.phase).not.toBe('Lost');
  });

  test('what the cluster gives is not sent: versions and identities', () => {
    const world = ready();
    const config = (meta: string) => `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: one, namespace: tickets${meta}}\ndata: {a: b}\n`;
    expect(fields(world, config(', resourceVersion: "12"'))).toEqual(['metadata.resourceVersion']);
    expect(fields(world, config(', uid: 4f0d2f34-0000-4000-8000-000000000000'))).toEqual(['metadata.uid']);
    send(world, config(''));
    const { uid } = world.store.get('ConfigMap', 'tickets', 'one')!.metadata;
    expect(fields(world, config(`, resourceVersion: "12", uid: ${uid}`))).toEqual([]);
    expect(fields(world, config(', uid: 4f0d2f34-0000-4000-8000-000000000000'))).toEqual(['metadata.uid']);
  });

  test('addresses: in the range, free, and kept', () => {
    const world = ready();
    const range = world.store.list('Ground')[0]!.spec.serviceRange!;
    const inside = range.replace(/\.\d+\/\d+$/, '.200');
    expect(fields(world, service('one', 'clusterIP: 192.0.2.9'))).toEqual(['spec.clusterIP']);
    send(world, service('one', `clusterIP: ${inside}`));
    expect(refusals(world, service('two', `clusterIP: ${inside}`))).toEqual([
      ['spec.clusterIP', expect.stringContaining('which Service tickets/one has')]
    ]);
    expect(fields(world, service('one', 'clusterIP: None'))).toEqual(['spec.clusterIP']);
    expect(fields(world, service('one', 'selector: {a: b}'))).toEqual([]);
    send(world, service('three', 'clusterIP: None'));
    expect(fields(world, service('three', `clusterIP: ${inside.replace(/200$/, '201')}`))).toEqual(['spec.clusterIP']);
    const open = (name: string) => service(name, 'type: NodePort').replace('port: 7110', 'port: 7110, nodePort: 30100');
    expect(fields(world, `${open('four')}---\n${open('five')}`)).toEqual(['spec.ports[0].nodePort']);
  });

  test('an account that is not there; one that comes with it is', () => {
    const world = ready();
    expect(fields(world, pod('one', ', serviceAccountName: robot'))).toEqual(['spec.serviceAccountName']);
    const account = 'apiVersion: v1\nkind: ServiceAccount\nmetadata: {name: robot, namespace: tickets}\n';
    expect(fields(world, `${pod('one', ', serviceAccountName: robot')}---\n${account}`)).toEqual([]);
  });

  test('a namespace that is going takes nothing new in', () => {
    const world = ready();
    send(world, claim('1Gi'));
    world.act({ type: 'remove', ref: { kind: 'Namespace', namespace: '', name: 'tickets' } });
    expect(refusals(world, pod('one'))).toEqual([['metadata.namespace', expect.stringContaining('is being deleted')]]);
  });

  test.each([
    ['1.31', ['spec.containers[0].env[0].name']],
    ['1.32', []]
  ])('names of variables as %s has them', (version, refused) => {
    const world = ready();
    const [ground] = world.store.list('Ground');
    world.put({ ...ground!, spec: { ...ground!.spec, version } });
    expect(fields(world, pod('one').replace('name: main,', 'name: main, env: [{name: "1/a", value: x}],'))).toEqual(refused);
  });
});

describe('what stays as it is', () => {
  test('2Gi and 2048Mi are one size in a claim template', () => {
    const world = ready();
    const set = (storage: string) =>
      `apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: s, namespace: tickets}\nspec:\n  serviceName: s\n  replicas: 0\n  selector: {matchLabels: {a: s}}\n  template: {metadata: {labels: {a: s}}, spec: {containers: [{name: main, image: shelf.standin.example/tools/t:1}]}}\n  volumeClaimTemplates:\n  - metadata: {name: data}\n    spec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: ${storage}}}}\n`;
    send(world, set('2Gi'));
    expect(fields(world, set('2048Mi'))).toEqual([]);
    expect(fields(world, set('3Gi'))).toEqual(['spec.volumeClaimTemplates[0].spec.resources.requests.storage']);
  });

  test('a secret keeps its type; what is marked immutable stays marked, with all its keys', () => {
    const world = ready();
    const secret = (more: string) => `apiVersion: v1\nkind: Secret\nmetadata: {name: s, namespace: tickets}\n${more}\n`;
    send(world, secret('stringData: {username: u}'));
    expect(fields(world, secret('type: kubernetes.io/basic-auth\nstringData: {username: u}'))).toEqual(['type']);
    const config = (more: string) => `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: c, namespace: tickets}\n${more}\n`;
    send(world, config('immutable: true\nbinaryData: {a: aGk=}'));
    expect(fields(world, config('binaryData: {a: aGk=}'))).toEqual(['immutable']);
    expect(fields(world, config('immutable: true\nbinaryData: {a: aGo=}'))).toEqual(['binaryData.a']);
  });

  test('a binding keeps its role', () => {
    const world = ready();
    const binding = (name: string) =>
      `apiVersion: rbac.authorization.k8s.io/v1\nkind: RoleBinding\nmetadata: {name: b, namespace: tickets}\nroleRef: {apiGroup: rbac.authorization.k8s.io, kind: Role, name: ${name}}\n`;
    send(world, binding('reader'));
    expect(fields(world, binding('writer'))).toEqual(['roleRef.name']);
  });

  test.each([
    ['1.31', 1],
    ['1.32', 0]
  ])('a growth that failed is taken back from 1.32 on, to more than there is (%s)', (version, refused) => {
    const world = ready();
    const [ground] = world.store.list('Ground');
    world.put({ ...ground!, spec: { ...ground!.spec, version } });
    const one = world.store.get('StorageClass', '', 'steady-block')!;
    world.put({ ...one, allowVolumeExpansion: true });
    send(world, `${claim('2Gi')}---\n${pod('user', ', volumes: [{name: d, persistentVolumeClaim: {claimName: data}}]')}`);
    world.runSettled();
    expect(world.store.get('PersistentVolumeClaim', 'tickets', 'data')!.status?.phase).toBe('Bound');
    send(world, claim('900Ti'));
    world.runSettled();
    expect(world.store.get('PersistentVolumeClaim', 'tickets', 'data')!.status?.capacity?.storage).toBe('2Gi');
    expect(fields(world, claim('2Gi'))).toHaveLength(1);
    expect(fields(world, claim('3Gi'))).toHaveLength(refused);
    if (refused) return;
    world.runUntil(world.nowMs + 900_000);
    expect(world.store.get('PersistentVolumeClaim', 'tickets', 'data')!.status?.capacity?.storage).toBe('3Gi');
  });
});
