import { same, suffix } from '../../../shared';
import {
  isReady,
  isVirtualNode,
  nodeMeant,
  nodeWanted,
  readySinceMs,
  refOf,
  repellingTaint,
  tolerates,
  type DaemonSet,
  type Node,
  type Pod
} from '../../../model';
import { idOf, itself, splitKey, type ClusterAccess, type Loop } from '../loop';
import { makePod, ownersOfKind, revisionOf, type Making } from './pods';
import { revisionLabel } from './revisions';
import { shareOf } from './share';

/** Taints that pods of a daemon set tolerate by themselves. Source: the cluster API's "DaemonSet", taints and tolerations. */
const tolerated = ['node.kubernetes.io/not-ready', 'node.kubernetes.io/unreachable', 'node.kubernetes.io/unschedulable'].map((key) => ({
  key,
  operator: 'Exists'
}));

/** So many pods are made at a time, so that a cluster of many nodes holds nothing else up. */
const mostAtOnce = 40;

const borne = (set: DaemonSet) => [...tolerated, ...(set.spec.template.spec.tolerations ?? [])];
const chosen = (set: DaemonSet, node: Node): boolean => {
  const { spec } = set.spec.template;
  return !isVirtualNode(node) && nodeWanted(spec, node) && (!spec.nodeName || spec.nodeName === node.metadata.name);
};

/** Whether a daemon set makes a pod on a node. */
export const takesDaemon = (set: DaemonSet, node: Node): boolean => chosen(set, node) && !repellingTaint(node, borne(set));

/**
 * Whether a pod of a daemon set that is on a node stays there: a taint that only keeps new pods off sends none away. Source: "Taints and
 * Tolerations", effects NoSchedule and NoExecute.
 */
export const keepsDaemon = (set: DaemonSet, node: Node): boolean =>
  chosen(set, node) &&
  !(node.spec?.taints ?? []).some((one) => one.effect === 'NoExecute' && !borne(set).some((two) => tolerates(two, one)));

/** Daemon sets: one pod on every node that accepts it, an older template replaced node by node. */
export const daemonSets: Loop = {
  id: 'daemon-sets',
  paceMs: 250,
  watches: {
    DaemonSet: itself,
    Pod: ownersOfKind('DaemonSet'),
    Node: (now, before, store) =>
      now && before && same(now.spec, before.spec) && same(now.metadata.labels, before.metadata.labels)
        ? []
        : store.list('DaemonSet').map(idOf),
    ServiceAccount: (now, _before, store) => (now ? store.list('DaemonSet', now.metadata.namespace).map(idOf) : [])
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const set = world.store.get('DaemonSet', namespace, name);
    if (!set || set.metadata.deletionTimestamp) return;
    const pods = world.store.ownedBy(set.metadata.uid ?? '').filter((one): one is Pod => one.kind === 'Pod');
    const byNode = new Map(pods.map((pod) => [nodeMeant(pod) ?? '', pod]));
    const nodes = world.store.list('Node').filter((node) => takesDaemon(set, node));
    const hash = revisionOf(set.spec.template);
    const bare = nodes.filter((node) => !byNode.has(node.metadata.name));
    for (const node of bare.slice(0, mostAtOnce)) makeOn(world, set, node, hash);
    if (bare.length > mostAtOnce) world.after(1, key);
    const wanted = new Set(nodes.map((node) => node.metadata.name));
    for (const pod of pods) {
      const name = nodeMeant(pod) ?? '';
      if (wanted.has(name) || pod.metadata.deletionTimestamp) continue;
      const node = world.store.get('Node', '', name);
      if (!(node && keepsDaemon(set, node))) world.remove(refOf(pod));
    }
    const { beside } = daemonRoll(set, nodes.length);
    if (set.spec.updateStrategy?.type !== 'OnDelete') {
      if (beside > 0) replaceBeside(world, set, nodes, beside, hash);
      else replace(world, set, pods, nodes.length, hash);
    }
    report(world, key, nodes.length, hash);
  }
};

/**
 * On how many nodes a new pod may stand beside the old one, and how many may be without one, while a template is rolled out. Source:
 * DaemonSetUpdateStrategy v1 apps, maxSurge (none by default) and maxUnavailable (1 by default).
 */
export function daemonRoll({ spec }: DaemonSet, nodes: number): { readonly beside: number; readonly away: number } {
  const { maxSurge = 0, maxUnavailable = 1 } = spec.updateStrategy?.rollingUpdate ?? {};
  return { beside: shareOf(maxSurge, nodes, Math.ceil), away: Math.max(1, shareOf(maxUnavailable, nodes, Math.ceil)) };
}

