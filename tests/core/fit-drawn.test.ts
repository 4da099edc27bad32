import { expect, test } from 'vitest';
import { changeSheet } from '$core/change';
import { check } from '$core/checker';
import { fitOf, mendedBy, needsOf } from '$core/fit';
import { isReady, refOf } from '$core/model';
import { lineSentence, rootLine } from '$core/rootline';
import { hash32 } from '$core/shared';
import { World, type Store } from '$core/standin';
import { exported } from './exported';
import { must, objects } from './help';
import { roomy } from './roomy';

/*
 * What the table of a draft says of a cluster is held against what the stand-in does when the same is sent, over drawn manifests and
 * clusters: where no square is broken all members come up, and where one is they don't. An export of the same cluster says the same, or
 * that it can't be told; and the checker has an error exactly where they don't come up.
 */
const image = 'shelf.standin.example/tools/t:1';
const zone = 'topology.kubernetes.io/zone';
const host = 'kubernetes.io/hostname';
const apart = (key: string, app = 'a') =>
  `affinity: {podAntiAffinity: {requiredDuringSchedulingIgnoredDuringExecution: [{topologyKey: ${key}, labelSelector: {matchLabels: {app: ${app}}}}]}}`;
const near = (app: string) => apart(zone, app).replace('podAnti', 'podA');
const sized = (requests: string) => `resources: {requests: {${requests}}}`;
const claim = (name: string, more: string, size = '10Gi', modes = 'ReadWriteOnce') =>
  `{metadata: {name: ${name}}, spec: {accessModes: [${modes}], ${more}resources: {requests: {storage: ${size}}}}}`;
const steady = 'storageClassName: steady-block, ';
const mounted = (name: string) => `volumes: [{name: shared, persistentVolumeClaim: {claimName: ${name}}}]`;

/** Fields of the pod, of its container, and what is sent along. */
type Trait = { readonly pod?: string; readonly box?: string; readonly along?: string; readonly count?: number };
const along = (name: string, modes: string, of = 'steady-block') =>
  `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: ${name}, namespace: default}\nspec: {accessModes: [${modes}], storageClassName: ${of}, resources: {requests: {storage: 5Gi}}}`;
const traits: readonly Trait[] = [
  {},
  { count: 7 },
  { count: 1 },
  { pod: `nodeSelector: {${zone}: a}` },
  { pod: 'nodeSelector: {disk: quick}' },
  { pod: apart(host) },
  { pod: apart(zone) },
  { pod: apart(host, 'b') },
  { pod: near('a') },
  { pod: near('nobody') },
  {
    pod: `topologySpreadConstraints: [{maxSkew: 1, topologyKey: ${zone}, whenUnsatisfiable: DoNotSchedule, labelSelector: {matchLabels: {app: a}}}]`
  },
  { pod: 'tolerations: [{operator: Exists}]' },
  { box: 'ports: [{containerPort: 80, hostPort: 9000}]' },
  { box: sized('cpu: "3"') },
  { box: sized('memory: 30Gi') },
  { box: 'resources: {limits: {device.example/lens: "1"}}' },
  { pod: `initContainers: [{name: first, image: ${image}, ${sized('cpu: "5"')}}]` },
  { pod: 'initContainers: [{name: first, image: "elsewhere.example/x/y:1"}]' },
  { pod: 'volumes: [{name: c, configMap: {name: settings}}]' },
  { box: 'env: [{name: A, valueFrom: {secretKeyRef: {name: access, key: a}}}]' },
  {
    box: 'env: [{name: A, valueFrom: {secretKeyRef: {name: access, key: a}}}]',
    along: 'apiVersion: v1\nkind: Secret\nmetadata: {name: access, namespace: default}\nstringData: {a: b}'
  },
  { pod: 'volumes: [{name: h, hostPath: {path: /srv/none, type: Directory}}]' },
  { pod: 'serviceAccountName: keeper' },
  { pod: 'priorityClassName: urgent' },
  { pod: 'schedulerName: mine' },
  { pod: 'schedulingGates: [{name: a.example/wait}]' },
  { pod: 'nodeName: w-a-1' },
  { pod: `volumes: [{name: own, ephemeral: {volumeClaimTemplate: ${claim('x', steady).replace('metadata: {name: x}, ', '')}}}]` },
  { pod: mounted('nothing') },
  { pod: mounted('mine'), along: along('mine', 'ReadWriteOnce') },
  { pod: mounted('ours'), along: along('ours', 'ReadWriteMany', 'shared') }
];
const templates: readonly string[] = [
  '',
  claim('data', steady),
  claim('usual', ''),
  claim('none', 'storageClassName: "", '),
  claim('large', steady, '3000Gi'),
  claim('now', 'storageClassName: at-once, '),
  claim('many', steady, '10Gi', 'ReadWriteMany'),
  claim('one', steady, '10Gi', 'ReadWriteOncePod'),
  claim('chosen', `${steady}selector: {matchLabels: {a: b}}, `),
  claim('unknown', 'storageClassName: no-such, '),
  claim('narrow', 'storageClassName: in-a, '),
  claim('odd', 'storageClassName: odd-class, '),
  claim('filled', `${steady}dataSource: {apiGroup: snapshot.storage.k8s.io, kind: VolumeSnapshot, name: old}, `)
];
const sends = (yaml: string) => (world: World) => {
  must(world, { type: 'send', objects: objects(yaml) });
  world.runSettled();
};
const nodes = (world: World, change: (name: string) => object) => {
  for (const one of world.store.nodes()) world.put({ ...one, spec: { ...one.spec, ...change(one.metadata.name) } });
};
const beside = (more: string, count: number) =>
  `apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: b, namespace: default}\nspec: {replicas: ${count}, selector: {matchLabels: {app: b}}, template: {metadata: {labels: {app: b}}, spec: {${more}}}}`;
