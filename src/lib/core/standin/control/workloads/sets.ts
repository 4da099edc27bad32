import { same } from '../../../shared';
import {
  ownerOf,
  isReady,
  memberClaim,
  memberName,
  ordinalIn,
  ordinalsOf,
  readySinceMs,
  refOf,
  selectorMatches,
  type ApiObject,
  type Claim,
  type Facts,
  type Pod,
  type StatefulSet
} from '../../../model';
import { filled } from '../../admit/defaults';
import { claimShut } from '../../admit/limits';
import { gateOpen } from '../../provider/feature-gates';
import { idOf, splitKey, type ClusterAccess, type Loop } from '../loop';
import { againMs, makePod, ownersOfKind, type Making } from './pods';
import { shareOf } from './share';
import { keepRevision, labelOf, revisionLabel, templateFor } from './revisions';

/** A set makes or takes away so many members at a time, so that a large one holds nothing else up. */
const mostAtOnce = 40;
/** How long a set's name may be: with a dash and ten characters of the hash it goes into a label of its members. From memory. */
const longestName = 52;
/** Between two such turns, in ms. */
const nextTurnMs = 1;

interface Member {
  readonly ordinal: number;
  readonly pod: Pod;
}

function membersOf(world: ClusterAccess, set: StatefulSet): Member[] {
  const members: Member[] = [];
  for (const object of world.store.ownedBy(set.metadata.uid ?? '')) {
    if (object.kind !== 'Pod') continue;
    const ordinal = ordinalIn(set, object.metadata.name);
    if (ordinal !== undefined) members.push({ ordinal, pod: object });
  }
  return members.sort((a, b) => a.ordinal - b.ordinal);
}

/** A pod of the right name and labels that nobody owns is taken over; so members outlive their set when they are kept. */
function adopt(world: ClusterAccess, set: StatefulSet): void {
  for (const ordinal of ordinalsOf(set)) {
    const pod = world.store.get('Pod', set.metadata.namespace ?? '', memberName(set, ordinal));
    if (pod && !pod.metadata.ownerReferences?.length && selectorMatches(set.spec.selector, pod.metadata.labels))
      world.put({ ...pod, metadata: { ...pod.metadata, ownerReferences: [ownerOf(set)] } });
  }
}

/** The claims of a member that lack, as they are made. */
export function memberClaimsToBe(facts: Facts, set: StatefulSet, ordinal: number): Claim[] {
  const namespace = set.metadata.namespace ?? '';
  const policy = set.spec.persistentVolumeClaimRetentionPolicy;
  return (set.spec.volumeClaimTemplates ?? []).flatMap((template): Claim[] => {
    const name = memberClaim(template.metadata.name, set, ordinal);
    if (facts.get('PersistentVolumeClaim', namespace, name)) return [];
    const claim: Claim = {
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: {
        name,
        namespace,
        labels: { ...set.spec.selector.matchLabels, ...template.metadata.labels },
        ...(template.metadata.annotations ? { annotations: template.metadata.annotations } : {}),
        ...(policy?.whenDeleted === 'Delete' ? { ownerReferences: [{ ...ownerOf(set), controller: false }] } : {})
      },
      spec: template.spec
    };
    return [filled(claim, facts) as Claim];
  });
}

/** Makes the claims of a member that lack; gives whether all were let in. */
function makeClaims(world: ClusterAccess, set: StatefulSet, ordinal: number): boolean {
  for (const made of memberClaimsToBe(world.store, set, ordinal)) {
    const { name } = made.metadata;
    const shut = claimShut(world.store, made);
    if (shut) {
      world.event(set, 'FailedCreate', `The claim ${name} can't be made: ${shut.message}. ${shut.remedy}`, 'Warning');
      return false;
    }
    world.put(made);
    world.event(set, 'SuccessfulCreate', `Made claim ${name} for member ${ordinal}.`);
  }
  return true;
}

/** What a member is made of. */
export function memberMaking(facts: Facts, set: StatefulSet, ordinal: number): Making {
  const name = memberName(set, ordinal);
  const { volumeClaimTemplates = [], serviceName, selector } = set.spec;
  const template = templateFor(facts, set, ordinal);
  const own = volumeClaimTemplates.map((one) => ({
    name: one.metadata.name,
    persistentVolumeClaim: { claimName: memberClaim(one.metadata.name, set, ordinal) }
  }));
  const names = new Set(own.map((one) => one.name));
  const volumes = [...(template.spec.volumes ?? []).filter((one) => !names.has(one.name)), ...own];
  return {
    owner: set,
    name,
    template,
    labels: {
      ...selector.matchLabels,
      [revisionLabel]: labelOf(set, template),
      'statefulset.kubernetes.io/pod-name': name,
      'apps.kubernetes.io/pod-index': String(ordinal)
    },
    spec: { hostname: name, ...(serviceName ? { subdomain: serviceName } : {}), ...(volumes.length ? { volumes } : {}) }
  };
}

