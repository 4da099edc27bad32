import { bytesOf, milliCpuOf } from '../shared';
import {
  askOf,
  claimsOf,
  keyOf,
  pointersOf,
  refOf,
  zoneLabel,
  type ApiObject,
  type Claim,
  type Deployment,
  type Ground,
  type PodSpec,
  type StatefulSet,
  type StorageClass
} from '../model';
import { installObjects, installOf, operatorOf, runsOperator } from '../standin';
import { startingGround, withFiles } from './layout';

/** A cluster that has what manifests ask for. */
export interface Proposal {
  readonly ground: Ground;
  /** What is sent to it first: drivers, then the classes that the manifests name. */
  readonly supply: readonly ApiObject[];
  /** What was asked for, in sentences. */
  readonly says: readonly string[];
  /** What the manifests ask for and it doesn't have, so that they will wait for it. */
  readonly lacks: readonly string[];
}

interface Asked {
  readonly spec: PodSpec;
  readonly pods: number;
  /** At most one of them on a node. */
  readonly apart: boolean;
}

const hostname = 'kubernetes.io/hostname';

function askedBy(object: ApiObject): Asked | undefined {
  if (object.kind === 'Pod') return { spec: object.spec, pods: 1, apart: false };
  if (object.kind !== 'StatefulSet' && object.kind !== 'Deployment' && object.kind !== 'DaemonSet' && object.kind !== 'Job')
    return undefined;
  const { spec } = object.spec.template;
  const rules = spec.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? [];
  const pods = object.kind === 'StatefulSet' || object.kind === 'Deployment' ? (object.spec.replicas ?? 1) : 1;
  return { spec, pods, apart: rules.some((one) => one.topologyKey === hostname) };
}

/** Zones that pods say they must stand in. */
function zonesIn(objects: readonly ApiObject[]): string[] {
  const text = JSON.stringify(objects);
  const found = new Set<string>();
  for (const match of text.matchAll(new RegExp(`"${zoneLabel}":"([a-z0-9-]+)"`, 'g'))) found.add(match[1]!);
  for (const match of text.matchAll(new RegExp(`"key":"${zoneLabel}","operator":"In","values":\\[([^\\]]*)\\]`, 'g')))
    for (const one of match[1]!.matchAll(/"([a-z0-9-]+)"/g)) found.add(one[1]!);
  return [...found].sort();
}

/** Claims that manifests ask for, with how many of each. */
function claimsAsked(objects: readonly ApiObject[]): { spec: Claim['spec']; count: number; users: number }[] {
  const sets = objects.filter((one): one is StatefulSet => one.kind === 'StatefulSet');
  const users = (name: string, namespace: string | undefined) =>
    objects
      .filter((one): one is StatefulSet | Deployment => one.kind === 'StatefulSet' || one.kind === 'Deployment')
      .filter((one) => one.metadata.namespace === namespace && claimsOf(one.spec.template.spec).includes(name))
      .reduce((sum, one) => sum + (one.spec.replicas ?? 1), 0);
  return [
    ...sets.flatMap((set) =>
      (set.spec.volumeClaimTemplates ?? []).map((one) => ({ spec: one.spec, count: set.spec.replicas ?? 1, users: 1 }))
    ),
    ...objects
      .filter((one): one is Claim => one.kind === 'PersistentVolumeClaim')
      .map((one) => ({ spec: one.spec, count: 1, users: users(one.metadata.name, one.metadata.namespace) }))
  ];
}

const many = (spec: Claim['spec']): boolean => spec.accessModes.some((mode) => mode === 'ReadWriteMany' || mode === 'ReadOnlyMany');
const classObject = (name: string, shared: boolean, isDefault: boolean): StorageClass => ({
  apiVersion: 'storage.k8s.io/v1',
  kind: 'StorageClass',
  metadata: { name, ...(isDefault ? { annotations: { 'storageclass.kubernetes.io/is-default-class': 'true' } } : {}) },
  provisioner: shared ? 'files.standin.example' : 'block.standin.example',
  ...(shared ? {} : { parameters: { 'csi.storage.k8s.io/fstype': 'ext4' } }),
  reclaimPolicy: 'Delete',
  volumeBindingMode: shared ? 'Immediate' : 'WaitForFirstConsumer',
  allowVolumeExpansion: true
});