/** Takes pods of an older template away, as many at once as may be. */
function replace(world: ClusterAccess, set: DaemonSet, pods: readonly Pod[], nodes: number, hash: string): void {
  const old = pods.filter((pod) => pod.metadata.labels?.[revisionLabel] !== hash && !pod.metadata.deletionTimestamp);
  if (!old.length) return;
  const missing = pods.filter((pod) => pod.metadata.deletionTimestamp).length + Math.max(0, nodes - pods.length);
  const fresh = pods.filter((pod) => !pod.metadata.deletionTimestamp && pod.metadata.labels?.[revisionLabel] === hash);
  const waiting = fresh.filter((pod) => !isReady(pod)).length;
  for (const pod of old.slice(0, Math.max(0, daemonRoll(set, nodes).away - missing - waiting))) world.remove(refOf(pod));
}

/** Makes pods of the new template beside the old ones, on so many nodes at once; an old one goes when its successor is up. Source: DaemonSetUpdateStrategy v1 apps, maxSurge. */
function replaceBeside(world: ClusterAccess, set: DaemonSet, nodes: readonly Node[], most: number, hash: string): void {
  const living = world.store
    .ownedBy(set.metadata.uid ?? '')
    .filter((one): one is Pod => one.kind === 'Pod' && !one.metadata.deletionTimestamp);
  const minMs = (set.spec.minReadySeconds ?? 0) * 1_000;
  let room = most;
  const next: Node[] = [];
  for (const node of nodes) {
    const mine = living.filter((one) => nodeMeant(one) === node.metadata.name);
    const old = mine.filter((one) => one.metadata.labels?.[revisionLabel] !== hash);
    const fresh = mine.find((one) => one.metadata.labels?.[revisionLabel] === hash);
    if (!old.length) continue;
    if (!fresh) {
      next.push(node);
      continue;
    }
    const left = (readySinceMs(fresh) ?? Infinity) + minMs - world.nowMs;
    if (left <= 0) for (const one of old) world.remove(refOf(one));
    else {
      room -= 1;
      if (left < Infinity) world.after(left, idOf(set));
    }
  }
  for (const node of next.slice(0, Math.max(0, room))) makeOn(world, set, node, hash);
}

/**
 * What a daemon set's pod on a node is made of: it asks for that node by its name, and is placed like any other. Source: the cluster API's
 * "DaemonSet", how daemon pods are scheduled.
 */
export const daemonMaking = (set: DaemonSet, node: Node, name: string, hash = revisionOf(set.spec.template)): Making => ({
  owner: set,
  name,
  template: set.spec.template,
  labels: { [revisionLabel]: hash },
  spec: { affinity: { ...set.spec.template.spec.affinity, nodeAffinity: askedFor(set, node) }, tolerations: borne(set) }
});

const askedFor = ({ spec }: DaemonSet, node: Node) => ({
  ...spec.template.spec.affinity?.nodeAffinity,
  requiredDuringSchedulingIgnoredDuringExecution: {
    nodeSelectorTerms: [{ matchFields: [{ key: 'metadata.name', operator: 'In' as const, values: [node.metadata.name] }] }]
  }
});

function makeOn(world: ClusterAccess, set: DaemonSet, node: Node, hash: string): void {
  const id = idOf(set);
  const made = world.memory<number>('daemonPods');
  const nth = (made.get(`${id}@${node.metadata.name}`) ?? 0) + 1;
  const name = `${set.metadata.name}-${suffix(world.seed, `${id}@${node.metadata.name}#${nth}`)}`;
  if (makePod(world, daemonMaking(set, node, name, hash))) made.set(`${id}@${node.metadata.name}`, nth);
}

function report(world: ClusterAccess, key: string, desired: number, hash: string): void {
  const [namespace, name] = splitKey(key);
  const set = world.store.get('DaemonSet', namespace, name)!;
  const pods = world.store
    .ownedBy(set.metadata.uid ?? '')
    .filter((one): one is Pod => one.kind === 'Pod' && !one.metadata.deletionTimestamp);
  const ready = pods.filter(isReady);
  // Beside each other two pods of a node count as one.
  const onNodes = (list: readonly Pod[]): number => new Set(list.map(nodeMeant)).size;
  const waitMs = (set.spec.minReadySeconds ?? 0) * 1_000;
  const up: Pod[] = [];
  for (const pod of ready) {
    const left = (readySinceMs(pod) ?? world.nowMs) + waitMs - world.nowMs;
    if (left > 0) world.after(left, key);
    else up.push(pod);
  }
  const available = onNodes(up);
  const status: DaemonSet['status'] = {
    observedGeneration: set.metadata.generation ?? 1,
    desiredNumberScheduled: desired,
    currentNumberScheduled: onNodes(pods),
    updatedNumberScheduled: onNodes(pods.filter((pod) => pod.metadata.labels?.[revisionLabel] === hash)),
    numberMisscheduled: 0,
    numberReady: onNodes(ready),
    numberAvailable: available,
    ...(desired > available ? { numberUnavailable: desired - available } : {})
  };
  if (!same(status, set.status)) world.put({ ...set, status });
}
