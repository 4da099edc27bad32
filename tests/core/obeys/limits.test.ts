/* What a namespace lets in, and who matters more. Sources: "Limit Ranges", "Resource Quotas", "Pod Security Standards", "Pod Priority and Preemption", "Ephemeral Volumes". */
import { expect, test } from 'vitest';
import { roomOf } from '$core/model';
import { rootLine } from '$core/rootline';
import { objects } from '../help';
import { claim, deployment, eventsAbout, get, image, nodeOf, pod, podsLike, ready, readyOnes, remove, send, set } from './help';

const quota = (hard: string, more = '') =>
  `apiVersion: v1\nkind: ResourceQuota\nmetadata: {name: cap, namespace: space}\nspec: {hard: {${hard}}${more}}\n---\n`;
const range = (limits: string) =>
  `apiVersion: v1\nkind: LimitRange\nmetadata: {name: bounds, namespace: space}\nspec: {limits: [${limits}]}\n---\n`;
const refused = (world: ReturnType<typeof ready>, yaml: string) =>
  world.act({ type: 'send', objects: objects(yaml) }).map((one) => `${one.at?.field}: ${one.message}`);
const asking = (name: string, resources: string, spec = '') =>
  pod(name, spec).replace(`image: ${image}`, `image: ${image}, resources: {${resources}}`);
const priority = (name: string, value: number, more = '') =>
  `apiVersion: scheduling.k8s.io/v1\nkind: PriorityClass\nmetadata: {name: ${name}}\nvalue: ${value}\n${more}---\n`;

const used = (world: ReturnType<typeof ready>) => (get(world, 'ResourceQuota', 'cap')!.status as { used: Record<string, string> }).used;

test('a quota counts what stands, refuses what would exceed it, and is free again when something goes', () => {
  const world = ready();
  send(world, quota('requests.storage: 2Gi, persistentvolumeclaims: 5, pods: 2, requests.cpu: 1500m, count/secrets: 1'));
  expect(refused(world, pod('mute')).join()).toContain("counts requests.cpu of the container main, which it doesn't say");
  send(world, asking('a', 'requests: {cpu: 700m}') + claim('c'));
  world.runSettled();
  expect(used(world)).toEqual({
    'requests.storage': '1Gi',
    persistentvolumeclaims: '1',
    pods: '1',
    'requests.cpu': '700m',
    'count/secrets': '0'
  });
  expect(refused(world, claim('d', '', '1025Mi'))).toEqual([
    expect.stringMatching(/^spec.resources.requests.storage: .*1025Mi of requests.storage asked for, 1Gi used, 2Gi allowed/)
  ]);
  // What is sent together counts together.
  expect(refused(world, claim('d', '', '600Mi') + claim('e', '', '600Mi'))).toHaveLength(1);
  expect(refused(world, asking('b', 'requests: {cpu: 900m}')).join()).toContain('900m of requests.cpu asked for, 700m used, 1500m allowed');
  // A claim that grows counts with what it has more.
  expect(refused(world, claim('c', '', '3Gi')).join()).toContain('2Gi of requests.storage asked for, 1Gi used');
  remove(world, 'Pod', 'a');
  world.runSettled();
  expect(refused(world, asking('b', 'requests: {cpu: 900m}'))).toEqual([]);
});

test('a quota counts what services open: balancers, and the ports on nodes of both kinds that have them', () => {
  const world = ready();
  const service = (name: string, type: string) =>
    `apiVersion: v1\nkind: Service\nmetadata: {name: ${name}, namespace: space}\nspec: {type: ${type}, selector: {app: a}, ports: [{name: x, port: 7110}, {name: y, port: 7111}]}\n---\n`;
  send(world, quota('services: 4, services.loadbalancers: 1, services.nodeports: 5'));
  send(world, service('inside', 'ClusterIP') + service('ports', 'NodePort') + service('balanced', 'LoadBalancer'));
  world.runSettled();
  expect(used(world)).toEqual({ services: '3', 'services.loadbalancers': '1', 'services.nodeports': '4' });
  expect(refused(world, service('second', 'LoadBalancer')).join()).toContain('1 of services.loadbalancers asked for, 1 used, 1 allowed');
  expect(refused(world, service('more', 'NodePort')).join()).toContain('2 of services.nodeports asked for, 4 used, 5 allowed');
  expect(refused(world, service('plain', 'ClusterIP'))).toEqual([]);
});