function makeMember(world: ClusterAccess, set: StatefulSet, ordinal: number): boolean {
  const name = memberName(set, ordinal);
  const { volumeClaimTemplates = [] } = set.spec;
  const namespace = set.metadata.namespace ?? '';
  // One of that name that isn't the set's own has the name until it has gone: one of a set that was taken away just before, say.
  const other = world.store.get('Pod', namespace, name);
  if (other) {
    if (!other.metadata.deletionTimestamp)
      world.event(set, 'FailedCreate', `${name} can't be made: a pod of that name is there.`, 'Warning');
    world.after(againMs, idOf(set), true);
    return false;
  }
  // A claim that is going can't be used, and one that is about to be put in its place isn't there yet: the member waits. A pod made
  // before would keep the old one from ever going.
  const going = volumeClaimTemplates.some((one) => {
    const claimName = memberClaim(one.metadata.name, set, ordinal);
    return (
      world.store.get('Restoring', namespace, claimName) !== undefined ||
      world.store.get('PersistentVolumeClaim', namespace, claimName)?.metadata.deletionTimestamp !== undefined
    );
  });
  if (going) return false;
  if (set.metadata.name.length > longestName) {
    world.event(
      set,
      'FailedCreate',
      `${name} can't be made: its label controller-revision-hash would have more than 63 characters. A set's name may have ${longestName}; send it under a shorter one.`,
      'Warning'
    );
    return false;
  }
  if (!makeClaims(world, set, ordinal)) {
    world.after(againMs, idOf(set), true);
    return false;
  }
  return makePod(world, memberMaking(world.store, set, ordinal));
}

function removeMember(world: ClusterAccess, set: StatefulSet, { pod }: Member): void {
  world.remove(refOf(pod));
  world.event(set, 'SuccessfulDelete', `Took pod ${pod.metadata.name} away.`);
}

/** Whether a member counts as up: ready, and for `minReadySeconds`. Gives the wait that is left, or undefined when it isn't ready. */
function leftToBeUp(world: ClusterAccess, set: StatefulSet, pod: Pod): number | undefined {
  const since = readySinceMs(pod);
  if (since === undefined || pod.metadata.deletionTimestamp) return undefined;
  return Math.max(0, since + (set.spec.minReadySeconds ?? 0) * 1_000 - world.nowMs);
}

/** Makes and removes members in order. Gives whether everything that should stand stands, and is up. */
function scale(world: ClusterAccess, set: StatefulSet, key: string): boolean {
  const wanted = ordinalsOf(set);
  const members = membersOf(world, set);
  const byOrdinal = new Map(members.map((one) => [one.ordinal, one]));
  const parallel = set.spec.podManagementPolicy === 'Parallel';
  let up = true;
  let turns = 0;
  const full = () => {
    turns += 1;
    if (turns < mostAtOnce) return false;
    world.after(nextTurnMs, key);
    return true;
  };
  for (const ordinal of wanted) {
    const member = byOrdinal.get(ordinal);
    if (!member) {
      const made = makeMember(world, set, ordinal);
      up = false;
      if (!made || !parallel || full()) return false;
      continue;
    }
    const left = leftToBeUp(world, set, member.pod);
    if (left !== 0) {
      up = false;
      if (left !== undefined) world.after(left, key);
      if (!parallel) return false;
    }
  }
  const first = set.spec.ordinals?.start ?? 0;
  const surplus = members.filter(({ ordinal }) => ordinal < first || ordinal >= first + wanted.length).reverse();
  for (const member of surplus) {
    if (!member.pod.metadata.deletionTimestamp) removeMember(world, set, member);
    up = false;
    if (!parallel || full()) return false;
  }
  return up;
}

/** How many members may be away while the template is rolled out. Source: RollingUpdateStatefulSetStrategy v1 apps; one without its gate. */
export function setRoll(facts: Facts, set: StatefulSet): number {
  const told = set.spec.updateStrategy?.rollingUpdate?.maxUnavailable;
  if (told === undefined || !gateOpen(facts, 'MaxUnavailableStatefulSet')) return 1;
  return Math.max(1, shareOf(told, set.spec.replicas ?? 1, Math.ceil));
}

/**
 * Replaces members of an older template, from the highest ordinal down: as long as fewer are away than may be, the next one goes. Source: the
 * cluster API's "StatefulSets", rolling updates; a set that works in parallel doesn't wait for those that were never up.
 */
function roll(world: ClusterAccess, set: StatefulSet, key: string): void {
  if (set.spec.updateStrategy?.type === 'OnDelete') return;
  const label = labelOf(set, set.spec.template);
  const partition = set.spec.updateStrategy?.rollingUpdate?.partition ?? 0;
  let left = setRoll(world.store, set);
  for (const member of membersOf(world, set).reverse()) {
    if (member.ordinal < partition || left <= 0) return;
    const { metadata } = member.pod;
    if (metadata.labels?.[revisionLabel] !== label && !metadata.deletionTimestamp) {
      removeMember(world, set, member);
      left -= 1;
      continue;
    }
    const waitMs = leftToBeUp(world, set, member.pod);
    if (waitMs === 0) continue;
    if (waitMs !== undefined) world.after(waitMs, key);
    left -= 1;
  }
}

