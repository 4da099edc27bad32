import { describe, expect, test } from 'vitest';
import { rootLine, lineSentence } from '$core/rootline';
import { asManifest } from '$core/manifest';
import type { World } from '$core/standin';
import {
  closed,
  bookings,
  bookingsSet,
  driver,
  firstBreak,
  must,
  objects,
  readySouth,
  ref,
  remove,
  send,
  settle,
  smallSet,
  south
} from './help';
import { unfounded } from './stands';

const probe = ref('Pod', 'default', 'probe-0');
const probeSet = ref('StatefulSet', 'default', 'probe');
const identity = (rights: string, over = ''): string => `
apiVersion: standin.example/v1
kind: Identity
metadata: {name: volume-keeper}
spec: {driver: block.standin.example, issuer: https://issuer.south-quay.example, subject: "system:serviceaccount:storage-system:block-driver", audience: volumes.standin.example, rights: [${rights}]${over}}
`;
const evidence = (world: World, subject = probe): string =>
  (firstBreak(world, subject)?.evidence ?? [])
    .map((one) => `${one.object.kind} ${one.object.name} ${one.field ?? one.event?.reason}=${one.value ?? one.event?.message}`)
    .join('\n');

/** One thing is wrong in each world: what the line has to find, and a word that its evidence has to hold. */
const cases: [string, () => World, string, RegExp, typeof probe?][] = [
  [
    'the right to create is missing',
    () => settle(readySouth(), identity('attach, detach') + '---' + smallSet()),
    'rights',
    /spec\.rights=attach, detach/
  ],
  [
    'the right to attach is missing',
    () => settle(readySouth(), identity('create, detach, delete') + '---' + smallSet()),
    'rights',
    /spec\.rights=create/
  ],
  [
    'the provider trusts another service account',
    () => settle(readySouth(), identity('create, attach').replace('block-driver"', 'someone-else"') + '---' + smallSet()),
    'rights',
    /spec\.subject=system:serviceaccount:storage-system:someone-else/
  ],
  [
    'the provider trusts another issuer',
    () => settle(readySouth(), identity('create, attach').replace('south-quay', 'elsewhere') + '---' + smallSet()),
    'rights',
    /spec\.issuer=https:\/\/issuer\.elsewhere/
  ],
  [
    'the identity is gone',
    () => {
      const world = readySouth();
      remove(world, ref('Identity', '', 'volume-keeper'));
      return settle(world, smallSet());
    },
    'rights',
    /none names block/
  ],
  [
    'the backend is too small in every zone',
    () =>
      settle(
        readySouth(),
        smallSet({ claim: '{accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 900Gi}}}' })
      ),
    'backend',
    /a: 800 GiB free/
  ],
  [
    'the class does not exist',
    () =>
      settle(
        readySouth(),
        smallSet({ claim: '{accessModes: [ReadWriteOnce], storageClassName: stedy-block, resources: {requests: {storage: 1Gi}}}' })
      ),
    'class',
    /storageClassName=stedy-block/
  ],
  [
    'no class is the default and the claim names none',
    () => {
      const world = readySouth();
      remove(world, ref('StorageClass', '', 'steady-block'));
      return settle(world, smallSet({ claim: '{accessModes: [ReadWriteOnce], resources: {requests: {storage: 1Gi}}}' }));
    },
    'class',
    /storageClassName=not set/
  ],
  [
    'a block driver is asked for shared access',
    () =>
      settle(
        readySouth(),
        smallSet({ claim: '{accessModes: [ReadWriteMany], storageClassName: steady-block, resources: {requests: {storage: 1Gi}}}' })
      ),
    'volume',
    /INVALID_ARGUMENT/
  ],
  [
    'more members than nodes under a one-per-node rule',
    () =>
      settle(
        readySouth(),
        smallSet({
          set: 'replicas: 5',
          pod: 'affinity: {podAntiAffinity: {requiredDuringSchedulingIgnoredDuringExecution: [{topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: probe}}}]}}'
        })
      ),
    'placing',
    /anti-affinity/,
    ref('Pod', 'default', 'probe-4')
  ],
  [
    'a member asks for more memory than any node has',
    () => settle(readySouth(), smallSet({ container: 'resources: {requests: {memory: 64Gi}}' })),
    'placing',
    /65536 MiB asked/
  ],
  [
    'the node selector matches no node',
    () => settle(readySouth(), smallSet({ pod: 'nodeSelector: {disk: fast}' })),
    'placing',
    /metadata\.labels=/
  ],
  [
    'a config map is missing',
    () => settle(readySouth(), smallSet({ container: 'envFrom: [{configMapRef: {name: settings}}]' })),
    'references',
    /envFrom\[0\]=settings/
  ],
  [
    'a secret lacks a key',
    () =>
      settle(
        readySouth(),
        `apiVersion: v1\nkind: Secret\nmetadata: {name: keys, namespace: default}\nstringData: {user: x}\n---${smallSet({ container: 'env: [{name: P, valueFrom: {secretKeyRef: {name: keys, key: password}}}]' })}`
      ),
    'references',
    /keys, key password/
  ],
  [
    'the service account is missing',
    () => settle(readySouth(), smallSet({ pod: 'serviceAccountName: nobody' })),
    'references',
    /serviceAccountName=nobody/,
    probeSet
  ],
  [
    'the registry is out of reach',
    () =>
      settle(
        readySouth(),
        `apiVersion: standin.example/v1\nkind: Registry\nmetadata: {name: shelf}\nspec: {host: shelf.standin.example, reachable: false}\n---${smallSet()}`
      ),
    'image',
    /spec\.reachable=false/
  ],
  [
    'the image comes from a registry nobody knows',
    () => settle(closed(readySouth()), smallSet().replace('shelf.standin.example/engines', 'elsewhere.example/engines')),
    'image',
    /elsewhere\.example/
  ],
  [
    'the memory limit is below what the program needs',
    () => settle(readySouth(), smallSet({ container: 'resources: {limits: {memory: 128Mi}}' })),
    'start',
    /CrashLoopBackOff/
  ],
  [
    'the readiness probe asks at the wrong port',
    () => settle(readySouth(), smallSet({ container: 'readinessProbe: {tcpSocket: {port: 80}}' })),
    'ready',
    /Unhealthy/
  ],
  [
    'the set names a service that does not exist',
    () => settle(readySouth(), smallSet().replace('serviceName: probe', 'serviceName: prob')),
    'name',
    /serviceName=prob/
  ],
  [
    "the set's service is not headless",
    () => settle(readySouth(), smallSet({ service: '{selector: {app: probe}, ports: [{port: 7110}]}' })),
    'name',
    /spec\.clusterIP=10\./
  ],
  [
    "the service's selector misses the members",
    () => settle(readySouth(), smallSet({ service: '{clusterIP: None, selector: {app: prob}}' })),
    'name',
    /spec\.selector=/
  ],
  [
    'the service meant for clients finds nobody',
    () =>
      settle(
        readySouth(),
        `${smallSet()}---\napiVersion: v1\nkind: Service\nmetadata: {name: probe-clients, namespace: default}\nspec: {selector: {app: probes}, ports: [{port: 7110}]}\n`
      ),
    'service',
    /spec\.selector=/
  ],
  [
    'the node does not answer',
    () => {
      const world = settle(readySouth(), smallSet());
      const pod = world.store.get('Pod', 'default', 'probe-0')!;
      const node = world.store.get('Node', '', pod.spec.nodeName!)!;
      must(world, {
        type: 'send',
        objects: [
          {
            ...asManifest(node),
            status: { ...node.status, conditions: [{ type: 'Ready', status: 'Unknown', reason: 'NodeStatusUnknown' }] }
          } as never
        ]
      });
      world.runSettled();
      return world;
    },
    'node',
    /Unknown NodeStatusUnknown/
  ]
];