const block = (world: World, kind: 'Deployment' | 'DaemonSet') =>
  world.store.list(kind).find(({ metadata }) => /^block-(controller|node)/.test(metadata.name))!;
const clusters: readonly ((world: World) => void)[] = [
  () => {},
  () => {},
  (world) => nodes(world, (name) => ({ unschedulable: name.startsWith('w-c') })),
  (world) => nodes(world, (name) => (name < 'w-c' ? { taints: [{ key: 'role', value: 'x', effect: 'NoSchedule' }] } : {})),
  sends(
    beside(`containers: [{name: m, image: "${image}", ${sized('cpu: "4", memory: 30Gi')}, ports: [{containerPort: 1, hostPort: 9000}]}]`, 6)
  ),
  sends(beside(`${apart(zone)}, containers: [{name: m, image: "${image}"}]`, 2)),
  sends(
    'apiVersion: v1\nkind: ResourceQuota\nmetadata: {name: q, namespace: default}\nspec: {hard: {pods: "2", persistentvolumeclaims: "2"}}'
  ),
  sends(
    'apiVersion: v1\nkind: LimitRange\nmetadata: {name: r, namespace: default}\nspec: {limits: [{type: Container, defaultRequest: {cpu: "9"}, default: {cpu: "9"}}]}'
  ),
  (world) => {
    const space = world.store.get('Namespace', '', 'default')!;
    world.put({ ...space, metadata: { ...space.metadata, labels: { 'pod-security.kubernetes.io/enforce': 'restricted' } } });
  },
  (world) => {
    const one = block(world, 'Deployment');
    if (one.kind === 'Deployment') world.put({ ...one, spec: { ...one.spec, replicas: 0 } });
    world.runSettled();
  },
  (world) => {
    const one = block(world, 'DaemonSet');
    if (one.kind === 'DaemonSet')
      world.put({
        ...one,
        spec: { ...one.spec, template: { ...one.spec.template, spec: { ...one.spec.template.spec, nodeSelector: { [zone]: 'a' } } } }
      });
    world.runSettled();
  }
];
const classes = `apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: at-once}
provisioner: block.standin.example
---
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: in-a}
provisioner: block.standin.example
volumeBindingMode: WaitForFirstConsumer
allowedTopologies: [{matchLabelExpressions: [{key: ${zone}, values: [a]}]}]
---
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: odd-class}
provisioner: block.standin.example
volumeBindingMode: WaitForFirstConsumer
parameters: {speed: wrong}
`;
const may = ['held-back', 'empty-class'];
const errorsIn = (text: string, target: Store): string[] =>
  check([{ text }], target).flatMap(({ code, severity }) => (severity === 'error' || may.includes(code) ? [code] : []));
const kinds = ['StatefulSet', 'StatefulSet', 'StatefulSet', 'Deployment', 'Deployment', 'DaemonSet', 'Pod'] as const;

/** A maker with the traits, and what goes along. */
function drawn(kind: (typeof kinds)[number], one: Trait, two: Trait, template: string): string {
  const spec = [...new Set([one.pod, two.pod])]
    .filter(Boolean)
    .concat(`containers: [{name: main, image: "${image}", ${[...new Set([one.box, two.box])].filter(Boolean).join(', ')}}]`);
  const pod = `{metadata: {labels: {app: a}}, spec: {${spec.join(', ')}}}`;
  const meta = 'metadata: {name: a, namespace: default, labels: {app: a}}';
  const count = one.count ?? two.count ?? 3;
  const maker =
    kind === 'Pod'
      ? `apiVersion: v1\nkind: Pod\n${meta}\nspec: {${spec.join(', ')}}`
      : `apiVersion: apps/v1\nkind: ${kind}\n${meta}\nspec: {${kind === 'DaemonSet' ? '' : `replicas: ${count}, `}selector: {matchLabels: {app: a}}, ${kind === 'StatefulSet' ? `serviceName: a, volumeClaimTemplates: [${template}], ` : ''}template: ${pod}}`;
  const service =
    'apiVersion: v1\nkind: Service\nmetadata: {name: a, namespace: default}\nspec: {clusterIP: None, selector: {app: a}, ports: [{port: 80}]}';
  return [...new Set([one.along, two.along, service])].filter(Boolean).concat(maker).join('\n---\n');
}

