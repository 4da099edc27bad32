import { plural, same, wordsOf } from '../shared';
import {
  claimsOf,
  makerOf,
  ordinalIn,
  ordinalsOf,
  podsMadeBy,
  refOf,
  type ApiObject,
  type DaemonSet,
  type Deployment,
  type DocumentSet,
  type Facts,
  type Node,
  type Pod,
  type PodTemplate,
  type StatefulSet
} from '../model';
import {
  asOperated,
  daemonRoll,
  deploymentRoll,
  isNewestSet,
  jobEnds,
  keepsDaemon,
  nodeBears,
  operatorFault,
  operatorOf,
  setFor,
  revisionLabel,
  revisionOf,
  setLabelOf,
  setRoll,
  type Verdict
} from '../standin';
import { podLoss } from './effects';
import type { SheetLine } from './types';

/** What a change does to members that run: which start anew, what they lose by it, and what waits until somebody does more. */
export interface Turnover {
  readonly restarted: readonly SheetLine[];
  readonly lost: readonly SheetLine[];
  readonly later: readonly SheetLine[];
}
const nothing: Turnover = { restarted: [], lost: [], later: [] };

type Workload = StatefulSet | Deployment | DaemonSet;
const isWorkload = (one: ApiObject | undefined): one is Workload =>
  one?.kind === 'StatefulSet' || one?.kind === 'Deployment' || one?.kind === 'DaemonSet';

const namesOf = (pods: readonly Pod[]): string => pods.map((pod) => pod.metadata.name).join(', ');

/** A template as it was written: a real cluster's revision carries a directive of the patch that made it. */
function plain(template: PodTemplate): object {
  const { $patch: _, ...rest } = template as PodTemplate & { $patch?: string };
  return rest;
}

/** Whether all that an export tells of a workload is of its newest template; undefined where it doesn't say. */
function allNewest({ status = {} }: Workload): boolean | undefined {
  const told = status as { updatedReplicas?: number; replicas?: number; updatedNumberScheduled?: number; currentNumberScheduled?: number };
  const [newest, all] = [told.updatedReplicas ?? told.updatedNumberScheduled, told.replicas ?? told.currentNumberScheduled];
  return all === undefined ? undefined : (newest ?? 0) >= all || undefined;
}

/** Tells of each pod whether it is of another template than its workload would have; undefined where that can't be told. */
function olderThan(facts: Facts, before: Workload, after: Workload): (pod: Pod) => boolean | undefined {
  const { template } = after.spec;
  const unchanged = same(before.spec.template, template);
  // Without revisions only a count is left, or that nothing can have what has only just been written.
  const newest = unchanged ? allNewest(before) : false;
  const otherwise = newest === undefined ? undefined : !newest;
  const owned = facts.ownedBy(before.metadata.uid ?? '');
  if (after.kind === 'Deployment') {
    const sets = new Map(
      owned.flatMap((one) => (one.kind === 'ReplicaSet' ? [[one.metadata.uid, !isNewestSet(one, after)] as const] : []))
    );
    return (pod) => sets.get(pod.metadata.ownerReferences?.find((one) => one.controller)?.uid) ?? otherwise;
  }
  const labelOf = (pod: Pod) => pod.metadata.labels?.[revisionLabel] ?? '';
  if (facts.knowsProvider) {
    const label = after.kind === 'StatefulSet' ? setLabelOf(after, template) : revisionOf(template);
    return (pod) => labelOf(pod) !== label;
  }
  const { updateRevision } = (before.status ?? {}) as { updateRevision?: string };
  if (unchanged && updateRevision !== undefined) return (pod) => labelOf(pod) !== updateRevision;
  const behind = new Map(
    owned.flatMap((one) => {
      const its = one.kind === 'ControllerRevision' ? one.data?.spec.template : undefined;
      return its ? [[one.metadata.name, !same(plain(its), plain(template))] as const] : [];
    })
  );
  return (pod) => behind.get(labelOf(pod)) ?? behind.get(`${before.metadata.name}-${labelOf(pod)}`) ?? otherwise;
}

/** Why a strategy leaves a pod of an older template as it is; undefined where it replaces it. */
function heldBy(after: Workload, pod: Pod): string | undefined {
  if (after.kind === 'Deployment') return after.spec.paused ? 'until its rollout goes on (paused)' : undefined;
  if (after.spec.updateStrategy?.type === 'OnDelete') return 'until somebody takes them away (OnDelete)';
  if (after.kind === 'DaemonSet') return undefined;
  const partition = after.spec.updateStrategy?.rollingUpdate?.partition ?? 0;
  return (ordinalIn(after, pod.metadata.name) ?? 0) < partition ? `until the partition goes down, which is ${partition}` : undefined;
}

