import { scopeIn } from '$core/exports';
import { epochMs, majorityOf, wordsOf } from '$core/shared';
import {
  clusterDomain,
  madeIn,
  momentIn,
  claimsOf,
  isReady,
  memberClaim,
  memberName,
  ordinalsOf,
  pairsMatch,
  readySinceMs,
  zoneOf,
  type DaemonSet,
  type Deployment,
  type Pod,
  type StatefulSet,
  podsMadeBy
} from '$core/model';
import { breakOf, causeOf, rootLine, type State } from '$core/rootline';
import { certificateFacts, decidesByMajority, enginePartOf, outsidePlaces, tlsSecretOf, partRank, workloadOfTemplate } from '$core/standin';
import { blueprintOf, daemonSetsOf, deploymentsOf, setsOf, type Scene } from './scene';

export interface MemberRow {
  readonly ordinal: number | null;
  readonly name: string;
  readonly exists: boolean;
  readonly address: string;
  readonly dns: string;
  /** From anywhere in the cluster. */
  readonly fullDns: string;
  readonly node: string;
  readonly zone: string;
  readonly claims: readonly { readonly name: string; readonly size: string }[];
  readonly state: State;
  readonly label: string;
  /** What its engine says of itself, where one runs in it. */
  readonly role: string;
  readonly position: number | null;
  readonly lag: number | null;
}

/** What the engine in a member says of it. */
function standingOf({ facts }: Scene, namespace: string, name: string): Pick<MemberRow, 'role' | 'position' | 'lag'> & { says: string } {
  const status = facts.get('Process', namespace, name)?.status;
  return { role: status?.role ?? '', position: status?.position ?? null, lag: status?.lag ?? null, says: status?.says ?? '' };
}

/** What a member is about just now, read from its root line. */
function stateOf(
  scene: Scene,
  namespace: string,
  name: string,
  pod: Pod | undefined,
  waitsFor: string | undefined
): { state: State; label: string } {
  if (!pod && !scene.facts.knowsProvider && scopeIn(scene.facts).of('Pod', namespace) !== 'contained')
    return { state: 'unseen', label: 'not in the export' };
  if (!pod) return { state: 'waiting', label: waitsFor ? `after ${waitsFor}` : 'not made yet' };
  const since = readySinceMs(pod);
  if (pod.metadata.deletionTimestamp) return { state: 'settling', label: 'is being taken away' };
  const { says } = standingOf(scene, namespace, name);
  if (since !== undefined)
    return says
      ? { state: 'settling', label: says }
      : { state: 'holds', label: `ready ${momentIn(scene.facts, since).replace(/^T\+/, '')}` };
  const line = rootLine(scene.facts, { kind: 'Pod', namespace, name });
  const broken = line && breakOf(line);
  if (broken)
    return {
      state:
        broken.joint === 'backend' || broken.joint === 'rights' || broken.joint === 'driver' || broken.joint === 'class'
          ? 'waiting'
          : 'broken',
      label: causeOf(broken)
    };
  const moving = line?.joints.find((one) => one.state === 'settling');
  const overdue = line?.joints.find((one) => one.overdueSinceMs !== undefined);
  if (overdue) return { state: 'unseen', label: overdue.says };
  if (!moving) return { state: 'waiting', label: 'waits' };
  const { settling } = moving;
  const band = settling
    ? `, normal ${Math.round(settling.normalMs[0] / 1000)}–${Math.round(settling.normalMs[1] / 1000)} s, so far ${wordsOf(scene.facts.nowMs - settling.sinceMs)}`
    : '';
  return { state: 'settling', label: `${moving.title.toLowerCase()}: ${moving.says}${band}` };
}

const withoutSays = ({ role, position, lag }: ReturnType<typeof standingOf>) => ({ role, position, lag });