test("a set whose claim or member isn't let in says so, its root line breaks there, and it goes on when there is room", () => {
  const world = ready();
  send(world, quota('requests.storage: 2Gi') + set());
  world.runUntil(world.nowMs + 120_000);
  expect(readyOnes(world, 's')).toBe(2);
  expect(eventsAbout(world, 'StatefulSet', 's').join()).toContain("FailedCreate: The claim d-s-2 can't be made: the quota cap is exceeded");
  const line = rootLine(world.store, { kind: 'Pod', namespace: 'space', name: 's-2' })!;
  const joint = line.joints.find((one) => one.state === 'broken')!;
  expect([line.firstBreak, joint.says]).toEqual([joint.joint, expect.stringContaining('the quota cap is exceeded')]);
  send(world, quota('requests.storage: 3Gi'));
  world.runUntil(world.nowMs + 120_000);
  expect(readyOnes(world, 's')).toBe(3);
});

test('a range fills in what containers leave out, and refuses what is out of bounds', () => {
  const world = ready();
  send(
    world,
    range(
      '{type: Container, default: {memory: 200Mi}, defaultRequest: {memory: 100Mi}, max: {memory: 300Mi}, maxLimitRequestRatio: {cpu: 2}}, {type: PersistentVolumeClaim, max: {storage: 2Gi}}'
    )
  );
  send(
    world,
    asking('a', 'requests: {cpu: 100m}, limits: {cpu: 150m}') +
      deployment('replicas: 1', `terminationGracePeriodSeconds: 5`).replace(
        `image: ${image}`,
        `image: ${image}, resources: {requests: {cpu: 100m}, limits: {cpu: 200m}}`
      )
  );
  world.runSettled();
  for (const one of [get(world, 'Pod', 'a')!, podsLike(world, 'd')[0]!])
    expect(one.spec.containers[0]!.resources).toMatchObject({ limits: { memory: '200Mi' }, requests: { memory: '100Mi', cpu: '100m' } });
  expect(refused(world, asking('b', 'limits: {memory: 400Mi, cpu: 100m}, requests: {cpu: 100m}'))[0]).toMatch(
    /^spec.containers\[0\].resources: .*may have 400Mi of memory, and at most 300Mi is allowed/
  );
  expect(refused(world, asking('b', 'limits: {cpu: 300m}, requests: {cpu: 100m}'))[0]).toContain('3.0 times the cpu');
  expect(refused(world, asking('b', 'requests: {cpu: 100m}'))[0]).toContain('needs both a request and a limit of cpu');
  expect(refused(world, claim('big', '', '3Gi'))[0]).toContain('at most 2Gi is allowed');
});