/**
 * Claims belong to the set while it says that they go with it; a policy that changes later changes that too. Source: the cluster API's
 * "PersistentVolumeClaim retention".
 */
function ownClaims(world: ClusterAccess, set: StatefulSet): void {
  const takes = set.spec.persistentVolumeClaimRetentionPolicy?.whenDeleted === 'Delete';
  const namespace = set.metadata.namespace ?? '';
  for (const ordinal of ordinalsOf(set))
    for (const template of set.spec.volumeClaimTemplates ?? []) {
      const claim = world.store.get('PersistentVolumeClaim', namespace, memberClaim(template.metadata.name, set, ordinal));
      const owners = claim?.metadata.ownerReferences ?? [];
      if (!claim || owners.some((one) => one.uid === set.metadata.uid) === takes) continue;
      const others = owners.filter((one) => one.uid !== set.metadata.uid);
      const ownerReferences = takes ? [...others, { ...ownerOf(set), controller: false }] : others;
      world.put({ ...claim, metadata: { ...claim.metadata, ownerReferences } });
    }
}

/** Claims of members that were scaled away go too, where the retention policy says so. */
function dropScaledClaims(world: ClusterAccess, set: StatefulSet): void {
  if (set.spec.persistentVolumeClaimRetentionPolicy?.whenScaled !== 'Delete') return;
  const top = ordinalsOf(set).at(-1) ?? -1;
  const namespace = set.metadata.namespace ?? '';
  for (const { metadata } of set.spec.volumeClaimTemplates ?? []) {
    for (let ordinal = top + 1; ; ordinal += 1) {
      const name = memberClaim(metadata.name, set, ordinal);
      if (!world.store.get('PersistentVolumeClaim', namespace, name)) break;
      if (world.store.get('Pod', namespace, memberName(set, ordinal))) continue;
      world.remove({ kind: 'PersistentVolumeClaim', namespace, name });
    }
  }
}

function report(world: ClusterAccess, set: StatefulSet): void {
  const members = membersOf(world, set);
  const updateRevision = labelOf(set, set.spec.template);
  const of = (revision: string) => members.filter(({ pod }) => pod.metadata.labels?.[revisionLabel] === revision).length;
  const updated = of(updateRevision);
  const ready = members.filter(({ pod }) => isReady(pod) && !pod.metadata.deletionTimestamp);
  const done = updated === members.length && ready.length === members.length;
  const currentRevision = done ? updateRevision : (set.status?.currentRevision ?? updateRevision);
  const status: StatefulSet['status'] = {
    observedGeneration: set.metadata.generation ?? 1,
    replicas: members.length,
    readyReplicas: ready.length,
    availableReplicas: ready.filter(({ pod }) => leftToBeUp(world, set, pod) === 0).length,
    currentReplicas: of(currentRevision),
    updatedReplicas: updated,
    currentRevision,
    updateRevision
  };
  if (!same(status, set.status)) world.put({ ...set, status });
}

/** Sets whose template a claim's name fits. */
const setsOfClaim = ({ metadata }: ApiObject, store: ClusterAccess['store']): string[] =>
  store
    .list('StatefulSet', metadata.namespace)
    .filter((set) =>
      (set.spec.volumeClaimTemplates ?? []).some((one) => metadata.name.startsWith(`${one.metadata.name}-${set.metadata.name}-`))
    )
    .map((set) => `${set.metadata.namespace}/${set.metadata.name}`);

/** Stateful sets: members in order, their claims, scaling, rolling updates. Source: the cluster API's "StatefulSets". */
export const sets: Loop = {
  id: 'sets',
  watches: {
    StatefulSet: (now, before) => (now && (now.spec !== before?.spec || now.metadata !== before.metadata) ? [idOf(now)] : []),
    Pod: ownersOfKind('StatefulSet'),
    PersistentVolumeClaim: (now, before, store) => (now || !before?.metadata.deletionTimestamp ? [] : setsOfClaim(before, store)),
    Restoring: (now, before, store) => (now || !before ? [] : setsOfClaim(before, store)),
    ServiceAccount: (now, _before, store) =>
      now
        ? store
            .list('StatefulSet', now.metadata.namespace)
            .filter((set) => (set.spec.template.spec.serviceAccountName ?? 'default') === now.metadata.name)
            .map((set) => `${set.metadata.namespace}/${set.metadata.name}`)
        : []
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const set = world.store.get('StatefulSet', namespace, name);
    if (!set || set.metadata.deletionTimestamp) return;
    adopt(world, set);
    keepRevision(world, set);
    if (scale(world, set, key) || set.spec.podManagementPolicy === 'Parallel') roll(world, set, key);
    dropScaledClaims(world, set);
    ownClaims(world, set);
    const latest: ApiObject | undefined = world.store.get('StatefulSet', namespace, name);
    if (latest) report(world, latest as StatefulSet);
  }
};