/** Labels that every node has. */
const nodeLabels = [hostname, zoneLabel, 'kubernetes.io/os'];

/** What manifests ask for that neither they nor the proposed cluster bring. */
function lacking(objects: readonly ApiObject[], supply: readonly ApiObject[], asked: readonly Asked[]): string[] {
  // Whatever names no namespace in a manifest goes to the one called default.
  const placed = (one: ApiObject): ApiObject =>
    one.metadata.namespace ? one : ({ ...one, metadata: { ...one.metadata, namespace: 'default' } } as ApiObject);
  const there = new Set([...objects, ...supply].flatMap((one) => [keyOf(refOf(one)), keyOf(refOf(placed(one)))]));
  const labels = asked.flatMap(({ spec }) => [
    ...Object.entries(spec.nodeSelector ?? {}).map(([key, value]) => [key, `${key}: ${value}`] as const),
    ...(spec.affinity?.nodeAffinity?.requiredDuringSchedulingIgnoredDuringExecution?.nodeSelectorTerms ?? []).flatMap((term) =>
      (term.matchExpressions ?? [])
        .filter((one) => one.operator !== 'NotIn' && one.operator !== 'DoesNotExist')
        .map((one) => [one.key, one.values?.length ? `${one.key}: ${one.values.join(' or ')}` : one.key] as const)
    )
  ]);
  // One that is ordered is installed by the manager, if the manager comes along.
  const operated = ({ kind }: ApiObject): boolean => {
    const card = operatorOf(kind);
    return (
      !card ||
      objects.some((one) =>
        one.kind === 'OperatorOrder' ? one.spec.operator === card.name : one.kind === 'Deployment' && runsOperator(one, card)
      )
    );
  };
  return [
    ...new Set([
      ...labels.filter(([key]) => !nodeLabels.includes(key)).map(([, says]) => `nodes with the label ${says}`),
      ...objects
        .map(placed)
        .flatMap((one) => pointersOf(one))
        .filter((one) => !one.optional && !there.has(keyOf(one)))
        .map((one) => `${one.kind} ${one.name}, which isn't among the manifests`),
      ...objects.filter((one) => !operated(one)).map((one) => `an operator that looks after ${one.kind}`),
      ...(objects.some((one) => one.kind === 'Pool') ? ['raw disks for a pool'] : [])
    ])
  ];
}

/** More nodes than this, and the layout's ranges are too narrow for them. */
const fewNodes = 200;
const wideRanges = { podRange: '10.64.0.0/10', nodeRange: '172.30.0.0/20' };

/** Room that is left beside what is asked for, so that one node may be lost. */
const spareNodes = 1;

/**
 * Proposes a cluster for manifests: the classes that they name, nodes enough for what they ask for (one more than that, so that one may be
 * lost), the zones that they name. What they bring along themselves is left to them.
 */
