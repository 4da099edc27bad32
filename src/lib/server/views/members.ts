import { wordsOf } from '$core/shared';
import {
  madeIn,
  momentIn,
  isReady,
  memberClaim,
  memberName,
  ordinalsOf,
  pairsMatch,
  readySinceMs,
  zoneOf,
  type Deployment,
  type Pod,
  type StatefulSet
} from '$core/model';
import { breakOf, causeOf, rootLine, type State } from '$core/rootline';
import { blueprintOf, deploymentsOf, setsOf, type Scene } from './scene';

export interface MemberRow {
  readonly ordinal: number | null;
  readonly name: string;
  readonly exists: boolean;
  readonly address: string;
  readonly dns: string;
  readonly node: string;
  readonly zone: string;
  readonly claims: readonly { readonly name: string; readonly size: string }[];
  readonly state: State;
  readonly label: string;
}

/** What a member is about just now, read from its root line. */
function stateOf(
  scene: Scene,
  namespace: string,
  name: string,
  pod: Pod | undefined,
  waitsFor: string | undefined
): { state: State; label: string } {
  if (!pod) return { state: 'waiting', label: waitsFor ? `after ${waitsFor}` : 'not made yet' };
  const since = readySinceMs(pod);
  if (pod.metadata.deletionTimestamp) return { state: 'settling', label: 'is being taken away' };
  if (since !== undefined) return { state: 'holds', label: `ready ${momentIn(scene.facts, since).replace(/^T\+/, '')}` };
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
  if (!moving) return { state: 'waiting', label: 'waits' };
  const { settling } = moving;
  const band = settling
    ? `, normal ${Math.round(settling.normalMs[0] / 1000)}–${Math.round(settling.normalMs[1] / 1000)} s, so far ${wordsOf(scene.facts.nowMs - settling.sinceMs)}`
    : '';
  return { state: 'settling', label: `${moving.title.toLowerCase()}: ${moving.says}${band}` };
}

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
    node,
    zone: zoneOf(facts.get('Node', '', node)),
    claims: (set.spec.volumeClaimTemplates ?? []).map((one) => {
      const claimName = memberClaim(one.metadata.name, set, ordinal);
      const claim = facts.get('PersistentVolumeClaim', namespace, claimName);
      return { name: claimName, size: String(claim?.status?.capacity?.storage ?? one.spec.resources.requests.storage) };
    }),
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
      outside: one.spec.type === 'LoadBalancer' || one.spec.type === 'NodePort'
    }));
}

function secretsOf(one: StatefulSet | Deployment): string[] {
  const names = one.spec.template.spec.containers.flatMap((container) =>
    (container.env ?? []).map((env) => env.valueFrom?.secretKeyRef?.name)
  );
  return [...new Set(names.filter((name): name is string => name !== undefined))];
}

/** What the heads of all bands show alike. */
const headOf = (scene: Scene, one: StatefulSet | Deployment) => ({
  namespace: one.metadata.namespace ?? '',
  name: one.metadata.name,
  blueprint: blueprintOf(one),
  sentAt: madeIn(scene.facts, one),
  reach: reachOf(scene, one.metadata.namespace ?? '', one.spec.template.metadata?.labels),
  secrets: secretsOf(one)
});

function setBand(scene: Scene, set: StatefulSet) {
  const rows = ordinalsOf(set).map((ordinal) => memberRow(scene, set, ordinal));
  const pods = scene.facts.ownedBy(set.metadata.uid ?? '').filter((one): one is Pod => one.kind === 'Pod');
  const leaving = pods.filter((pod) => !rows.some((row) => row.name === pod.metadata.name)).map((pod) => pod.metadata.name);
  const ready = rows.filter((row) => row.state === 'holds').length;
  return {
    kind: 'StatefulSet' as const,
    ...headOf(scene, set),
    replicas: rows.length,
    ready,
    leaving,
    serviceName: set.spec.serviceName ?? '',
    ordered: set.spec.podManagementPolicy !== 'Parallel',
    keepsClaims: set.spec.persistentVolumeClaimRetentionPolicy?.whenScaled !== 'Delete',
    rows
  };
}

function deploymentBand(scene: Scene, one: Deployment) {
  const { facts } = scene;
  const namespace = one.metadata.namespace ?? '';
  const pods = facts.ownedBy(one.metadata.uid ?? '').filter((pod): pod is Pod => pod.kind === 'Pod');
  const rows: MemberRow[] = pods.map((pod) => ({
    ordinal: null,
    name: pod.metadata.name,
    exists: true,
    address: pod.status?.podIP ?? '',
    dns: '',
    node: pod.spec.nodeName ?? '',
    zone: zoneOf(facts.get('Node', '', pod.spec.nodeName ?? '')),
    claims: (pod.spec.volumes ?? []).flatMap((volume) =>
      volume.persistentVolumeClaim ? [{ name: volume.persistentVolumeClaim.claimName, size: '' }] : []
    ),
    ...stateOf(scene, namespace, pod.metadata.name, pod, undefined)
  }));
  const dirs = (one.spec.template.spec.volumes ?? []).filter((volume) => volume.emptyDir).map((volume) => volume.name);
  return {
    kind: 'Deployment' as const,
    ...headOf(scene, one),
    replicas: one.spec.replicas ?? 1,
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
export function membersView(scene: Scene, { namespace, name }: { namespace?: string; name?: string }) {
  const wanted = (one: StatefulSet | Deployment) =>
    name === undefined || (one.metadata.name === name && one.metadata.namespace === namespace);
  const sets = setsOf(scene.facts).filter(wanted);
  const deployments = deploymentsOf(scene.facts).filter(wanted);
  return {
    total: sets.length + deployments.length,
    bands: [
      ...sets.slice(0, mostOpenBands).map((set) => setBand(scene, set)),
      ...deployments.slice(0, mostOpenBands).map((one) => deploymentBand(scene, one))
    ]
  };
}

export type Band = ReturnType<typeof membersView>['bands'][number];
