import {
  claimsOf,
  makerOf,
  kindEntries,
  kindEntry,
  memberClaim,
  ordinalsOf,
  refOf,
  type ApiObject,
  type Claim,
  type DocumentSet,
  type Facts,
  type Kind,
  type MemoryCluster,
  type Node,
  type Pod,
  type Ref,
  type Snapshot,
  type SnapshotContent,
  type StatefulSet,
  podsMadeBy,
  takesRoom,
  termsMatch
} from '../model';
import { clockOf, momentOf, plural } from '../shared';
import { definedBy, isUnheard, partOfLabel, removalRefusal } from '../standin';
import { claimLoss, dirLoss, ephemeral, ownClaimsOf, podLoss } from './effects';
import { companionsOf, leaning } from './companions';
import { forceRisks } from './force';
import { keyLoss } from './keys';
import type { RemovalSheet, SheetLine } from './types';

type Definition = ApiObject & { kind: 'CustomResourceDefinition' };
type Heads = Pick<RemovalSheet, 'goes' | 'lost' | 'stays'>;

/** Whether a pod ends at once: one whose node isn't heard of is only marked until it is. */
const endsNow = (facts: Facts, pod: Pod, says: string): string =>
  isUnheard(facts, pod.spec.nodeName ?? '') ? `${says} once its node ${pod.spec.nodeName} is heard of again, or is taken away` : says;

/** A claim that a pod has for itself alone. */
const withPod = (claim: Claim): SheetLine => ({ ref: refOf(claim), says: 'goes with its pod' });

function setRemoval(facts: Facts, set: StatefulSet, keepMembers: boolean): Heads {
  const namespace = set.metadata.namespace ?? '';
  const members = podsMadeBy(facts, set);
  const pods = members.map(refOf);
  const own = keepMembers ? [] : ownClaimsOf(facts, members);
  const claims = ordinalsOf(set).flatMap((ordinal) =>
    (set.spec.volumeClaimTemplates ?? []).map((one) => memberClaim(one.metadata.name, set, ordinal))
  );
  const taken = !keepMembers && set.spec.persistentVolumeClaimRetentionPolicy?.whenDeleted === 'Delete';
  const there = claims.filter((name) => facts.get('PersistentVolumeClaim', namespace, name));
  const claimLines = there.map((name) => ({
    ref: { kind: 'PersistentVolumeClaim' as const, namespace, name },
    says: taken ? 'goes with the set' : 'stays, with its data'
  }));
  return {
    goes: [
      ...(keepMembers ? [] : members.map((pod) => ({ ref: refOf(pod), says: endsNow(facts, pod, 'ends') }))),
      ...own.map(withPod),
      ...(taken ? claimLines : [])
    ],
    stays: [...(keepMembers ? pods.map((ref) => ({ ref, says: 'runs on, owned by nobody' })) : []), ...(taken ? [] : claimLines)],
    lost: [
      ...(keepMembers ? [] : podLoss(facts, refOf(set), members)),
      ...(taken ? there.flatMap((name) => claimLoss(facts, namespace, name)) : [])
    ]
  };
}

/** What becomes of a claim's volume at the cluster and at the provider. */
function claimRemoval(facts: Facts, ref: Ref): Heads {
  const claim = facts.get('PersistentVolumeClaim', ref.namespace, ref.name);
  const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  const asset = facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
  const users = facts
    .podsOfClaim(ref.namespace, ref.name)
    .map((pod) => ({ ref: refOf(pod), says: 'uses it; the claim goes when this pod has gone' }));
  const keeps = volume !== undefined && volume.spec.persistentVolumeReclaimPolicy !== 'Delete';
  const goes = [
    { ref, says: users.length ? 'goes when nobody uses it any more' : 'goes' },
    ...(volume && !keeps ? [{ ref: refOf(volume), says: 'goes with it (policy Delete)' }] : [])
  ];
  const kept =
    volume && keeps
      ? [{ ref: refOf(volume), says: 'stays as Released (policy Retain); it is not handed out again until it is freed' }]
      : [];
  const data = asset && keeps ? [{ ref: refOf(asset), says: `stays at the provider with its data (${asset.spec.size})` }] : [];
  return { goes, lost: claimLoss(facts, ref.namespace, ref.name), stays: [...users, ...kept, ...data] };
}

/** A volume that is taken away by itself leaves its asset behind. */
function volumeRemoval(facts: Facts, volume: ApiObject & { kind: 'PersistentVolume' }): Heads {
  const asset = facts.get('Asset', '', volume.spec.csi?.volumeHandle ?? '');
  const { claimRef } = volume.spec;
  const bound = volume.status?.phase === 'Bound' && claimRef?.name;
  return {
    goes: [{ ref: refOf(volume), says: bound ? `goes when ${claimRef.namespace}/${claimRef.name} has gone` : 'goes' }],
    lost: [],
    stays: asset
      ? [{ ref: refOf(asset), says: `stays at the provider with its data (${asset.spec.size}), and no volume names it any more` }]
      : []
  };
}