export function proposeCluster(name: string, objects: readonly ApiObject[]): Proposal {
  const asked = objects.flatMap((one) => askedBy(one) ?? []);
  const claims = claimsAsked(objects);
  const brought = new Set(objects.filter((one) => one.kind === 'StorageClass').map((one) => one.metadata.name));
  const wanted = new Map<string, boolean>();
  for (const { spec } of claims)
    if (spec.storageClassName !== '' && !brought.has(spec.storageClassName ?? ''))
      wanted.set(spec.storageClassName ?? '', (wanted.get(spec.storageClassName ?? '') ?? false) || many(spec));
  const shared = [...wanted.values()].some(Boolean) || claims.some(({ spec }) => many(spec));
  const zones = zonesIn(objects);
  const places = zones.length ? zones : ['a', 'b', 'c'];
  const largest = asked.reduce(
    (most, { spec }) => {
      const one = askOf(spec);
      return { milliCpu: Math.max(most.milliCpu, one.milliCpu), memoryBytes: Math.max(most.memoryBytes, one.memoryBytes) };
    },
    { milliCpu: 0, memoryBytes: 0 }
  );
  const total = asked.reduce(
    (sum, { spec, pods }) => {
      const one = askOf(spec);
      return { milliCpu: sum.milliCpu + pods * one.milliCpu, memoryBytes: sum.memoryBytes + pods * one.memoryBytes };
    },
    { milliCpu: 0, memoryBytes: 0 }
  );
  const gib = 2 ** 30;
  // Drivers and the system take some of each node; what is asked for in the largest pod has to fit beside them.
  const cpu = Math.max(5, Math.ceil(largest.milliCpu / 1_000) + 1);
  const memoryGib = Math.max(18, Math.ceil(largest.memoryBytes / gib) + 3);
  const apart = Math.max(1, ...asked.filter((one) => one.apart).map((one) => one.pods));
  const byRoom = Math.max(
    Math.ceil(total.milliCpu / (milliCpuOf(String(cpu)) - 700)),
    Math.ceil(total.memoryBytes / ((memoryGib - 2) * gib))
  );
  const nodes = Math.max(apart, byRoom, places.length) + spareNodes;
  const start = startingGround(name, 'production');
  const each = Math.ceil(nodes / places.length);
  const groups = places.map((zone) => ({
    ...start.spec.groups![0]!,
    name: `worker-${zone}`,
    zone,
    count: each,
    cpu: String(cpu),
    memory: `${memoryGib}Gi`
  }));
  const bytes = claims.reduce((sum, one) => sum + one.count * bytesOf(one.spec.resources.requests.storage), 0);
  const perZone = `${Math.max(1_000, 100 * Math.ceil((1.5 * bytes) / gib / 100))}Gi`;
  const { firstClass: _, ...first } = start.spec;
  const spec = nodes > fewNodes ? { ...first, ...wideRanges } : first;
  const count = claims.reduce((sum, one) => sum + one.count, 0);
  const biggest = Math.max(0, ...claims.map((one) => bytesOf(one.spec.resources.requests.storage)));
  const backends = (spec.backends ?? []).map((one) => ({
    ...one,
    zones: places.map((zone) => ({ name: zone, capacity: perZone })),
    quotaVolumes: Math.max(one.quotaVolumes, 2 * count),
    ...(biggest > bytesOf(one.mostSize ?? '0') ? { mostSize: `${Math.ceil(biggest / gib)}Gi` } : {})
  }));
  const ground: Ground = { ...start, spec: withFiles({ ...spec, groups, backends }, shared) };
  const named = [...wanted].filter(([one]) => one !== '');
  const needsDefault = wanted.has('');
  const drivers = ['block.standin.example', ...(shared ? ['files.standin.example'] : [])];
  const supplied = [
    ...drivers.flatMap((one) => installObjects(installOf(one, ground.spec.version)!)),
    ...named.map(([one, isShared]) => classObject(one, isShared, false)),
    ...(needsDefault ? [classObject('ordinary', wanted.get('')!, true)] : [])
  ];
  // Two drivers share a namespace.
  const supply = [...new Map(supplied.map((one) => [keyOf(refOf(one)), one])).values()];
  return {
    ground,
    supply,
    lacks: lacking(objects, supply, asked),
    says: [
      `${each * places.length} nodes of ${cpu} CPU and ${memoryGib} GiB in ${places.length === 1 ? 'zone' : 'zones'} ${places.join(', ')}${apart > 1 ? `, as ${apart} members each want a node of their own` : ''}`,
      ...(named.length ? [`${named.length === 1 ? 'the class' : 'the classes'} ${named.map(([one]) => one).join(', ')}`] : []),
      ...(needsDefault ? ['a default class, as claims name none'] : []),
      ...(shared ? ['shared files with a mount target in each zone'] : []),
      'whatever registry the images name'
    ]
  };
}