/** Claims that a member mounts: those of the set's template, and those that all its members share. */
const claimNames = (set: StatefulSet, ordinal: number): { claimName: string; size: string }[] => [
  ...(set.spec.volumeClaimTemplates ?? []).map((one) => ({
    claimName: memberClaim(one.metadata.name, set, ordinal),
    size: String(one.spec.resources.requests.storage)
  })),
  ...claimsOf(set.spec.template.spec).map((claimName) => ({ claimName, size: '' }))
];

function memberRow(scene: Scene, set: StatefulSet, ordinal: number): MemberRow {
  const { facts } = scene;
  const namespace = set.metadata.namespace ?? '';
  const name = memberName(set, ordinal);
  const pod = facts.get('Pod', namespace, name);
  const before = ordinalsOf(set)
    .filter((one) => one < ordinal)
    .at(-1);
  const node = pod?.spec.nodeName ?? '';
  return {
    ordinal,
    name,
    exists: pod !== undefined,
    address: pod?.status?.podIP ?? '',
    dns: set.spec.serviceName ? `${name}.${set.spec.serviceName}` : '',
    fullDns: set.spec.serviceName ? `${name}.${set.spec.serviceName}.${namespace}.svc.${clusterDomain(facts)}` : '',
    node,
    zone: zoneOf(facts.get('Node', '', node)),
    claims: claimNames(set, ordinal).map(({ claimName, size }) => {
      const claim = facts.get('PersistentVolumeClaim', namespace, claimName);
      return { name: claimName, size: String(claim?.status?.capacity?.storage ?? claim?.spec.resources.requests.storage ?? size) };
    }),
    ...withoutSays(standingOf(scene, namespace, name)),
    ...stateOf(scene, namespace, name, pod, before === undefined ? undefined : memberName(set, before))
  };
}

const ports = (ports: readonly { port: number }[] | undefined) => (ports ?? []).map((one) => one.port).join(', ');

/** Services that lead to a workload, and who can reach them. */
function reachOf({ facts }: Scene, namespace: string, labels: Readonly<Record<string, string>> | undefined) {
  return facts
    .list('Service', namespace)
    .filter((one) => pairsMatch(one.spec.selector, labels))
    .map((one) => ({
      name: one.metadata.name,
      ports: ports(one.spec.ports),
      headless: one.spec.clusterIP === 'None',
      outside: one.spec.type === 'LoadBalancer' || one.spec.type === 'NodePort',
      addresses: outsidePlaces(facts, one)
    }));
}

function secretsOf(one: StatefulSet | Deployment | DaemonSet): string[] {
  const names = one.spec.template.spec.containers.flatMap((container) =>
    (container.env ?? []).map((env) => env.valueFrom?.secretKeyRef?.name)
  );
  return [...new Set(names.filter((name): name is string => name !== undefined))];
}

/** The certificate that members of a workload show each other: how many names it carries, and for how many more days. */
function certificateOf({ facts }: Scene, one: StatefulSet | Deployment | DaemonSet) {
  const pod = podsMadeBy(facts, one)[0];
  const name = pod && tlsSecretOf(facts, pod);
  const text = name === undefined ? undefined : facts.get('Secret', one.metadata.namespace ?? '', name)?.data?.['tls.crt'];
  const found = text === undefined ? undefined : certificateFacts(Buffer.from(text, 'base64').toString('utf8'));
  return found ? { names: found.names.length, days: Math.floor((found.untilMs - epochMs - facts.nowMs) / 86_400_000) } : null;
}

/** What the heads of all bands show alike. */
const headOf = (scene: Scene, one: StatefulSet | Deployment | DaemonSet) => ({
  workload: workloadOfTemplate(one),
  enginePart: enginePartOf(one.spec.template),
  engine: enginePartOf(one.spec.template)?.engine ?? null,
  /** Whether its members decide by a majority. */
  byMajority: decidesByMajority(enginePartOf(one.spec.template)),
  part: enginePartOf(one.spec.template)?.part ?? '',
  namespace: one.metadata.namespace ?? '',
  name: one.metadata.name,
  blueprint: blueprintOf(one),
  sentAt: madeIn(scene.facts, one),
  reach: reachOf(scene, one.metadata.namespace ?? '', one.spec.template.metadata?.labels),
  secrets: secretsOf(one),
  certificate: certificateOf(scene, one)
});