/** A one-node claim that a rolling update would need twice. */
function heldClaim(facts: Facts, after: Deployment): string | undefined {
  return claimsOf(after.spec.template.spec).find((name) =>
    facts
      .get('PersistentVolumeClaim', after.metadata.namespace ?? '', name)
      ?.spec.accessModes.every((mode) => mode.startsWith('ReadWriteOnce'))
  );
}

const inTurn = 'one after the other, each after the one before is ready';

/** In which order, and how many at a time. */
function howOf(facts: Facts, after: Workload): string {
  if (after.kind === 'StatefulSet') {
    const most = setRoll(facts, after);
    return most > 1 ? `up to ${most} at a time, from the highest down` : inTurn;
  }
  if (after.kind === 'DaemonSet') {
    const { beside, away } = daemonRoll(after, after.status?.desiredNumberScheduled ?? 1);
    if (beside) return `on ${plural(beside, 'node')} at a time, each old one after the new one beside it is ready`;
    return away > 1 ? `up to ${away} at a time` : inTurn;
  }
  if (after.spec.strategy?.type === 'Recreate') return 'all at once: the old ones end before new ones start';
  const { more, away } = deploymentRoll(after);
  const held = more > 0 ? heldClaim(facts, after) : undefined;
  if (held)
    return `one after the other; on another node the new one waits for ever for ${held}, which the old one holds: Recreate is needed`;
  const wanted = after.spec.replicas ?? 1;
  return more + away > 1
    ? `up to ${more} more than ${wanted} beside each other, at least ${Math.max(0, wanted - away)} ready all the while`
    : inTurn;
}

/** In the order in which they go: members of a set from the highest down, others by name. */
const inOrder = (after: Workload, pods: readonly Pod[]): Pod[] =>
  pods.toSorted((a, b) =>
    after.kind === 'StatefulSet'
      ? (ordinalIn(after, b.metadata.name) ?? 0) - (ordinalIn(after, a.metadata.name) ?? 0)
      : a.metadata.name < b.metadata.name
        ? -1
        : 1
  );

/** The set that an operator alters because its resource was, as a verdict of its own; undefined where it alters none. */
export function operated(facts: Facts, { before, after, outcome }: Verdict): Verdict | undefined {
  const kind = after?.kind;
  if (outcome === 'refused' || !before || (kind !== 'MemoryCluster' && kind !== 'DocumentSet')) return undefined;
  const made = setFor(after!);
  const old = made && facts.get('StatefulSet', made.metadata.namespace ?? '', made.metadata.name);
  if (!old || operatorFault(facts, operatorOf(kind)!, after!.metadata.namespace ?? '')) return undefined;
  // Of members over several clusters each has its own number of them; how many are here is not altered by the sum.
  const spread = kind === 'DocumentSet' && (after as DocumentSet).spec.clusters !== undefined;
  const next = asOperated(old, spread ? { ...made, spec: { ...made.spec, replicas: old.spec.replicas } } : made);
  return next === old ? undefined : { ref: refOf(old), outcome: 'altered', before: old, after: next, fields: [], refusals: [] };
}

/** A job that is suspended, or may run fewer pods side by side, ends some; they begin anew, or others do. */
function jobTurnover(facts: Facts, { before, after }: Verdict): Turnover {
  if (before?.kind !== 'Job' || after?.kind !== 'Job') return nothing;
  const already = new Set(jobEnds(facts, before));
  const ends = jobEnds(facts, after).filter((pod) => !already.has(pod));
  if (!ends.length) return nothing;
  const why = after.spec.suspend ? 'what they have done is done anew when it goes on' : 'what they have done is done anew';
  return { restarted: [{ ref: refOf(after), says: `${namesOf(ends)}: ${why}` }], lost: podLoss(facts, refOf(after), ends), later: [] };
}