/** What would go, stay and be lost if an object were taken away. */
export function removalSheet(facts: Facts, ref: Ref, { keepMembers = false, force = false, foreground = false } = {}): RemovalSheet {
  const refusal = removalRefusal(facts, ref, force);
  const object = facts.get(ref.kind, ref.namespace, ref.name);
  if (refusal || !object) return { ref, goes: [], lost: [], stays: [], risks: [], with: [], ...(refusal ? { refusal } : {}) };
  const heads = headsOf(facts, ref, object, keepMembers);
  const beside = keepMembers ? [] : companionsOf(facts, ref);
  const forced = force && object.kind === 'Pod';
  const risks = forced ? forceRisks(facts, object) : [];
  const goes = forced
    ? heads.goes.map((one) => ({ ...one, says: one.says.replace(/^ends( once its node .* taken away)?/, 'goes at once') }))
    : heads.goes;
  const order = foreground && !keepMembers && facts.ownedBy(object.metadata.uid ?? '').length ? goingLast(ref, goes) : goes;
  return { ref, ...heads, goes: order, stays: [...heads.stays, ...leaning(facts, object)], risks, with: beside };
}

/** What goes, where an owner waits for all that it owns. */
function goingLast(ref: Ref, goes: readonly SheetLine[]): SheetLine[] {
  const others = goes.filter((one) => one.ref.kind !== ref.kind || one.ref.name !== ref.name);
  const says = others.length
    ? `goes once ${plural(others.length, 'object')} before it ${others.length === 1 ? 'has' : 'have'} gone`
    : 'goes';
  return [...others, { ref, says }];
}

/** Who makes a pod anew, as the end of a sentence. */
const madeAgain = (owner: ReturnType<typeof makerOf>): string =>
  owner
    ? `; ${owner.kind} ${owner.name} makes ${owner.kind === 'StatefulSet' ? 'it anew under the same name' : 'another'}`
    : ', and nobody makes it anew';

/** A node that is taken away ends what runs on it, and nobody gets at what lies on its own disks. */
function nodeRemoval(facts: Facts, node: Node): Heads {
  const { name } = node.metadata;
  const pods = facts.podsOn(name).filter(takesRoom);
  const owned = facts.ownedBy(node.metadata.uid ?? '').filter((one) => one.kind !== 'Pod');
  const local = facts.list('PersistentVolume').filter((one) => {
    const terms = one.spec.nodeAffinity?.required?.nodeSelectorTerms;
    return (
      (one.spec.local !== undefined || one.spec.hostPath !== undefined) &&
      terms !== undefined &&
      termsMatch(terms, node.metadata.labels, name)
    );
  });
  return {
    goes: [
      { ref: refOf(node), says: 'goes' },
      ...owned.map((one) => ({ ref: refOf(one), says: 'goes with it' })),
      ...pods.map((pod) => {
        const owner = makerOf(pod);
        return { ref: refOf(pod), says: `ends with its node${owner?.kind === 'DaemonSet' ? '' : madeAgain(owner)}` };
      }),
      ...ownClaimsOf(facts, pods).map(withPod)
    ],
    stays: local.map((one) => ({
      ref: refOf(one),
      says: `lies on the disks of ${name}: nobody can use what is in it while the node is away`
    })),
    lost: podLoss(facts, refOf(node), pods)
  };
}

/** A snapshot takes along what the backend keeps of it, where its policy says so. */
function snapshotRemoval(facts: Facts, one: Snapshot): Heads {
  const content = facts.get('VolumeSnapshotContent', '', one.status?.boundVolumeSnapshotContentName ?? '');
  const keeps = content?.spec.deletionPolicy === 'Retain';
  return {
    goes: [
      { ref: refOf(one), says: 'goes' },
      ...(content && !keeps ? [{ ref: refOf(content), says: 'goes with it (policy Delete)' }] : [])
    ],
    stays: content && keeps ? [{ ref: refOf(content), says: 'stays, and what the backend keeps with it (policy Retain)' }] : [],
    lost: snapshotLoss(facts, one)
  };
}

/** What a backend keeps stays when only what stands for it is taken away; the snapshot that leads to it leads nowhere then. */
function contentRemoval(facts: Facts, content: SnapshotContent): Heads {
  const { namespace = '', name = '' } = content.spec.volumeSnapshotRef;
  const snapshot = facts.get('VolumeSnapshot', namespace, name);
  const asset = facts.get('Asset', '', content.status?.snapshotHandle ?? '');
  return {
    goes: [{ ref: refOf(content), says: 'goes' }],
    stays: [
      ...(snapshot ? [{ ref: refOf(snapshot), says: 'stays, and nothing stands behind it any more: nobody can go back to it' }] : []),
      ...(asset ? [{ ref: refOf(asset), says: 'stays at the provider, and nothing names it any more' }] : [])
    ],
    lost: []
  };
}