/** How many of the members are ready once nothing is under way, and what the first that isn't waits for. */
function comeUp(world: World, kind: (typeof kinds)[number]): { up: boolean; says: string; broken: boolean } {
  const end = world.nowMs + 1_800_000;
  while (!world.settled && world.nextMs !== undefined && world.nextMs <= end) world.runUntil(world.nextMs);
  const pods = world.store.list('Pod', 'default').filter((one) => one.metadata.labels?.app === 'a');
  const maker = world.store.get(kind, 'default', 'a')!;
  const wanted =
    maker.kind === 'Pod' ? 1 : maker.kind === 'DaemonSet' ? (maker.status?.desiredNumberScheduled ?? 0) : (maker.spec.replicas ?? 1);
  const late = pods.find((one) => !isReady(one));
  const line = rootLine(world.store, refOf(late ?? maker));
  return { up: pods.filter(isReady).length >= wanted, says: line ? lineSentence(line) : '', broken: Boolean(line?.firstBreak) };
}

const leavable = [
  'Secret',
  'ConfigMap',
  'ServiceAccount',
  'StorageClass',
  'PersistentVolume',
  'PersistentVolumeClaim',
  'Pod',
  'ResourceQuota',
  'CSINode',
  'CSIDriver'
];

test('drawn manifests on drawn clusters come up where no square is broken, and only there; an export says the same, or that it cannot be told', () => {
  const start = roomy();
  must(start, { type: 'send', objects: objects(classes) });
  start.runSettled();
  const saved = start.save();
  const seen = { up: 0, broken: 0, refused: 0, unseen: 0 };
  for (let nth = 0; nth < (process.env.DEEP ? 4_000 : 260); nth += 1) {
    const draw = <T>(what: string, from: readonly T[]): T => from[hash32(`${what}|${nth}`) % from.length]!;
    const kind = draw('kind', kinds);
    const [one, two] = [draw('one', traits), nth % 3 ? {} : draw('two', traits)];
    // Two of a kind can't both be written.
    const second =
      [one, two].every((each) => each.pod) && one.pod!.split(':')[0] === two.pod!.split(':')[0] ? {} : one.box && two.box ? {} : two;
    // Gates with a node's name are refused; that a node turns away whom it doesn't suit isn't played.
    const both = JSON.stringify([one, second]);
    if (both.includes('nodeName') && /schedulingGates|nodeSelector/.test(both)) continue;
    const text = drawn(kind, one, second, draw('template', templates));
    const list = objects(text);
    const world = World.restore(start.seed, structuredClone(saved));
    draw('cluster', clusters)(world);
    const squares = fitOf(world.store, needsOf(world.store, list), list);
    const mended = [...mendedBy(list, squares)];
    const broken = squares.filter(({ state }) => state === 'broken');
    const what = `${nth} ${kind}: ${JSON.stringify([one, second, draw('template', templates)])} ${broken.map(({ need, says }) => `${need}: ${says}`).join('; ')}`;
    const without: readonly string[] = nth % 2 ? [draw('without', leavable), draw('and', leavable)] : [];
    const export_ = exported(world.store, (each) => without.includes(each));
    const told = fitOf(export_, needsOf(world.store, list), list);
    const bad = told.filter(({ state }) => state === 'broken').map(({ need, says }) => `${need}: ${says}`);
    if (bad.length) expect(broken.length, `${what} | the export alone: ${bad.join('; ')}`).toBeGreaterThan(0);
    else if (!told.some(({ state }) => state === 'unseen')) expect(broken, `${what} | not in the export`).toEqual([]);
    seen.unseen += bad.length ? 0 : 1;
    // What would not work is an error, or a warning where somebody may yet make it work; in an export nothing else is.
    const codes = errorsIn(text, world.store);
    if (!codes.length) expect(errorsIn(text, export_), `${what} | the export alone`).toEqual([]);
    const refused = changeSheet(world.store, mended).refused.length > 0;
    expect(world.act({ type: 'send', objects: mended }).length > 0, what).toBe(refused);
    if (refused) {
      seen.refused += 1;
      continue;
    }
    const { up, says, broken: found } = comeUp(world, kind);
    // Whoever waits for ever has a first break, and nobody else.
    expect(found, `${what} | ${says}`).toBe(!up);
    expect(up, `${what} | ${says}`).toBe(!broken.length);
    // A daemon set that no node takes comes to nothing, whatever its template is.
    const nobody = kind === 'DaemonSet' && !world.store.list('Pod', 'default').some((each) => each.metadata.labels?.app === 'a');
    if (!nobody && mended.every((each, i) => each === list[i]))
      expect(!up, `${what} | ${says} | checker: ${codes.join(', ')}`).toBe(codes.length > 0);
    seen[up ? 'up' : 'broken'] += 1;
  }
  for (const [which, count] of Object.entries(seen)) expect(count, which).toBeGreaterThan(5);
}, 600_000);