/** Pods that a node's change sends away: they don't bear with a taint, or are of a daemon set that doesn't choose it any more. */
function nodeTurnover(facts: Facts, { ref, before, after }: Verdict): Turnover {
  if (before?.kind !== 'Node' || after?.kind !== 'Node') return nothing;
  const pods = facts.podsOn(ref.name).filter((pod) => !pod.metadata.deletionTimestamp);
  const bears = (pod: Pod, node: Node): number => {
    const owner = makerOf(pod);
    const set = owner?.kind === 'DaemonSet' ? facts.get('DaemonSet', pod.metadata.namespace ?? '', owner.name) : undefined;
    return set && !keepsDaemon(set, node) ? 0 : nodeBears(pod, node);
  };
  const ends = pods.map((pod) => ({ pod, afterMs: bears(pod, after) })).filter(({ pod, afterMs }) => afterMs < bears(pod, before));
  if (!ends.length) return nothing;
  const told = (list: typeof ends, when: string) =>
    list.length ? [{ ref, says: `${namesOf(list.map((one) => one.pod))} ${list.length === 1 ? 'is' : 'are'} sent away${when}` }] : [];
  const now = ends.filter((one) => one.afterMs === 0);
  const then = ends.filter((one) => one.afterMs > 0);
  const least = Math.min(...then.map((one) => one.afterMs));
  const most = Math.max(...then.map((one) => one.afterMs));
  return {
    restarted: [...told(now, ' at once'), ...told(then, ` after ${wordsOf(least)}${most > least ? ` to ${wordsOf(most)}` : ''}`)],
    lost: podLoss(
      facts,
      ref,
      ends.map((one) => one.pod)
    ),
    later: []
  };
}

/**
 * What a change does to members that run. Those of another template than their workload has then start anew, unless its strategy holds them
 * back; one that lets go what it held (a partition that goes down, a pause that ends) starts them anew without a new template.
 */
export function restarts(facts: Facts, verdict: Verdict): Turnover {
  const { before, after, outcome } = verdict;
  if (outcome === 'refused') return nothing;
  if (after?.kind === 'Job') return jobTurnover(facts, verdict);
  if (after?.kind === 'Node') return nodeTurnover(facts, verdict);
  const set = operated(facts, verdict);
  if (set) return restarts(facts, set);
  if (!isWorkload(before) || !isWorkload(after)) return nothing;
  const unchanged = same(before.spec.template, after.spec.template);
  const ordinals = after.kind === 'StatefulSet' ? new Set(ordinalsOf(after)) : undefined;
  const stays = (pod: Pod): boolean => after.kind !== 'StatefulSet' || ordinals!.has(ordinalIn(after, pod.metadata.name) ?? -1);
  const living = podsMadeBy(facts, before).filter((pod) => !pod.metadata.deletionTimestamp && stays(pod));
  if (!living.length || (after.kind === 'Deployment' && after.spec.replicas === 0)) return nothing;
  const off = (set: Workload, pod: Pod): boolean => {
    const node = facts.get('Node', '', pod.spec.nodeName ?? '');
    return set.kind === 'DaemonSet' && node !== undefined && !keepsDaemon(set, node);
  };
  const leaves = living.filter((pod) => off(after, pod) && !off(before, pod));
  const others = living.filter((pod) => !off(after, pod));
  const [olderNow, older] = [olderThan(facts, before, before), olderThan(facts, before, after)];
  const already = (pod: Pod) => unchanged && olderNow(pod) === true && heldBy(before, pod) === undefined;
  const due = inOrder(
    after,
    others.filter((pod) => older(pod) === true && heldBy(after, pod) === undefined && !already(pod))
  );
  const unseen = others.filter((pod) => older(pod) === undefined && heldBy(after, pod) !== heldBy(before, pod));
  const held = unchanged ? [] : others.filter((pod) => older(pod) && heldBy(after, pod) !== undefined);
  const kept = inOrder(after, held);
  const ref = refOf(after);
  const line = (says: string): SheetLine => ({ ref, says });
  return {
    restarted: [
      ...(due.length ? [line(`${namesOf(due)}; ${howOf(facts, after)}`)] : []),
      ...(leaves.length ? [line(`${namesOf(leaves)} end and are not made anew: their nodes are no longer chosen`)] : []),
      ...(unseen.length && !due.length
        ? [line(`whether ${namesOf(unseen)} start anew is unseen: the export holds no revisions of it`)]
        : [])
    ],
    lost: podLoss(facts, refOf(after), [...due, ...leaves]),
    later: kept.length ? [line(`${namesOf(kept)} ${kept.length === 1 ? 'keeps' : 'keep'} the old template ${heldBy(after, kept[0]!)}`)] : []
  };
}