/** A definition takes all objects of its kind along, and they what goes with each. Source: "CustomResourceDefinitions", deleting one. */
function definitionRemoval(facts: Facts, definition: Definition): Heads {
  const each = definedBy(facts, definition.spec).map((one) => headsOf(facts, refOf(one), one, false));
  const { group, names } = definition.spec;
  const unread = (facts.scope?.others ?? []).filter((one) => one.kind === names.kind && one.apiVersion.startsWith(`${group}/`));
  return {
    goes: [
      { ref: refOf(definition), says: each.length + unread.length ? 'goes, and with it all objects of its kind' : 'goes' },
      ...each.flatMap((one) => one.goes)
    ],
    stays: each.flatMap((one) => one.stays),
    lost: [
      ...each.flatMap((one) => one.lost),
      ...(unread.length
        ? [{ ref: refOf(definition), says: `what goes with ${plural(unread.length, 'object')} of the kind ${names.kind}: that is unseen` }]
        : [])
    ]
  };
}

function headsOf(facts: Facts, ref: Ref, object: ApiObject, keepMembers: boolean): Heads {
  if (object.kind === 'StatefulSet') return { ...setRemoval(facts, object, keepMembers) };
  if (object.kind === 'PersistentVolumeClaim') return { ...claimRemoval(facts, ref) };
  if (object.kind === 'PersistentVolume') return { ...volumeRemoval(facts, object) };
  if (object.kind === 'Asset')
    return {
      goes: [],
      stays: [],
      lost: [{ ref, says: `and all data in it (${object.spec.size}); no volume names it, so nobody can bring it back` }]
    };
  if (object.kind === 'Pod') {
    const owner = makerOf(object);
    const own = ownClaimsOf(facts, [object]);
    const stays = claimsOf(object.spec, object.metadata.name)
      .filter((name) => !own.some((one) => one.metadata.name === name))
      .map((name) => ({
        ref: { kind: 'PersistentVolumeClaim' as const, namespace: ref.namespace, name },
        says: 'stays, with its data'
      }));
    return {
      goes: [{ ref, says: `${endsNow(facts, object, 'ends')}${madeAgain(owner)}` }, ...own.map(withPod)],
      lost: podLoss(facts, ref, [object]),
      stays
    };
  }
  if (object.kind === 'Namespace') return { ...namespaceRemoval(facts, ref) };
  if (object.kind === 'Secret') return { goes: [{ ref, says: 'goes' }], stays: [], lost: keyLoss(facts, object) };
  if (object.kind === 'Node') return nodeRemoval(facts, object);
  if (object.kind === 'VolumeSnapshot') return snapshotRemoval(facts, object);
  if (object.kind === 'VolumeSnapshotContent') return contentRemoval(facts, object);
  if (object.kind === 'CustomResourceDefinition') return definitionRemoval(facts, object);
  if (object.kind === 'MemoryCluster' || object.kind === 'DocumentSet') return { ...resourceRemoval(facts, object) };
  const under = keepMembers ? [] : ownedUnder(facts, object);
  const pods = under.filter((one) => one.kind === 'Pod');
  return {
    goes: [
      { ref, says: 'goes' },
      ...under.map((one) => ({ ref: refOf(one), says: one.kind === 'Pod' ? endsNow(facts, one, 'goes with it') : 'goes with it' }))
    ],
    stays: [],
    lost: podLoss(facts, ref, pods.filter(takesRoom))
  };
}

/** What comes and goes by itself with its owner. */
const between: ReadonlySet<Kind> = new Set<Kind>(['ReplicaSet', 'Process', 'Event']);

/** All that an object owns, and what that owns, level by level; pods first. */
function ownedUnder(facts: Facts, object: ApiObject): ApiObject[] {
  const found: ApiObject[] = [];
  let level = facts.ownedBy(object.metadata.uid ?? '-');
  while (level.length) {
    found.push(...level);
    level = level.flatMap((one) => facts.ownedBy(one.metadata.uid ?? '-'));
  }
  const shown = found.filter((one) => !between.has(one.kind));
  return [...shown.filter((one) => one.kind === 'Pod'), ...shown.filter((one) => one.kind !== 'Pod')];
}

