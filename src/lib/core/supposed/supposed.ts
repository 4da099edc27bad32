import { same } from '../shared';
import {
  claimsOf,
  classOf,
  nodeMeant,
  podsMadeBy,
  refOf,
  waitsForConsumer,
  zoneOf,
  type ApiObject,
  type Claim,
  type Facts,
  type Kind,
  type Node,
  type Pod,
  type PodTemplate,
  type Ref
} from '../model';
import {
  claimShut,
  closedTo,
  copyOf,
  heldBack,
  memberFault,
  membersToBe,
  placeFaultsNow,
  plan,
  podShut,
  seekPlace,
  setFor,
  type MemberToBe,
  type PlaceFault,
  type Sibling,
  type Store
} from '../standin';
import { inCluster } from './clusters';
import { isTold, lacksOf, pathLack, promised, pullFault, type Hindrance } from './hindrances';
import { forOneNode, HandedOut, provision, unusable, type ClaimToBe, type Ground } from './volumes';

/** Members of one maker as the cluster would take them. */
export interface PartToBe {
  /** What is sent and makes them, or has its operator make them. */
  readonly of: Ref;
  readonly kind: Kind;
  readonly name: string;
  /** They name their node themselves, and no rule of placing is asked. */
  readonly named: boolean;
  /** Members that it asks for. */
  readonly wanted: number;
  /** Of them those that stand already and stay. */
  readonly stay: number;
  /** Of the others those that find a place. */
  readonly placed: number;
  /** Nodes that would take a first new one, and that would take one more once all stand. */
  readonly first: number;
  readonly spare: number;
  /** Nodes whose taints, labels and state are no hindrance. */
  readonly open: readonly Node[];
  /** Why the first that finds no place finds none. */
  readonly faults: ReadonlyMap<PlaceFault, number>;
  /** Whether one of them may only be for what an export leaves out. */
  readonly untold: boolean;
  /** Pods that matter less and would be sent away for it. */
  readonly sentAway: readonly Pod[];
  /** It isn't told where volumes of its class are made, which doesn't wait for a member to be placed. */
  readonly blind: boolean;
  /** Of a job: fewer than it asks for run side by side, others after them. */
  readonly inTurns: boolean;
  /** What it names and isn't there. */
  readonly lacks?: Hindrance;
  /** Why its namespace doesn't let a member or a claim in, or nobody looks for a place. */
  readonly shut?: Hindrance;
  /** Why two of its members may not call each other, as network policies say. */
  readonly mute?: Hindrance;
  /** Why its images can't be pulled. */
  readonly pull?: Hindrance;
  /** A claim for one node at a time that members on several would share, or whose volume can't be used where its member stands. */
  readonly shared?: Hindrance;
}

/** A cluster as if manifests stood in it: what would be made of them, and where it would stand. */
export interface Supposed {
  readonly parts: readonly PartToBe[];
  readonly claims: readonly ClaimToBe[];
  /** What isn't taken as it is sent, and so has no part in it. */
  readonly refused: readonly Ref[];
}

const templateOf = (one: ApiObject | undefined): PodTemplate | undefined =>
  one?.kind === 'StatefulSet' || one?.kind === 'Deployment' || one?.kind === 'DaemonSet' || one?.kind === 'ReplicaSet'
    ? one.spec.template
    : undefined;

/** Makes the claims of a member, and says why it isn't let in. */
function letIn({ store, ...ground }: Ground, { pod, claims }: MemberToBe): { shut?: Hindrance; byClaim: boolean; blind: boolean } {
  let shut: Hindrance | undefined;
  let blind = false;
  for (const claim of claims) {
    const refused = claimShut(store, claim);
    if (refused) shut ??= { says: refused.message, field: refused.field };
    store.place(undefined, claim);
    if (waitsForConsumer(classOf(store, claim.spec))) continue;
    provision({ store, ...ground }, claim, undefined);
    blind ||= !store.knowsProvider && forOneNode(store, claim) !== false;
  }
  const byClaim = shut !== undefined;
  const refused = podShut(store, pod);
  if (refused) shut ??= { says: refused.message, field: refused.field };
  const held = pod.spec.nodeName ? undefined : heldBack(pod);
  // Which schedulers a real cluster has isn't told by an export.
  if (held) shut ??= { says: held.says, ...(store.knowsProvider || held.reason === 'SchedulingGated' ? {} : { unseen: true as const }) };
  return { ...(shut ? { shut } : {}), byClaim, blind };
}

/**
 * Gives a member on a node the volumes of its claims.
 * @param chosen whether the node was chosen for it, and not named by it
 * @returns its claims for one node at a time, and why one of them can't be used there
 */