test('what a pod was let in with stays when it is sent again; of a pod images, more tolerations and fewer gates are taken, and nothing else', () => {
  const world = ready();
  send(world, pod('old') + pod('gated', 'schedulingGates: [{name: example.test/a}, {name: example.test/b}]'));
  world.runSettled();
  send(world, range('{type: Container, default: {memory: 200Mi}}') + priority('plain', 7, 'globalDefault: true\n'));
  expect(refused(world, pod('old'))).toEqual([]);
  send(world, pod('new'));
  world.runSettled();
  // Of what was filled in nothing is said, and nothing changes.
  expect(refused(world, pod('new'))).toEqual([]);
  expect([get(world, 'Pod', 'old')!.spec.priority, get(world, 'Pod', 'new')!.spec.priority]).toEqual([undefined, 7]);
  expect(refused(world, pod('gated', 'schedulingGates: [{name: example.test/b}, {name: example.test/c}]'))[0]).toContain('schedulingGates');
  expect(refused(world, pod('gated', 'schedulingGates: []'))).toEqual([]);
  world.runSettled();
  expect(nodeOf(world, 'gated')).toBeDefined();
  expect(refused(world, pod('old', 'tolerations: [{key: a, operator: Exists}]'))).toEqual([]);
  expect(refused(world, pod('old', 'tolerations: []'))[0]).toContain('tolerations');
  expect(
    refused(
      world,
      pod('old').replace(image, 'shelf.standin.example/tools/t:2').replace('metadata: {name: old', 'metadata: {name: old')
    ).join()
  ).toContain('tolerations');
  expect(refused(world, priority('plain', 8, 'globalDefault: true\n'))[0]).toMatch(/^value: /);
});

test('a namespace lets in pods of its level only; owners hear of it', () => {
  const world = ready();
  send(
    world,
    'apiVersion: v1\nkind: Namespace\nmetadata: {name: space, labels: {team: blue, pod-security.kubernetes.io/enforce: restricted}}\n---\n'
  );
  const good = 'securityContext: {runAsNonRoot: true, runAsUser: 7, seccompProfile: {type: RuntimeDefault}}';
  const kept = (more = '') => `securityContext: {allowPrivilegeEscalation: false, capabilities: {drop: [ALL]}${more}}`;
  const shaped = (name: string, spec: string, own: string) => pod(name, spec).replace(`image: ${image}`, `image: ${image}, ${own}`);
  expect(refused(world, pod('plain'))[0]).toContain('securityContext.allowPrivilegeEscalation is not false');
  expect(refused(world, shaped('node', `${good}, volumes: [{name: h, hostPath: {path: /var}}]`, kept()))[0]).toContain(
    "is the node's own directory"
  );
  expect(refused(world, shaped('strong', good, kept().replace('drop: [ALL]', 'drop: [NET_RAW]')))[0]).toContain("drop doesn't name ALL");
  expect(refused(world, shaped('fine', good, kept()))).toEqual([]);
  send(world, deployment('replicas: 1'));
  world.runUntil(world.nowMs + 60_000);
  const [between] = world.store.list('ReplicaSet', 'space');
  expect(eventsAbout(world, 'ReplicaSet', between!.metadata.name).join()).toContain('lets in pods of the level restricted only');
  const line = rootLine(world.store, { kind: 'Deployment', namespace: 'space', name: 'd' })!;
  expect(line.joints.find((one) => one.state === 'broken')!.says).toContain('lets in pods of the level restricted only');
  // Less is asked for: the deployment goes on by itself.
  send(
    world,
    'apiVersion: v1\nkind: Namespace\nmetadata: {name: space, labels: {team: blue, pod-security.kubernetes.io/enforce: baseline}}\n---\n'
  );
  world.runUntil(world.nowMs + 120_000);
  expect(readyOnes(world, 'd')).toBe(1);
  expect(refused(world, shaped('strong', '', 'securityContext: {privileged: true}'))).toHaveLength(1);
});

