import { describe, expect, test } from 'vitest';
import { changeSheet, removalSheet, type ChangeSheet, type RemovalSheet } from '$core/change';
import { persist } from '$core/drafts';
import { asManifest } from '$core/manifest';
import {
  keyOf,
  refOf,
  type ApiObject,
  type BackupPlan,
  type Certificate,
  type Deployment,
  type Ground,
  type StatefulSet,
  type Topic
} from '$core/model';
import { poolObject, poolOperatorObjects, Store, type World } from '$core/standin';
import { asLeft, must, objects, ref, send } from './help';

/** north-quay as it stands, with a deployment that keeps two gibibytes in an ephemeral directory, and a claim under a class that deletes. */
function quay(): World {
  const world = asLeft('north-quay');
  send(
    world,
    `apiVersion: apps/v1
kind: Deployment
metadata: {name: desk, namespace: events}
spec:
  replicas: 2
  selector: {matchLabels: {app: desk}}
  template:
    metadata: {labels: {app: desk}, annotations: {standin.example/holds: 1Gi}}
    spec:
      containers: [{name: desk, image: "shelf.standin.example/engines/image-shelf:r3", volumeMounts: [{name: scratch, mountPath: /data}]}]
      volumes: [{name: scratch, emptyDir: {}}]
---
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: passing-block}
provisioner: block.standin.example
reclaimPolicy: Delete
volumeBindingMode: Immediate
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: passing, namespace: events}
spec: {accessModes: [ReadWriteOnce], storageClassName: passing-block, resources: {requests: {storage: 3Gi}}}
`
  );
  world.runSettled();
  return world;
}
const world = quay();
const get = <T extends ApiObject>(kind: T['kind'], name: string, namespace = 'events') =>
  world.store.get(kind, namespace, name) as unknown as T;
const boarding = () => structuredClone(get<StatefulSet>('StatefulSet', 'boarding'));
const withSpec = (change: (spec: StatefulSet['spec']) => void): ApiObject[] => {
  const set = boarding();
  change(set.spec);
  return [asManifest(set)];
};
const claim = (storage: string): ApiObject[] => {
  const one = structuredClone(get<ApiObject & { kind: 'PersistentVolumeClaim' }>('PersistentVolumeClaim', 'data-boarding-1'));
  one.spec.resources.requests.storage = storage;
  return [asManifest(one)];
};
const counts = (sheet: ChangeSheet) =>
  Object.fromEntries(
    (['new', 'altered', 'refused', 'restarted', 'lost', 'later', 'opened', 'untouched', 'notPlayed'] as const).flatMap((head) =>
      sheet[head].length ? [[head, sheet[head].length]] : []
    )
  );
const says = (sheet: ChangeSheet, head: 'altered' | 'refused' | 'restarted' | 'lost' | 'later' | 'opened') =>
  sheet[head].map((one) => one.says).join('\n');