describe('the first break', () => {
  test.each(cases)('%s', (_, make, joint, words, subject = probe) => {
    const world = make();
    const found = firstBreak(world, subject);
    expect(found?.joint).toBe(joint);
    expect(evidence(world, subject)).toMatch(words);
    expect(found?.remedy?.text.length).toBeGreaterThan(10);
    expect(unfounded(world.store, rootLine(world.store, subject)!)).toEqual([]);
  });

  test('a remedy that can be written down mends what it speaks of', () => {
    for (const name of [
      'the right to create is missing',
      'the identity is gone',
      'the registry is out of reach',
      'the set names a service that does not exist',
      "the service's selector misses the members",
      'the provider trusts another issuer'
    ]) {
      const [, make, , , subject = probe] = cases.find((one) => one[0] === name)!;
      const world = make();
      const { manifests } = firstBreak(world, subject)!.remedy!;
      must(world, { type: 'send', objects: manifests! });
      world.runSettled();
      expect(firstBreak(world, subject), name).toBeUndefined();
    }
  });

  test("a class that binds at once, and room only in another zone: placing, with the volume's zone and the nodes' zones", () => {
    const world = settle(
      readySouth(),
      `apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: at-once}\nprovisioner: block.standin.example\nvolumeBindingMode: Immediate\n---${smallSet({ pod: 'nodeSelector: {topology.kubernetes.io/zone: b}', claim: '{accessModes: [ReadWriteOnce], storageClassName: at-once, resources: {requests: {storage: 10Gi}}}' })}`
    );
    expect(firstBreak(world, probe)?.joint).toBe('placing');
    expect(evidence(world)).toMatch(/PersistentVolume pvc-\S+ spec\.nodeAffinity=topology\.kubernetes\.io\/zone in a/);
    expect(evidence(world)).toMatch(/Node node-b1 metadata\.labels\[topology\.kubernetes\.io\/zone\]=b/);
  });

  test("the same with the volume's zone closed and full instead of a selector", () => {
    const world = readySouth();
    send(
      world,
      `apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: at-once}\nprovisioner: block.standin.example\n---\napiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: early, namespace: default}\nspec: {accessModes: [ReadWriteOnce], storageClassName: at-once, resources: {requests: {storage: 10Gi}}}`
    );
    world.runSettled();
    const zone = world.store.list('Asset')[0]!.spec.zone;
    const nodes = world.store.list('Node').filter((one) => one.metadata.labels!['topology.kubernetes.io/zone'] === zone);
    must(world, {
      type: 'send',
      objects: nodes.map((one) => ({ ...asManifest(one), spec: { ...one.spec, unschedulable: true } }) as never)
    });
    settle(
      world,
      `apiVersion: v1\nkind: Pod\nmetadata: {name: late, namespace: default}\nspec: {containers: [{name: main, image: shelf.standin.example/x}], volumes: [{name: d, persistentVolumeClaim: {claimName: early}}]}`
    );
    expect(firstBreak(world, ref('Pod', 'default', 'late'))?.joint).toBe('placing');
    expect(evidence(world, ref('Pod', 'default', 'late'))).toMatch(new RegExp(`zone in ${zone}`));
  });

  test('a claim that waits for nothing but its first user has no break', () => {
    const world = settle(
      readySouth(),
      'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: scratch, namespace: default}\nspec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 20Gi}}}'
    );
    const line = rootLine(world.store, ref('PersistentVolumeClaim', 'default', 'scratch'))!;
    expect(line.firstBreak).toBeNull();
    expect(lineSentence(line)).toBe('scratch waits for its first user; nothing is broken.');
  });

  test('while everything comes up nothing is called broken', () => {
    const world = south();
    must(world, { type: 'send', objects: driver() });
    for (let i = 0; !world.settled && i < 3_000; i += 1) {
      world.runUntil(world.nextMs!);
      if (i % 5 === 0) expect(rootLine(world.store, bookingsSet)!.firstBreak, `at ${world.nowMs} ms`).toBeNull();
    }
    expect(world.settled).toBe(true);
  });

  test('two defaults: the newest counts', () => {
    const world = readySouth();
    world.runUntil(world.nowMs + 5_000);
    settle(
      world,
      'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: newer, annotations: {storageclass.kubernetes.io/is-default-class: "true"}}\nprovisioner: block.standin.example\n'
    );
    settle(
      world,
      'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: plain, namespace: default}\nspec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 1Gi}}}'
    );
    expect(world.store.get('PersistentVolumeClaim', 'default', 'plain')!.spec.storageClassName).toBe('newer');
  });

  test("a second pod on another node can't have a one-node volume; it follows when the first has gone", () => {
    const user = (name: string, node: string) =>
      `apiVersion: v1\nkind: Pod\nmetadata: {name: ${name}, namespace: default}\nspec: {nodeSelector: {kubernetes.io/hostname: ${node}}, containers: [{name: main, image: shelf.standin.example/x, volumeMounts: [{name: d, mountPath: /d}]}], volumes: [{name: d, persistentVolumeClaim: {claimName: shared}}]}`;
    const world = settle(
      readySouth(),
      `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: shared, namespace: default}\nspec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 1Gi}}}\n---\n${user('one', 'node-a1')}`
    );
    settle(world, user('two', 'node-a2'));
    expect(firstBreak(world, ref('Pod', 'default', 'two'))?.joint).toBe('attaching');
    expect(evidence(world, ref('Pod', 'default', 'two'))).toMatch(/spec\.nodeName=node-a1/);
    settle(world, user('three', 'node-a1'));
    expect(firstBreak(world, ref('Pod', 'default', 'three'))).toBeUndefined();
    for (const name of ['one', 'three']) remove(world, ref('Pod', 'default', name));
    world.runSettled();
    expect(firstBreak(world, ref('Pod', 'default', 'two'))).toBeUndefined();
    expect(objects(user('x', 'y'))).toHaveLength(1);
    expect(rootLine(world.store, bookings(0))).toBeUndefined();
  });
});
