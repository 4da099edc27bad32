/* What the cluster API's pages on placing say, tried by behaviour. Sources: "Assigning Pods to Nodes", "Pod Topology Spread Constraints", "Taints and Tolerations", "Pod Scheduling Readiness". */
import { expect, test } from 'vitest';
import { rootLine } from '$core/rootline';
import { alter, claim, deployment, eventsAbout, get, mounts, nodeOf, pod, podsLike, ready, send, zoneIs } from './help';

const near = (kind: string, term: string) => `affinity: {${kind}: {requiredDuringSchedulingIgnoredDuringExecution: [{${term}}]}}`;
const zone = 'topology.kubernetes.io/zone';

test('more than seventeen siblings stand on one node', () => {
  const world = ready();
  send(world, deployment('replicas: 24', 'nodeSelector: {kubernetes.io/hostname: node-a1}'));
  world.runSettled();
  expect(podsLike(world, 'd').filter((one) => one.spec.nodeName === 'node-a1')).toHaveLength(24);
});

test('required company is waited for, found by zone, and the first of its own kind may stand alone', () => {
  const world = ready();
  send(world, pod('late', near('podAffinity', `topologyKey: ${zone}, labelSelector: {matchLabels: {app: store}}`)));
  world.runSettled();
  expect(nodeOf(world, 'late')).toBeUndefined();
  expect(eventsAbout(world, 'Pod', 'late').join()).toContain('without the company that it asks for');
  send(world, pod('store', 'nodeSelector: {kubernetes.io/hostname: node-b2}', 'app: store'));
  world.runSettled();
  // Somebody else has to look again: a node that changes, or a pod that goes.
  alter(world, 'node-a1', (labels) => ({
    metadata: { ...world.store.get('Node', '', 'node-a1')!.metadata, labels: { ...labels, x: 'y' } }
  }));
  world.runSettled();
  expect(zoneIs(world, 'late')).toBe('b');
  const own = near('podAffinity', `topologyKey: ${zone}, labelSelector: {matchLabels: {app: pack}}`);
  send(world, pod('pack-1', own, 'app: pack') + pod('pack-2', own, 'app: pack'));
  world.runSettled();
  expect(zoneIs(world, 'pack-1')).toBeDefined();
  expect(zoneIs(world, 'pack-2')).toBe(zoneIs(world, 'pack-1'));
});

test('who keeps apart over a zone keeps newcomers out of all of it, in namespaces that a selector chooses too', () => {
  const world = ready();
  send(
    world,
    pod(
      'shy',
      `nodeSelector: {kubernetes.io/hostname: node-a1}, ${near('podAntiAffinity', `topologyKey: ${zone}, namespaceSelector: {matchLabels: {team: blue}}, labelSelector: {matchLabels: {app: loud}}`)}`
    )
  );
  world.runSettled();
  send(world, pod('loud', `nodeSelector: {${zone}: a}`, 'app: loud'));
  world.runSettled();
  expect(zoneIs(world, 'loud')).toBeUndefined();
  expect(eventsAbout(world, 'Pod', 'loud').join()).toContain('2 where a pod it keeps apart from stands');
});

test('a node by its name, and what is only wished for', () => {
  const world = ready();
  const named = (name: string) =>
    `affinity: {nodeAffinity: {requiredDuringSchedulingIgnoredDuringExecution: {nodeSelectorTerms: [{matchExpressions: [], matchFields: [{key: metadata.name, operator: In, values: [${name}]}]}]}}}`;
  const wished = `affinity: {nodeAffinity: {preferredDuringSchedulingIgnoredDuringExecution: [{weight: 100, preference: {matchExpressions: [{key: kubernetes.io/hostname, operator: In, values: [node-b2]}]}}]}}`;
  send(world, pod('named', named('node-b1')) + pod('wished', wished) + pod('nowhere', named('node-z')));
  world.runSettled();
  expect([nodeOf(world, 'named'), nodeOf(world, 'wished'), nodeOf(world, 'nowhere')]).toEqual(['node-b1', 'node-b2', undefined]);
});

test('a spread over more domains than there are waits; one that need not hold is heeded where it can be', () => {
  const world = ready();
  const spread = (more: string) =>
    `topologySpreadConstraints: [{maxSkew: 1, topologyKey: ${zone}, labelSelector: {matchLabels: {app: wide}}, ${more}}]`;
  send(world, [1, 2, 3].map((n) => pod(`wide-${n}`, spread('whenUnsatisfiable: DoNotSchedule, minDomains: 3'), 'app: wide')).join(''));
  world.runSettled();
  expect([1, 2, 3].filter((n) => nodeOf(world, `wide-${n}`)).length).toBe(2);
  const soft = `topologySpreadConstraints: [{maxSkew: 1, topologyKey: ${zone}, whenUnsatisfiable: ScheduleAnyway, labelSelector: {matchLabels: {app: soft}}}]`;
  send(world, [1, 2, 3, 4].map((n) => pod(`soft-${n}`, soft, 'app: soft')).join(''));
  world.runSettled();
  expect([1, 2, 3, 4].map((n) => zoneIs(world, `soft-${n}`)).sort()).toEqual(['a', 'a', 'b', 'b']);
});