function mount(ground: Ground, pod: Pod, node: Node | undefined, chosen: boolean): { single: string[]; off?: string } {
  const { store } = ground;
  const single: string[] = [];
  let off: string | undefined;
  for (const name of claimsOf(pod.spec, pod.metadata.name)) {
    const claim = store.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
    if (!claim) continue;
    if (claim.status?.phase !== 'Bound' && !ground.claims.some((one) => one.claim === claim)) provision(ground, claim, node, chosen);
    off ??= unusable(ground, claim, node);
    if (forOneNode(store, claim)) single.push(name);
  }
  return { single, ...(off === undefined ? {} : { off }) };
}

/** Objects without which a node may look worse than it is. */
const needed: Partial<Record<PlaceFault, Kind>> = { affinity: 'Pod', 'no-room': 'CSIStorageCapacity', 'no-volume': 'PersistentVolume' };

/** Members of one maker, put into the copy one after another as the cluster would. */
function partOf(ground: Ground, of: Ref, maker: ApiObject, stay: readonly Pod[]): PartToBe {
  const { store, there } = ground;
  const all = membersToBe(store, maker);
  const fresh = newOnes(maker, all, stay);
  const siblings: Sibling[] = stay.map(({ spec }) => siblingOn(store, spec.nodeName ?? ''));
  const sentAway: Pod[] = [];
  /** Claims for one node at a time, with the nodes of those that mount them. */
  const mounts = new Map<string, Set<string>>();
  const ends = runsToEnd(maker);
  let [placed, first] = [0, -1];
  let faults: ReadonlyMap<PlaceFault, number> = new Map();
  let [lacks, shut]: (Hindrance | undefined)[] = [];
  let [inTurns, blind] = [false, false];
  let off: string | undefined;
  for (const member of fresh) {
    const { pod, claims } = member;
    const entry = letIn(ground, member);
    blind ||= entry.blind;
    lacks ??= lacksOf(store, maker, pod, ground.comes);
    // Of a job some run, and others after them.
    if (entry.shut && placed && ends && !entry.byClaim) inTurns = true;
    else shut = entry.shut;
    if (entry.shut) break;
    store.place(undefined, pod);
    const found = pod.spec.nodeName ? undefined : seekPlace(store, pod, siblings);
    if (first < 0) first = found ? store.nodes().length - total(found.faults) : 1;
    if (found && !found.node) {
      if (placed && ends) inTurns = true;
      else faults = found.faults;
      break;
    }
    for (const one of found?.victims ?? []) store.place(one, undefined);
    sentAway.push(...(found?.victims ?? []));
    const node = found?.node?.metadata.name ?? pod.spec.nodeName!;
    const standing: Pod = { ...pod, spec: { ...pod.spec, nodeName: node } };
    if (found) store.place(pod, standing);
    lacks ??= pathLack(store, standing);
    const mounted = mount(ground, pod, store.get('Node', '', node), found !== undefined);
    if (mounted.off !== undefined && placed && ends && !claims.length) inTurns = true;
    else off ??= mounted.off;
    for (const name of mounted.single) mounts.set(name, (mounts.get(name) ?? new Set()).add(node));
    siblings.push(siblingOn(store, node));
    placed += 1;
  }
  const pattern = all[0]?.pod;
  const pull = pattern && pullFault(store, pattern);
  if (pattern && !fresh.length) lacks = lacksOf(store, maker, pattern, ground.comes);
  const other = all[1]?.pod;
  // They talk where one of them may call the other.
  const mute = pattern && other && memberFault(store, other, pattern) && memberFault(store, pattern, other);
  const crowded = [...mounts].find(([, nodes]) => nodes.size > 1);
  if (off === undefined && crowded && !ends)
    off = `${crowded[0]} is for one node at a time, and its members would stand on ${crowded[1].size}`;
  return {
    of,
    kind: maker.kind,
    name: maker.metadata.name,
    named: Boolean(pattern?.spec.nodeName),
    wanted: all.length,
    stay: all.length - fresh.length,
    placed,
    first: Math.max(0, first),
    spare: pattern ? roomForMore(store, pattern) : 0,
    open: [...new Set((maker.kind === 'DaemonSet' ? all : all.slice(0, 1)).flatMap(({ pod }) => openTo(store, pod)))],
    faults,
    untold: [...faults.keys()].some((one) => needed[one] !== undefined && !isTold(there, needed[one])),
    sentAway,
    inTurns: inTurns || (ends && crowded !== undefined),
    blind,
    ...(lacks ? { lacks } : {}),
    ...(shut ? { shut } : {}),
    ...(pull ? { pull } : {}),
    ...(mute === undefined ? {} : { mute: { says: mute } }),
    ...(off === undefined ? {} : { shared: { says: off } })
  };
}