test('who matters more gets room from who matters less, the fewest and least weighty go, and nobody else', () => {
  const world = ready();
  const only = 'nodeSelector: {kubernetes.io/hostname: node-a1}';
  const room = 'requests: {cpu: 1}';
  send(world, priority('low', 10) + priority('mid', 50) + priority('high', 1_000) + priority('kind', 1_000, 'preemptionPolicy: Never\n'));
  const left = roomOf(world.store.get('Node', '', 'node-a1')!).milliCpu - world.store.useOf('node-a1').milliCpu;
  for (let i = 0; i < Math.floor(left / 1_000) - 1; i += 1)
    send(world, asking(`f${i}`, room, `${only}, priorityClassName: ${i ? 'mid' : 'low'}`));
  world.runSettled();
  const before = world.store.podsOn('node-a1').map((one) => one.metadata.name);
  const free = 'requests: {cpu: 2}';
  expect(refused(world, asking('strange', free, `${only}, priorityClassName: none`))[0]).toBe(
    'spec.priorityClassName: Pod space/strange: there is no PriorityClass none.'
  );
  send(world, asking('polite', free, `${only}, priorityClassName: kind`));
  world.runSettled();
  expect(nodeOf(world, 'polite')).toBeUndefined();
  remove(world, 'Pod', 'polite');
  send(world, asking('loud', free, `${only}, priorityClassName: high`));
  world.runUntil(world.nowMs + 60_000);
  expect(get(world, 'Pod', 'loud')!.spec.priority).toBe(1_000);
  expect(nodeOf(world, 'loud')).toBe('node-a1');
  const gone = before.filter((name) => !world.store.podsOn('node-a1').some((one) => one.metadata.name === name));
  expect(gone).toEqual(['f0']);
});

test('a claim that a pod has for itself alone is made with it, named after it, and goes with it', () => {
  const world = ready();
  const own =
    'volumes: [{name: d, ephemeral: {volumeClaimTemplate: {metadata: {labels: {x: y}}, spec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 1Gi}}}}}}]';
  send(world, pod('p', own).replace(`image: ${image}`, `image: ${image}, volumeMounts: [{name: d, mountPath: /d}]`));
  world.runSettled();
  const made = get(world, 'PersistentVolumeClaim', 'p-d')!;
  expect(made).toMatchObject({
    metadata: { labels: { x: 'y' }, ownerReferences: [{ kind: 'Pod', name: 'p', controller: true }] },
    status: { phase: 'Bound' }
  });
  expect(get(world, 'Pod', 'p')!.status!.phase).toBe('Running');
  expect(
    rootLine(world.store, { kind: 'Pod', namespace: 'space', name: 'p' })!.joints.some(
      (one) => one.joint === 'claim' && one.label.includes('p-d')
    )
  ).toBe(true);
  remove(world, 'Pod', 'p');
  world.runSettled();
  expect([
    get(world, 'PersistentVolumeClaim', 'p-d'),
    world.store.list('Asset').some((one) => one.spec.requestName === made.spec.volumeName)
  ]).toEqual([undefined, false]);
  // Somebody else's claim of that name is not taken.
  send(world, claim('q-d') + pod('q', own));
  world.runSettled();
  expect(nodeOf(world, 'q')).toBeUndefined();
  expect(eventsAbout(world, 'Pod', 'q').join()).toContain("q-d is not the pod's own");
});

test('room is made on whatever node of a large cluster, not on the first ones alone', () => {
  const world = ready();
  const [first] = world.store.nodes();
  // A hundred and fifty nodes on which nobody stands who could go, before the one that counts.
  for (let i = 0; i < 150; i += 1)
    world.put({
      ...first!,
      metadata: { name: `full-${String(i).padStart(3, '0')}`, labels: { kind: 'full' } },
      status: { ...first!.status, allocatable: { cpu: '10m', memory: '1Mi', pods: '10' } }
    });
  world.put({
    ...first!,
    metadata: { name: 'zz-last', labels: { last: 'yes' } },
    status: { ...first!.status, allocatable: { cpu: '1', memory: '4Gi', pods: '10' } }
  });
  send(world, priority('high', 1_000) + asking('low', 'requests: {cpu: 900m}', 'nodeSelector: {last: "yes"}'));
  world.runSettled();
  expect(nodeOf(world, 'low')).toBe('zz-last');
  send(world, asking('loud', 'requests: {cpu: 900m}', 'nodeSelector: {last: "yes"}, priorityClassName: high'));
  world.runUntil(world.nowMs + 60_000);
  expect(nodeOf(world, 'loud')).toBe('zz-last');
});
