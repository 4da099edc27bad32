import { describe, expect, test } from 'vitest';
import { asManifest } from '$core/manifest';
import { isReady } from '$core/model';
import { rootLine } from '$core/rootline';
import type { World } from '$core/standin';
import { claimOf, classOf, firstBreak, mend, must, ref, remove, send, size } from './help';
import { roomy } from './roomy';

const image = 'shelf.standin.example/tools/t:1';
const podsOf = (world: World, app: string) => world.store.list('Pod', 'default').filter((one) => one.metadata.labels?.app === app);
const daemon = (name: string, more: string, box = '') =>
  `apiVersion: apps/v1\nkind: DaemonSet\nmetadata: {name: ${name}, namespace: default}\nspec: {selector: {matchLabels: {app: ${name}}}, template: {metadata: {labels: {app: ${name}}}, spec: {${more}containers: [{name: m, image: "${image}"${box}}]}}}\n`;
const named = (node: string, claim: string) =>
  `apiVersion: v1\nkind: Pod\nmetadata: {name: p, namespace: default}\nspec: {nodeName: ${node}, containers: [{name: m, image: "${image}", volumeMounts: [{name: d, mountPath: /d}]}], volumes: [{name: d, persistentVolumeClaim: {claimName: ${claim}}}]}\n`;

// Sources: the cluster API's "DaemonSet" (how daemon pods are scheduled), "Taints and Tolerations", "Assigning Pods to Nodes" (nodeName), "Jobs".
describe('pods of daemon sets are placed like others, on the node that they are for', () => {
  test('one that finds no room there waits, and says so; it comes once there is some', () => {
    const world = roomy({ nodes: 1, cpu: '2' });
    send(
      world,
      `apiVersion: v1\nkind: Pod\nmetadata: {name: full, namespace: default}\nspec: {nodeSelector: {kubernetes.io/hostname: w-a-1}, containers: [{name: m, image: "${image}", resources: {requests: {cpu: 1500m}}}]}\n`
    );
    world.runSettled();
    send(world, daemon('each', '', ', resources: {requests: {cpu: 600m}}'));
    world.runSettled();
    const late = podsOf(world, 'each').filter((one) => !isReady(one));
    expect([podsOf(world, 'each').length, late.length]).toEqual([3, 1]);
    const broken = firstBreak(world, ref('Pod', 'default', late[0]!.metadata.name))!;
    expect([broken.joint, broken.says]).toEqual([
      'placing',
      '0 of 3 nodes can take it: 2 not asked for by the pod, 1 without the CPU asked for'
    ]);
    expect(world.store.get('DaemonSet', 'default', 'each')!.status).toMatchObject({
      desiredNumberScheduled: 3,
      currentNumberScheduled: 3,
      numberReady: 2
    });
    remove(world, ref('Pod', 'default', 'full'));
    world.runSettled();
    expect(podsOf(world, 'each').map((one) => [one.spec.nodeName, isReady(one)])).toEqual(
      ['w-a-1', 'w-b-1', 'w-c-1'].map((node) => [node, true])
    );
  });

  test('a cordoned node takes them, and whoever tolerates all; gates hold them; claims of their own get a volume where they stand', () => {
    const world = roomy({ nodes: 1 });
    for (const node of world.store.nodes()) world.put({ ...node, spec: { ...node.spec, unschedulable: true } });
    send(world, `${daemon('each', '')}---\n${daemon('held', 'schedulingGates: [{name: a.example/wait}], ')}`);
    send(
      world,
      daemon(
        'own',
        `volumes: [{name: o, ephemeral: {volumeClaimTemplate: {spec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, ${size('1Gi')}}}}}], `
      )
    );
    const bare = (name: string, more: string) =>
      `apiVersion: v1\nkind: Pod\nmetadata: {name: ${name}, namespace: default, labels: {app: ${name}}}\nspec: {${more}containers: [{name: m, image: "${image}"}]}\n`;
    send(world, `${bare('plain', '')}---\n${bare('bears', 'tolerations: [{operator: Exists}], ')}`);
    world.runSettled();
    const ready = (app: string) => podsOf(world, app).filter(isReady).length;
    expect(['each', 'held', 'own', 'plain', 'bears'].map(ready)).toEqual([3, 0, 3, 0, 1]);
    const zones = podsOf(world, 'own').map((pod) => {
      const claim = world.store.get('PersistentVolumeClaim', 'default', `${pod.metadata.name}-o`)!;
      const volume = world.store.get('PersistentVolume', '', claim.spec.volumeName!)!;
      return `${pod.spec.nodeName} ${volume.spec.nodeAffinity!.required!.nodeSelectorTerms[0]!.matchExpressions![0]!.values![0]}`;
    });
    expect(zones).toEqual(['w-a-1 a', 'w-b-1 b', 'w-c-1 c']);
  });
});