/** On how many nodes one more like a pod would find room; its volumes aside. */
function roomForMore(store: Store, pod: Pod): number {
  const more = { ...pod, metadata: { ...pod.metadata, name: `${pod.metadata.name}-more`, uid: 'more' } };
  const faultOf = placeFaultsNow(store, more, { bound: [], choosing: [], missing: [] });
  return store.nodes().filter((node) => !faultOf(node)).length;
}

const runsToEnd = ({ kind }: ApiObject): boolean => kind === 'Job' || kind === 'CronJob';

/** Members that aren't there yet. */
function newOnes(maker: ApiObject, all: readonly MemberToBe[], stay: readonly Pod[]): readonly MemberToBe[] {
  const names = new Set(stay.map((one) => one.metadata.name));
  if (maker.kind === 'StatefulSet' || maker.kind === 'Pod') return all.filter(({ pod }) => !names.has(pod.metadata.name));
  const nodes = new Set(stay.map(nodeMeant));
  if (maker.kind === 'DaemonSet') return all.filter(({ pod }) => !nodes.has(nodeMeant(pod)));
  return all.slice(Math.min(all.length, stay.length));
}

/** Nodes whose state, taints and labels are no hindrance to a pod; the one that it names is asked nothing. */
const openTo = (store: Store, pod: Pod): Node[] =>
  store.nodes().filter((node) => (pod.spec.nodeName ? pod.spec.nodeName === node.metadata.name : !closedTo(pod, node)));

const total = (faults: ReadonlyMap<PlaceFault, number>): number => [...faults.values()].reduce((sum, n) => sum + n, 0);
const siblingOn = (store: Store, node: string): Sibling => ({ node, zone: zoneOf(store.get('Node', '', node)) });

const noRef: Ref = { kind: 'Namespace', namespace: '', name: '' };

/**
 * A cluster as if manifests were sent to it: their members placed one after another by the cluster's own rules, on a copy. What stands
 * there under their names stays where its template stays, else it is placed anew.
 */
export function supposed(there: Facts, objects: readonly ApiObject[]): Supposed {
  const spaces = new Set(objects.map((one) => one.metadata.namespace ?? 'default'));
  const store = copyOf(there, spaces);
  const comes = promised([...objects, ...(['Certificate', 'DocumentSet', 'MemoryDatabase'] as const).flatMap((kind) => there.list(kind))]);
  const brings = (driver: string) => objects.some((one) => one.kind === 'CSIDriver' && one.metadata.name === driver);
  const makers: { of: Ref; maker: ApiObject; stay: Pod[] }[] = [];
  const alone: Claim[] = [];
  const refused: Ref[] = [];
  for (const { ref, before, after } of plan(there, objects)) {
    if (!after) refused.push(ref);
    const now = after && inCluster(after, there.elsewhere?.here);
    if (!now) continue;
    store.place(store.find(ref), now);
    if (now.kind === 'PersistentVolumeClaim' && now.status?.phase !== 'Bound') alone.push(now);
    if (now.kind === 'Namespace' && !before)
      store.place(undefined, { apiVersion: 'v1', kind: 'ServiceAccount', metadata: { name: 'default', namespace: now.metadata.name } });
    const set = setFor(now);
    const known = set ? there.get('StatefulSet', set.metadata.namespace ?? '', set.metadata.name) : before;
    const maker = set ? { ...set, metadata: { ...set.metadata, ...(known?.metadata.uid ? { uid: known.metadata.uid } : {}) } } : now;
    const stands = known ? (known.kind === 'Pod' ? [known] : podsMadeBy(there, known)) : [];
    const stays = known && (known.kind === 'Pod' || same(templateOf(known), templateOf(maker)));
    // Those that wait for a place seek it again.
    const stay = stays ? stands.filter((pod) => pod.spec.nodeName) : [];
    for (const pod of maker.kind === 'Pod' ? [maker] : stands) if (!stay.includes(pod)) store.place(store.find(refOf(pod)), undefined);
    makers.push({ of: ref, maker, stay });
  }
  const ground: Ground = { store, there, handedOut: new HandedOut(there), comes, brings, claims: [], by: noRef };
  for (const claim of alone) {
    ground.by = refOf(claim);
    if (!waitsForConsumer(classOf(store, claim.spec))) provision(ground, claim, undefined);
  }
  const parts = makers.flatMap(({ of, maker, stay }): PartToBe[] => {
    ground.by = of;
    const part = partOf(ground, of, maker, stay);
    return part.wanted ? [part] : [];
  });
  // Claims that nobody of these mounts wait, and take nothing.
  for (const claim of alone)
    if (
      !ground.claims.some(
        (one) => one.claim.metadata.name === claim.metadata.name && one.claim.metadata.namespace === claim.metadata.namespace
      )
    )
      ground.claims.push({ claim, by: refOf(claim), gets: 'nothing' });
  return { parts, claims: ground.claims, refused };
}
