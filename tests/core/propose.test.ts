import { expect, test } from 'vitest';
import { proposeCluster } from '$core/briefs';
import { asManifest } from '$core/manifest';
import { isReady } from '$core/model';
import { rootLine } from '$core/rootline';
import { groundObjects, layoutFaults, World } from '$core/standin';
import { asLeft, closed, firstBreak, must, objects, readySouth, ref, settle, smallSet } from './help';

const manifests = objects(`
apiVersion: v1
kind: Service
metadata: {name: wide, namespace: default}
spec: {clusterIP: None, selector: {app: wide}, ports: [{name: p, port: 80}]}
---
apiVersion: apps/v1
kind: StatefulSet
metadata: {name: wide, namespace: default}
spec:
  serviceName: wide
  replicas: 5
  podManagementPolicy: Parallel
  selector: {matchLabels: {app: wide}}
  template:
    metadata: {labels: {app: wide}}
    spec:
      nodeSelector: {topology.kubernetes.io/zone: north}
      affinity: {podAntiAffinity: {requiredDuringSchedulingIgnoredDuringExecution: [{topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: wide}}}]}}
      containers: [{name: m, image: images.example/wide:r1, resources: {requests: {cpu: "7", memory: 30Gi}}, volumeMounts: [{name: d, mountPath: /d}, {name: all, mountPath: /all}]}]
      volumes: [{name: all, persistentVolumeClaim: {claimName: all}}]
  volumeClaimTemplates:
  - metadata: {name: d}
    spec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 500Gi}}}
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: all, namespace: default}
spec: {accessModes: [ReadWriteMany], storageClassName: everywhere, resources: {requests: {storage: 1Gi}}}
`);

test('a cluster that is proposed for manifests has what they ask for: they stand on it, down to the disk', () => {
  const { ground, supply, says } = proposeCluster('fit', manifests);
  expect(layoutFaults(ground)).toEqual([]);
  // Five members that want a node each, and one to spare; 7 CPU and 30 GiB beside what the system takes; the zone that they name.
  expect(says[0]).toBe('6 nodes of 8 CPU and 33 GiB in zone north, as 5 members each want a node of their own');
  expect(says.join('\n')).toMatch(/the class everywhere[^]*a default class[^]*shared files/);
  const world = World.create({ seed: 1, ground: groundObjects(ground) });
  must(world, { type: 'send', objects: supply });
  world.runSettled();
  must(world, { type: 'send', objects: manifests });
  world.runSettled();
  for (let i = 0; i < 5; i += 1) expect(isReady(world.store.get('Pod', 'default', `wide-${i}`)), `wide-${i}`).toBe(true);
  expect(firstBreak(world, ref('StatefulSet', 'default', 'wide'))).toBeUndefined();
  // A program that isn't known is played, and said to be.
  const image = rootLine(world.store, ref('Pod', 'default', 'wide-0'))!.joints.find((one) => one.joint === 'image')!;
  expect(image.says).toContain("wide:r1 isn't known here: played as an ordinary program of 40 to 200 MiB");
});

test('what a proposed cluster does not have is named; sizes and counts beyond the ordinary are met', () => {
  const odd = objects(`
apiVersion: apps/v1
kind: Deployment
metadata: {name: odd, namespace: default}
spec:
  replicas: 1
  selector: {matchLabels: {app: odd}}
  template:
    metadata: {labels: {app: odd}}
    spec:
      nodeSelector: {disk: quick, kubernetes.io/os: linux}
      containers: [{name: a, image: images.example/odd:r1, envFrom: [{secretRef: {name: odd-access}}, {configMapRef: {name: maybe, optional: true}}]}]
      volumes: [{name: d, persistentVolumeClaim: {claimName: large}}]
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: large, namespace: default}
spec: {accessModes: [ReadWriteOnce], storageClassName: vast, resources: {requests: {storage: 90Ti}}}
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: pinned, namespace: default}
spec: {accessModes: [ReadWriteOnce], storageClassName: "", volumeName: vol-7, resources: {requests: {storage: 1Gi}}}
`);
  const { ground, supply, lacks } = proposeCluster('odd', odd);
  expect(lacks).toEqual([
    'nodes with the label disk: quick',
    "Secret odd-access, which isn't among the manifests",
    "PersistentVolume vol-7, which isn't among the manifests"
  ]);
  const world = World.create({ seed: 1, ground: groundObjects(ground) });
  must(world, { type: 'send', objects: supply });
  world.runSettled();
  // All that is named as lacking, and nothing else, is brought; then they stand.
  const node = world.store.list('Node')[0]!;
  must(world, {
    type: 'send',
    objects: [
      asManifest({ ...node, metadata: { ...node.metadata, labels: { ...node.metadata.labels, disk: 'quick' } } }),
      ...objects('apiVersion: v1\nkind: Secret\nmetadata: {name: odd-access, namespace: default}\nstringData: {a: b}\n'),
      ...odd
    ]
  });
  world.runSettled();
  expect(world.store.get('PersistentVolumeClaim', 'default', 'large')!.status!.phase).toBe('Bound');
  expect(world.store.list('Pod', 'default').filter(isReady)).toHaveLength(1);
  // A thousand members that want a node each: the ranges are wide enough for them.
  const crowd = objects(
    manifests
      .filter((one) => one.kind === 'StatefulSet')
      .map((one) => JSON.stringify({ ...one, spec: { ...one.spec, replicas: 1_000 } }))
      .join('')
  );
  const wide = proposeCluster('crowd', crowd).ground;
  expect(wide.spec.backends![0]!.quotaVolumes).toBeGreaterThanOrEqual(1_000);
  expect(layoutFaults({ ...wide, spec: { ...wide.spec, groups: wide.spec.groups!.map((one) => ({ ...one, count: 1_000 })) } })).toEqual([]);
});

test('in a closed place a registry is opened, or the mirror is used, by one press each', () => {
  const make = () => settle(closed(readySouth()), smallSet().replace('shelf.standin.example/engines', 'elsewhere.example/engines'));
  const subject = ref('StatefulSet', 'default', 'probe');
  const remedy = firstBreak(make(), subject)!.remedy!;
  expect([remedy.press, remedy.also?.press]).toEqual(['Make elsewhere.example reachable', 'Pull from shelf.standin.example']);
  for (const sent of [remedy.manifests!, remedy.also!.manifests]) {
    const world = make();
    must(world, { type: 'send', objects: sent });
    // An ordered set doesn't replace a member that never was ready.
    must(world, { type: 'remove', ref: ref('Pod', 'default', 'probe-0') });
    world.runSettled();
    world.runUntil(world.nowMs + 400_000);
    expect(firstBreak(world, subject)).toBeUndefined();
  }
  expect(asLeft('harbour').store.list('Ground')[0]!.spec.pulls).toBe('named');
});