describe('a pod that names its node', () => {
  const atOnce = classOf('at-once', 'block.standin.example', 'volumeBindingMode: Immediate');

  test('waits for ever where its claim waits for one to be chosen, and the root line says so', () => {
    const world = roomy();
    send(world, `${claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: steady-block, ${size('1Gi')}`)}${named('w-b-1', 'c')}`);
    world.runSettled();
    expect(firstBreak(world, ref('Pod', 'default', 'p'))).toMatchObject({
      joint: 'volume',
      says: 'p names its node, so nobody chooses one for the claim, which waits for that'
    });
    expect(rootLine(world.store, ref('PersistentVolumeClaim', 'default', 'c'))!.firstBreak).toBe('volume');
  });

  test('gets the volume once that is made, where it can be reached from there; else the first break is that it can not', () => {
    const world = roomy();
    send(
      world,
      `${atOnce}${claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: at-once, ${size('1Gi')}`)}${named('w-a-2', 'c')}`
    );
    world.runSettled();
    expect(isReady(world.store.get('Pod', 'default', 'p'))).toBe(true);
    const other = roomy();
    send(
      other,
      `${atOnce}${claimOf('c', `accessModes: [ReadWriteOnce], storageClassName: at-once, ${size('1Gi')}`)}${named('w-c-1', 'c')}`
    );
    other.runUntil(other.nowMs + 60_000);
    expect(firstBreak(other, ref('Pod', 'default', 'p'))).toMatchObject({
      joint: 'attaching',
      says: expect.stringMatching(/^FAILED_PRECONDITION: w-c-1 is out of reach of pvc-/) as string
    });
  });
});

test('a pod whose work is done leaves room: of a job that fits on one node those that follow come one after another', () => {
  const world = roomy({ nodes: 1 });
  send(
    world,
    `apiVersion: batch/v1\nkind: Job\nmetadata: {name: j, namespace: default}\nspec: {parallelism: 3, completions: 3, template: {metadata: {labels: {app: j}}, spec: {restartPolicy: Never, nodeSelector: {kubernetes.io/hostname: w-a-1}, containers: [{name: m, image: "${image}", ports: [{containerPort: 1, hostPort: 9000}]}]}}}\n`
  );
  world.runSettled();
  expect(world.store.get('Job', 'default', 'j')!.status).toMatchObject({ succeeded: 3 });
});

test('a driver whose controller is scaled to nothing is broken, not on its way; the remedy lets it run again', () => {
  const world = roomy();
  const one = world.store.list('Deployment').find(({ metadata }) => metadata.name === 'block-controller')!;
  must(world, { type: 'send', objects: [asManifest({ ...one, spec: { ...one.spec, replicas: 0 } })] });
  world.runSettled();
  send(
    world,
    `${classOf('at-once', 'block.standin.example')}${claimOf('d', `accessModes: [ReadWriteOnce], storageClassName: at-once, ${size('1Gi')}`)}`
  );
  world.runSettled();
  const claim = ref('PersistentVolumeClaim', 'default', 'd');
  expect(firstBreak(world, claim)!.says).toBe('its controller plugin is scaled to nothing');
  expect(mend(world, claim)).toBe('driver');
  expect(world.store.get('PersistentVolumeClaim', 'default', 'd')!.status?.phase).toBe('Bound');
});
