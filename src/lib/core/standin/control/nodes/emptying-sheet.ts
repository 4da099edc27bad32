import { keyOf, ownClaims, refOf, type DisruptionBudget, type Facts, type Pod } from '../../../model';
import { copyOf, type Store } from '../../store';
import { ownClaimToBe } from '../storage/own-claims';
import { asItStands, faultSentence, placeFaults, podClaimsOf, type PlaceFault } from '../workloads/place-fault';
import { siblingsOf } from '../workloads/placing';
import { madeAnew, makingFault, seekPlace } from '../workloads/to-be';
import { budgetsOf, held, ofDaemonSet, stays } from './emptying';

/** What emptying a node would do with one of its pods: it goes, goes and finds no other node, waits for a budget, or stays. */
export interface EmptyingLine {
  readonly namespace: string;
  readonly name: string;
  readonly does: 'goes' | 'strands' | 'waits' | 'stays';
  readonly says: string;
  /** Its ephemeral directories, and volumes of claims that go with it, whose content would be lost. */
  readonly loses: readonly string[];
}

/** Where a pod's successor comes to stand among those that came before it. */
function comes(store: Store, pod: Pod, from: string): Pick<EmptyingLine, 'does' | 'says'> {
  store.place(pod, undefined);
  const next = madeAnew(store, pod);
  const refused = makingFault(store, next);
  if (refused !== undefined) return { does: 'strands', says: `can't be made anew: ${refused}` };
  for (const { name, volume } of ownClaims(next)) {
    const old = store.get('PersistentVolumeClaim', next.metadata.namespace ?? '', name);
    store.place(old, ownClaimToBe(store, next, name, volume));
  }
  store.place(undefined, next);
  const faultOf = placeFaults(asItStands(store), next, { ...podClaimsOf(store, next), missing: [] });
  const fit = store.nodes().flatMap((one) => (faultOf(one) ? [] : [one.metadata.name]));
  const { node, victims } = seekPlace(store, next, siblingsOf(store, next));
  if (!node) {
    const counts = new Map<PlaceFault, number>();
    const others = store.nodes().filter((one) => one.metadata.name !== from);
    for (const one of others) {
      const fault = faultOf(one)!;
      counts.set(fault, (counts.get(fault) ?? 0) + 1);
    }
    return { does: 'strands', says: others.length ? `${others.length} other nodes: ${faultSentence(counts)}` : 'there is no other node' };
  }
  for (const one of victims) store.place(one, undefined);
  store.place(next, { ...next, spec: { ...next.spec, nodeName: node.metadata.name } });
  if (node.metadata.name === from) return { does: 'stays', says: `tolerates that ${from} is closed, and comes back to it` };
  const sent = victims.map((one) => one.metadata.name).join(', ');
  if (sent)
    return { does: 'goes', says: `is made anew on ${node.metadata.name}, where ${sent} ${victims.length === 1 ? 'makes' : 'make'} room` };
  return { does: 'goes', says: `is made anew on ${fit.length > 3 ? `one of ${fit.length} nodes that can take it` : fit.join(' or ')}` };
}

/**
 * What emptying a node would do, pod by pod in their order: each finds its place beside those that went before it, on a copy that nobody
 * plays; those of daemon sets are left where they are, and one that finds none keeps back whom its budget means.
 */
export function emptyingSheet(facts: Facts, node: string, losesDirectories: boolean): EmptyingLine[] {
  const pods = [...facts.podsOn(node)].filter((pod) => !ofDaemonSet(pod) && !pod.metadata.deletionTimestamp);
  const store = copyOf(facts, new Set(pods.map((pod) => pod.metadata.namespace ?? '')));
  const closed = store.get('Node', '', node);
  if (closed) store.place(closed, { ...closed, spec: { ...closed.spec, unschedulable: true } });
  /** Who found no place, by the budget that means them. */
  const away = new Map<string, readonly string[]>();
  const awayFor = (one: DisruptionBudget): readonly string[] => away.get(keyOf(refOf(one))) ?? [];
  return pods.map((pod): EmptyingLine => {
    const { namespace = '', name } = pod.metadata;
    const loses = (pod.spec.volumes ?? []).filter((one) => one.emptyDir ?? one.ephemeral).map((one) => one.name);
    const stay = stays(pod, losesDirectories);
    if (stay !== undefined) return { namespace, name, loses, does: 'stays', says: stay };
    const budgets = budgetsOf({ store: facts }, pod);
    const short = budgets.find((one) => awayFor(one).length > 0 && awayFor(one).length >= (one.status?.disruptionsAllowed ?? 1));
    const wait =
      held({ store: facts }, pod) ??
      (short && `the budget ${short.metadata.name} lets nobody go while ${awayFor(short).join(', ')} finds no place`);
    if (wait !== undefined) return { namespace, name, loses, does: 'waits', says: wait };
    const came = comes(store, pod, node);
    if (came.does === 'strands') for (const one of budgets) away.set(keyOf(refOf(one)), [...awayFor(one), name]);
    return { namespace, name, loses, ...came };
  });
}