describe('change sheets, head by head', () => {
  test.each<[string, () => ApiObject[], object, Partial<Record<Parameters<typeof says>[1], RegExp>>]>([
    ['as it is', () => withSpec(() => {}), { untouched: 1 }, {}],
    ['replicas up', () => withSpec((spec) => (spec.replicas = 4)), { altered: 1 }, { altered: /spec\.replicas 3 → 4/ }],
    ['replicas down', () => withSpec((spec) => (spec.replicas = 2)), { altered: 1 }, {}],
    [
      'template image',
      () => withSpec((spec) => (spec.template.spec.containers[0]!.image = 'shelf.standin.example/engines/log-broker:r4')),
      { altered: 1, restarted: 1 },
      { restarted: /^boarding-2, boarding-1, boarding-0; one after the other/ }
    ],
    [
      'template image, held back by a partition',
      () =>
        withSpec((spec) => {
          spec.template.spec.containers[0]!.image = 'shelf.standin.example/engines/log-broker:r4';
          spec.updateStrategy = { type: 'RollingUpdate', rollingUpdate: { partition: 2 } };
        }),
      { altered: 1, restarted: 1, later: 1 },
      {
        restarted: /^boarding-2; one after/,
        later: /^boarding-1, boarding-0 keep the old template until the partition goes down, which is 2$/
      }
    ],
    [
      'claim template',
      () => withSpec((spec) => (spec.volumeClaimTemplates![0]!.spec.resources.requests.storage = '200Gi')),
      { refused: 1 },
      { refused: /volumeClaimTemplates\[0\]\.spec\.resources\.requests\.storage can't change/ }
    ],
    ['service name', () => withSpec((spec) => (spec.serviceName = 'other')), { refused: 1 }, { refused: /serviceName can't change/ }],
    [
      'retention policy',
      () => withSpec((spec) => (spec.persistentVolumeClaimRetentionPolicy = { whenScaled: 'Delete', whenDeleted: 'Retain' })),
      { altered: 1, later: 1 },
      { later: /from now on, scaling down takes the claims/ }
    ],
    [
      'the image of a pod that runs, which it runs on without',
      () => {
        const pod = structuredClone(get<ApiObject & { kind: 'Pod' }>('Pod', 'boarding-0'));
        pod.spec.containers[0]!.image = 'shelf.standin.example/engines/log-broker:r4';
        return [asManifest(pod)];
      },
      { altered: 1, notPlayed: 1 },
      {}
    ],
    ['claim smaller', () => claim('90Gi'), { refused: 1 }, { refused: /can't change from "140Gi" to "90Gi"/ }],
    ['claim bigger', () => claim('150Gi'), { altered: 1 }, { altered: /140Gi → 150Gi/ }],
    [
      'class parameter',
      () => [
        asManifest({
          ...get<ApiObject & { kind: 'StorageClass' }>('StorageClass', 'steady-block', ''),
          parameters: { ...get<ApiObject & { kind: 'StorageClass' }>('StorageClass', 'steady-block', '').parameters, encrypted: 'true' }
        })
      ],
      { refused: 1 },
      { refused: /parameters/ }
    ],
    [
      'ephemeral to claim',
      () => [
        ...persist(world.store, {
          kind: 'Deployment',
          namespace: 'events',
          name: 'desk',
          volume: 'scratch',
          className: 'steady-block',
          size: '10Gi',
          mode: 'ReadWriteOnce',
          strategy: 'Recreate'
        })!.objects
      ],
      { new: 1, altered: 1, restarted: 1, lost: 1 },
      { lost: /ephemeral directory scratch of desk-.*2Gi in all/, restarted: /all at once: the old ones end before/ }
    ],
    [
      'an address opened',
      () =>
        objects(
          'apiVersion: v1\nkind: Service\nmetadata: {name: gate, namespace: events}\nspec: {type: LoadBalancer, selector: {app: boarding}, ports: [{name: data, port: 7140}]}'
        ),
      { new: 1, opened: 1 },
      { opened: /data 7140 from everywhere/ }
    ],
    [
      'a topic that was made',
      () => [asManifest({ ...get<Topic>('Topic', 'gate-scans'), spec: { ...get<Topic>('Topic', 'gate-scans').spec, partitions: 12 } })],
      { refused: 1 },
      { refused: /spec\.partitions can't change from 6 to 12/ }
    ],
    [
      'the workload of a plan that has copies',
      () => [
        asManifest({
          ...get<BackupPlan>('BackupPlan', 'boarding-copies'),
          spec: { ...get<BackupPlan>('BackupPlan', 'boarding-copies').spec, workload: 'coord' }
        })
      ],
      { refused: 1 },
      { refused: /spec\.workload can't change from "boarding" to "coord"/ }
    ],
    [
      'how long a certificate holds',
      () => [
        asManifest({
          ...get<Certificate>('Certificate', 'timetable', 'plans'),
          spec: { ...get<Certificate>('Certificate', 'timetable', 'plans').spec, days: 7 }
        })
      ],
      { altered: 1, later: 1 },
      { later: /keeps its time; the days count from the next one on/ }
    ],
    [
      'what a ground makes at the start, and what it says at any time',
      () => {
        const ground = structuredClone(get<Ground>('Ground', 'north-quay', ''));
        return [asManifest({ ...ground, spec: { ...ground.spec, version: '1.33', groups: ground.spec.groups!.slice(1) } })];
      },
      { altered: 1, notPlayed: 1 },
      {}
    ],
    [
      'an address outside, and ports on nodes',
      () =>
        objects(
          'apiVersion: v1\nkind: Service\nmetadata: {name: gate, namespace: events}\nspec: {externalIPs: [198.51.100.7], selector: {app: boarding}, ports: [{name: data, port: 7140}, {name: more, port: 7141}]}\n---\napiVersion: v1\nkind: Pod\nmetadata: {name: p, namespace: events}\nspec: {containers: [{name: m, image: "a:1", ports: [{containerPort: 1, hostPort: 8088}, {containerPort: 2}]}]}\n---\napiVersion: v1\nkind: Pod\nmetadata: {name: q, namespace: events}\nspec: {hostNetwork: true, containers: [{name: m, image: "a:1", ports: [{name: web, containerPort: 9000, hostPort: 9000}, {containerPort: 9001}]}]}'
        ),
      { new: 3, opened: 3, notPlayed: 2 },
      {
        opened:
          /^data 7140, more 7141 at 198\.51\.100\.7\n8088 at the address of each node that a pod of it stands on\nweb 9000, 9001 at the address of each node that a pod of it stands on$/
      }
    ],
    [
      'a service of ports on nodes that gets an address of its own',
      () => [
        asManifest({
          ...get<ApiObject & { kind: 'Service' }>('Service', 'boarding'),
          spec: { ...get<ApiObject & { kind: 'Service' }>('Service', 'boarding').spec, type: 'LoadBalancer' }
        })
      ],
      { altered: 1, opened: 1 },
      { opened: /from everywhere/ }
    ],
    [
      'a new set with a service',
      () => objects('apiVersion: v1\nkind: ConfigMap\nmetadata: {name: x, namespace: nowhere}'),
      { refused: 1 },
      { refused: /namespace "nowhere"/ }
    ]
  ])('%s', (_, make, expected, words) => {
    const sheet = changeSheet(world.store, make());
    expect(counts(sheet)).toEqual(expected);
    for (const [head, pattern] of Object.entries(words)) expect(says(sheet, head as never)).toMatch(pattern);
  });

  test('a rolling update on a one-node claim says on the sheet that it will wait for itself', () => {
    const made = persist(world.store, {
      kind: 'Deployment',
      namespace: 'events',
      name: 'desk',
      volume: 'scratch',
      size: '10Gi',
      mode: 'ReadWriteOnce',
      strategy: 'RollingUpdate'
    })!;
    const fork = quay();
    must(fork, { type: 'send', objects: made.objects });
    const desk = structuredClone(fork.store.get('Deployment', 'events', 'desk')!) as Deployment;
    desk.spec.template.spec.containers[0]!.image = 'shelf.standin.example/engines/image-shelf:r3.1';
    expect(says(changeSheet(fork.store, [asManifest(desk)]), 'restarted')).toMatch(
      /waits for ever for desk-scratch, which the old one holds: Recreate is needed/
    );
  });
});

test('an ephemeral directory of a set becomes a claim of each member: the set is sent anew; of a deployment one claim that all share', () => {
  const dirs = (more: string) => `[{name: scratch, emptyDir: {}}${more}]`;
  const maker = (kind: string, name: string, volumes: string, spec: string) =>
    `apiVersion: apps/v1\nkind: ${kind}\nmetadata: {name: ${name}, namespace: events}\nspec: {${spec}, selector: {matchLabels: {app: ${name}}}, template: {metadata: {labels: {app: ${name}}}, spec: {volumes: ${volumes}, containers: [{name: m, image: "a:1", volumeMounts: [{name: scratch, mountPath: /s}]}]}}}\n`;
  const made = objects(
    [
      maker('StatefulSet', 'only', dirs(''), 'serviceName: only, replicas: 2'),
      maker('StatefulSet', 'two', dirs(', {name: config, configMap: {name: c}}'), 'serviceName: two, replicas: 2'),
      maker('Deployment', 'pair', dirs(''), 'replicas: 2'),
      maker('Deployment', 'one', dirs(''), 'replicas: 1')
    ].join('---\n')
  );
  const store = new Store();
  for (const one of made) store.make(one, keyOf(refOf(one)));
  const plan = (name: string, kind: 'StatefulSet' | 'Deployment', mode: 'ReadWriteOnce' | 'ReadWriteMany' = 'ReadWriteOnce') =>
    persist(store, { kind, namespace: 'events', name, volume: 'scratch', size: '3Gi', mode, strategy: 'Recreate' })!;
  const only = plan('only', 'StatefulSet');
  const setSpec = (only.objects[0] as StatefulSet).spec;
  expect([only.replace, only.objects.length, setSpec.template.spec.volumes]).toEqual([true, 1, undefined]);
  expect(setSpec.volumeClaimTemplates).toEqual([
    { metadata: { name: 'scratch' }, spec: { accessModes: ['ReadWriteOnce'], resources: { requests: { storage: '3Gi' } } } }
  ]);
  const two = (plan('two', 'StatefulSet').objects[0] as StatefulSet).spec;
  expect(two.template.spec.volumes!.map((one) => one.name)).toEqual(['config']);
  expect([plan('pair', 'Deployment').replace, plan('pair', 'Deployment').objects.map((one) => one.kind)]).toEqual([
    false,
    ['PersistentVolumeClaim', 'Deployment']
  ]);
  expect([
    plan('pair', 'Deployment').warning,
    plan('one', 'Deployment').warning,
    plan('pair', 'Deployment', 'ReadWriteMany').warning
  ]).toEqual([expect.stringMatching(/^2 pods would share/), undefined, undefined]);
});

describe('removal sheets, head by head', () => {
  const heads = ({ goes, lost, stays }: RemovalSheet) => ({ goes: goes.length, lost: lost.length, stays: stays.length });
  test('a set: its members end, its claims stay', () => {
    expect(heads(removalSheet(world.store, ref('StatefulSet', 'events', 'boarding')))).toEqual({ goes: 3, lost: 0, stays: 3 });
    expect(heads(removalSheet(world.store, ref('StatefulSet', 'events', 'boarding'), { keepMembers: true }))).toEqual({
      goes: 0,
      lost: 0,
      stays: 6
    });
  });
  test('a set under a policy that takes claims along, with a class that retains: the claims go, the volumes stay', () => {
    const fork = quay();
    send(fork, 'apiVersion: v1\nkind: Namespace\nmetadata: {name: x}');
    const set = boarding();
    set.spec.persistentVolumeClaimRetentionPolicy = { whenDeleted: 'Delete', whenScaled: 'Retain' };
    must(fork, { type: 'send', objects: [asManifest(set)] });
    expect(removalSheet(fork.store, ref('StatefulSet', 'events', 'boarding')).goes).toHaveLength(6);
  });
  test('a namespace: all that is in it goes, claims under Delete with their data, kept volumes stay; and so it comes', () => {
    const fork = quay();
    for (const name of ['data-boarding-0', 'data-boarding-1']) {
      const volume = fork.store.get('PersistentVolume', '', fork.store.get('PersistentVolumeClaim', 'events', name)!.spec.volumeName!)!;
      must(fork, { type: 'send', objects: [asManifest({ ...volume, spec: { ...volume.spec, persistentVolumeReclaimPolicy: 'Retain' } })] });
    }
    const claims = fork.store.list('PersistentVolumeClaim', 'events').filter((one) => one.spec.volumeName);
    const sheet = removalSheet(fork.store, ref('Namespace', '', 'events'));
    expect(sheet.lost[0]!.says).toMatch(/ephemeral directory scratch of desk-.*2Gi in all/);
    // Six snapshots of the plan go, too, and with them what could be gone back to.
    const gone = sheet.lost.filter((one) => one.ref.kind === 'VolumeSnapshot');
    expect(gone.map((one) => one.says)).toContainEqual(expect.stringMatching(/of data-boarding-0 as of T\+01:30:00.*nobody can go back/));
    expect([gone.length, sheet.lost.length]).toEqual([6, 1 + claims.length - 2 + 6]);
    expect(sheet.lost.map((one) => one.says)).toContainEqual(expect.stringMatching(/3Gi, policy Delete/));
    expect(sheet.stays).toHaveLength(2);
    const assets = fork.store.list('Asset').length;
    must(fork, { type: 'remove', ref: ref('Namespace', '', 'events') });
    fork.runSettled();
    expect(fork.store.get('Namespace', '', 'events')).toBeUndefined();
    for (const { ref: one } of sheet.goes) expect(fork.store.get(one.kind, one.namespace, one.name), one.name).toBeUndefined();
    for (const { ref: one } of sheet.stays) expect(fork.store.get('PersistentVolume', '', one.name)?.status?.phase).toBe('Released');
    expect(assets - fork.store.list('Asset').length).toBe(claims.length - 2 + gone.length);
  });
  test('a deployment and a pod say what lies in their ephemeral directories', () => {
    expect(removalSheet(world.store, ref('Deployment', 'events', 'desk')).lost[0]!.says).toMatch(/2Gi in all/);
    const pod = world.store.list('Pod', 'events').find((one) => one.metadata.name.startsWith('desk-'))!;
    expect(removalSheet(world.store, ref('Pod', 'events', pod.metadata.name)).lost[0]!.says).toMatch(/directory scratch .*1Gi in all/);
  });
});

describe('what is sent before its server is ready', () => {
  test('a pool in one batch with its operator: the sheet says that it waits, and it is sent again by itself', () => {
    const fork = asLeft('harbour');
    const batch = [...poolOperatorObjects('r3'), poolObject('sheds')];
    const sheet = changeSheet(fork.store, batch);
    expect(sheet.new.find((one) => one.ref.kind === 'Pool')!.says).toBe(
      'waits for the operator of pools, which checks each pool first, to be ready, then is sent again by itself'
    );
    expect(sheet.order.map((one) => one.refs[0]!.kind).indexOf('Deployment')).toBeLessThan(
      sheet.order.map((one) => one.refs[0]!.kind).indexOf('Pool')
    );
    must(fork, { type: 'send', objects: batch });
    expect([fork.store.list('Pool').length, fork.store.list('Held').length]).toEqual([0, 1]);
    fork.runSettled();
    expect([fork.store.list('Pool').length, fork.store.list('Held').length]).toEqual([1, 0]);
    expect(fork.store.list('Event').find((one) => one.reason === 'SentAgain')!.message).toMatch(/Sent again by itself/);
    // Where the operator never comes, it waits on, and taking it back is possible.
    const never = asLeft('harbour');
    must(never, { type: 'send', objects: [poolObject('sheds')] });
    never.runSettled();
    expect(never.store.list('Held')).toHaveLength(1);
    must(never, { type: 'remove', ref: ref('Held', '', never.store.list('Held')[0]!.metadata.name) });
    never.runSettled();
    expect(never.store.list('Held')).toHaveLength(0);
  });
});