test('host ports, other resources, gates and other schedulers hold a pod back, each with its reason', () => {
  const world = ready();
  const port = (name: string) =>
    pod(name, 'nodeSelector: {kubernetes.io/hostname: node-a1}').replace(
      'name: main,',
      'name: main, ports: [{containerPort: 80, hostPort: 8099}],'
    );
  send(world, port('first') + port('second'));
  send(
    world,
    pod('large').replace('name: main,', "name: main, resources: {limits: {example.test/dongle: '1'}},") +
      pod('gated', 'schedulingGates: [{name: example.test/quota}]') +
      pod('other', 'schedulerName: own')
  );
  world.runSettled();
  expect(['first', 'second'].filter((name) => nodeOf(world, name))).toHaveLength(1);
  const waits = ['first', 'second'].find((name) => !nodeOf(world, name))!;
  expect(eventsAbout(world, 'Pod', waits).join()).toContain('where the host port is taken');
  expect(eventsAbout(world, 'Pod', 'large').join()).toContain('4 without the other resources asked for');
  expect(get(world, 'Pod', 'gated')!.status!.conditions).toMatchObject([{ type: 'PodScheduled', reason: 'SchedulingGated' }]);
  for (const name of ['gated', 'other']) {
    expect(nodeOf(world, name)).toBeUndefined();
    expect(rootLine(world.store, { kind: 'Pod', namespace: 'space', name })!.firstBreak).toBe('placing');
  }
});

test('a taint that sends away is obeyed when it is set by hand, after as long as a pod bears with it', () => {
  const world = ready();
  const on = 'nodeSelector: {kubernetes.io/hostname: node-a1}';
  send(
    world,
    pod('frail', on) +
      pod('patient', `${on}, tolerations: [{key: broken, operator: Exists, effect: NoExecute, tolerationSeconds: 120}]`) +
      pod('calm', `${on}, tolerations: [{operator: Exists}]`)
  );
  world.runSettled();
  alter(world, 'node-a1', () => ({ spec: { taints: [{ key: 'broken', effect: 'NoExecute' }] } }));
  world.runUntil(world.nowMs + 60_000);
  expect(['frail', 'patient', 'calm'].map((name) => get(world, 'Pod', name) !== undefined)).toEqual([false, true, true]);
  world.runUntil(world.nowMs + 120_000);
  expect(['patient', 'calm'].map((name) => get(world, 'Pod', name) !== undefined)).toEqual([false, true]);
});

test('a class that waits takes a pre-made volume on the node of its pod, and makes none outside of its topologies', () => {
  const world = ready();
  const volume = (name: string, size: string, place: string) =>
    `apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: ${name}}\nspec:\n  capacity: {storage: ${size}}\n  accessModes: [ReadWriteOnce]\n  storageClassName: shelf\n  csi: {driver: block.standin.example, volumeHandle: ${name}}\n  nodeAffinity: {required: {nodeSelectorTerms: [{matchExpressions: [{key: ${zone}, operator: In, values: [${place}]}]}]}}\n---\n`;
  const cls = (name: string, provisioner: string, more = '') =>
    `apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: ${name}}\nprovisioner: ${provisioner}\nvolumeBindingMode: WaitForFirstConsumer\n${more}---\n`;
  send(world, cls('shelf', 'kubernetes.io/no-provisioner') + volume('near', '1Gi', 'b') + volume('far', '5Gi', 'a'));
  send(world, claim('c', 'storageClassName: shelf') + pod('p', `nodeSelector: {${zone}: a}, ${mounts('c')}`));
  world.runSettled();
  expect(get(world, 'PersistentVolumeClaim', 'c')!.spec.volumeName).toBe('far');
  send(world, claim('none', 'storageClassName: shelf') + pod('q', `nodeSelector: {${zone}: a}, ${mounts('none')}`));
  world.runSettled();
  expect(eventsAbout(world, 'Pod', 'q').join()).toContain('2 without a pre-made volume that fits');
  send(world, cls('narrow', 'block.standin.example', `allowedTopologies: [{matchLabelExpressions: [{key: ${zone}, values: [b]}]}]\n`));
  send(world, claim('n', 'storageClassName: narrow') + pod('r', mounts('n')));
  send(world, claim('m', 'storageClassName: narrow') + pod('t', `nodeSelector: {${zone}: a}, ${mounts('m')}`));
  world.runSettled();
  expect(zoneIs(world, 'r')).toBe('b');
  expect(eventsAbout(world, 'Pod', 't').join()).toContain('2 outside the topologies that its class allows');
});