/** What a custom resource takes along is a choice in the resource itself. */
function resourceRemoval(facts: Facts, cluster: MemoryCluster | DocumentSet): Heads {
  const [namespace, name] = [cluster.metadata.namespace ?? '', cluster.metadata.name];
  const { takesAlong } = cluster.spec;
  const set = facts.get('StatefulSet', namespace, name);
  const secrets = facts.list('Secret', namespace).filter((one) => one.metadata.labels?.[partOfLabel] === name);
  const services = (['Service', 'ConfigMap', 'Issuer', 'Certificate'] as const)
    .flatMap((kind) => facts.list(kind, namespace) as ApiObject[])
    .filter((one) => one.metadata.labels?.[partOfLabel] === name);
  const databases =
    cluster.kind === 'MemoryCluster' ? facts.list('MemoryDatabase', namespace).filter((one) => one.spec.cluster === name) : [];
  const whole = set ? setRemoval(facts, set, takesAlong === 'nothing') : { goes: [], stays: [], lost: [] };
  const setLine = set ? [{ ref: refOf(set), says: takesAlong === 'nothing' ? 'runs on, and nobody looks after it' : 'goes with it' }] : [];
  const secretLines = secrets.map((one) => ({ ref: refOf(one), says: takesAlong === 'all' ? 'goes with it' : 'stays, with its password' }));
  const serviceLines = services.map((one) => ({ ref: refOf(one), says: takesAlong === 'nothing' ? 'stays' : 'goes with it' }));
  const kept = takesAlong === 'nothing';
  return {
    goes: [
      { ref: refOf(cluster), says: `goes (it takes along: ${takesAlong})` },
      ...(kept ? [] : [...setLine, ...serviceLines, ...whole.goes]),
      ...(takesAlong === 'all' ? secretLines : [])
    ],
    stays: [
      ...(kept ? [...setLine, ...serviceLines] : whole.stays),
      ...(takesAlong === 'all' ? [] : secretLines),
      ...databases.map((one) => ({ ref: refOf(one), says: 'stays, and nothing serves it any more' }))
    ],
    lost: kept ? [] : whole.lost
  };
}

const quiet = new Set(['Event', 'EndpointSlice', 'Process', 'Ask']);

/** A snapshot whose content is deleted with it: what could be gone back to is lost. */
function snapshotLoss(facts: Facts, one: Snapshot): SheetLine[] {
  const content = facts.get('VolumeSnapshotContent', '', one.status?.boundVolumeSnapshotContentName ?? '');
  if (content?.spec.deletionPolicy !== 'Delete') return [];
  const taken = one.status?.creationTime;
  const of = one.spec.source.persistentVolumeClaimName;
  return [
    {
      ref: refOf(one),
      says: `what it holds${of === undefined ? '' : ` of ${of}`}${taken === undefined ? '' : ` as of ${clockOf(momentOf(taken))}`} (policy Delete): nobody can go back to it`
    }
  ];
}

/** Everything in a namespace goes with it; volumes that are kept, and their data, stay. */
function namespaceRemoval(facts: Facts, ref: Ref): Heads {
  const within = kindEntries
    .filter((one) => one.namespaced && !quiet.has(one.kind))
    .flatMap((one) => facts.list(one.kind, ref.name) as ApiObject[]);
  const claims = within.filter((one) => one.kind === 'PersistentVolumeClaim');
  const volumes = claims.flatMap((one) => facts.get('PersistentVolume', '', one.spec.volumeName ?? '') ?? []);
  const kept = volumes.filter((one) => one.spec.persistentVolumeReclaimPolicy !== 'Delete');
  const makers = new Map<string, Pod[]>();
  for (const one of within) {
    if (one.kind !== 'Pod' || !takesRoom(one) || !ephemeral(one.spec).length) continue;
    const owner = makerOf(one);
    const key = owner ? `${owner.kind} ${owner.name}` : one.metadata.name;
    makers.set(key, [...(makers.get(key) ?? []), one]);
  }
  const dirs = [...makers.values()].map((pods): SheetLine => {
    const [first] = pods as [Pod, ...Pod[]];
    const owner = makerOf(first);
    const kind = kindEntry(owner?.kind ?? '')?.kind;
    const names = [...new Set(pods.flatMap((one) => ephemeral(one.spec)))];
    return { ref: owner && kind ? { kind, namespace: ref.name, name: owner.name } : refOf(first), says: dirLoss(pods, names, facts.nowMs) };
  });
  return {
    goes: [{ ref, says: 'goes' }, ...within.map((one) => ({ ref: refOf(one), says: 'goes with the namespace' }))],
    stays: kept.map((one) => ({ ref: refOf(one), says: 'stays as Released (policy Retain), with its asset and its data' })),
    lost: [
      ...dirs,
      ...claims.flatMap((one) => claimLoss(facts, ref.name, one.metadata.name)),
      ...within.flatMap((one) => (one.kind === 'VolumeSnapshot' ? snapshotLoss(facts, one) : []))
    ]
  };
}