function setBand(scene: Scene, set: StatefulSet) {
  const rows = ordinalsOf(set).map((ordinal) => memberRow(scene, set, ordinal));
  const pods = podsMadeBy(scene.facts, set);
  const leaving = pods.filter((pod) => !rows.some((row) => row.name === pod.metadata.name)).map((pod) => pod.metadata.name);
  const ready = rows.filter((row) => row.state === 'holds').length;
  return {
    kind: 'StatefulSet' as const,
    ...headOf(scene, set),
    replicas: rows.length,
    majority: majorityOf(rows.length),
    ready,
    leaving,
    serviceName: set.spec.serviceName ?? '',
    ordered: set.spec.podManagementPolicy !== 'Parallel',
    keepsClaims: set.spec.persistentVolumeClaimRetentionPolicy?.whenScaled !== 'Delete',
    rows
  };
}

function deploymentBand(scene: Scene, one: Deployment | DaemonSet) {
  const { facts } = scene;
  const namespace = one.metadata.namespace ?? '';
  const pods = podsMadeBy(facts, one);
  const rows: MemberRow[] = pods.map((pod) => ({
    ordinal: null,
    name: pod.metadata.name,
    exists: true,
    address: pod.status?.podIP ?? '',
    dns: '',
    fullDns: '',
    node: pod.spec.nodeName ?? '',
    zone: zoneOf(facts.get('Node', '', pod.spec.nodeName ?? '')),
    claims: claimsOf(pod.spec, pod.metadata.name).map((name) => ({ name, size: '' })),
    ...withoutSays(standingOf(scene, namespace, pod.metadata.name)),
    ...stateOf(scene, namespace, pod.metadata.name, pod, undefined)
  }));
  const dirs = (one.spec.template.spec.volumes ?? []).filter((volume) => volume.emptyDir).map((volume) => volume.name);
  const replicas = one.kind === 'DaemonSet' ? (one.status?.desiredNumberScheduled ?? pods.length) : (one.spec.replicas ?? 1);
  return {
    kind: one.kind,
    ...headOf(scene, one),
    replicas,
    majority: majorityOf(replicas),
    ready: pods.filter(isReady).length,
    leaving: [] as string[],
    serviceName: '',
    ordered: false,
    keepsClaims: true,
    ephemeral: dirs,
    rows
  };
}

/** Bands that are shown with their members; past this many only their heads are. */
const mostOpenBands = 60;

/** The Members sheet: workloads as bands with their members. */
export function membersView(scene: Scene, { namespace, name, workload }: { namespace?: string; name?: string; workload?: string }) {
  const wanted = (one: StatefulSet | Deployment | DaemonSet) =>
    (name === undefined || (one.metadata.name === name && one.metadata.namespace === namespace)) &&
    (workload === undefined || (workloadOfTemplate(one) === workload && one.metadata.namespace === namespace));
  const sets = setsOf(scene.facts).filter(wanted);
  const others = [...deploymentsOf(scene.facts), ...daemonSetsOf(scene.facts)].filter(wanted);
  const bands = [
    ...sets.slice(0, mostOpenBands).map((set) => setBand(scene, set)),
    ...others.slice(0, mostOpenBands).map((one) => deploymentBand(scene, one))
  ];
  // Parts of one workload stand together, in the order in which they start.
  const place = new Map(bands.map((one, i) => [`${one.namespace}/${one.workload}`, i] as const).reverse());
  const first = (one: (typeof bands)[number]) => place.get(`${one.namespace}/${one.workload}`) ?? 0;
  return {
    total: sets.length + others.length,
    bands: bands.sort((a, b) => first(a) - first(b) || partRank(a.enginePart) - partRank(b.enginePart))
  };
}

export type Band = ReturnType<typeof membersView>['bands'][number];
