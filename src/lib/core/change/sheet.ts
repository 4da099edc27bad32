import { bytesOf, same, type Difference } from '../shared';
import {
  claimsOf,
  entryOf,
  memberClaim,
  ordinalIn,
  ordinalsOf,
  refOf,
  type ApiObject,
  type DaemonSet,
  type Deployment,
  type Facts,
  type Pod,
  type PodSpec,
  type Ref,
  type StatefulSet
} from '../model';
import { plan, removalRefusal, type Refusal, type Verdict } from '../standin';

/** One line of a change sheet. */
export interface SheetLine {
  readonly ref: Ref;
  readonly says: string;
  readonly fields?: readonly Difference[];
  readonly refusal?: Refusal;
}

/** One step of the order of sending, with what is waited for before the next one works. */
export interface SendStep {
  readonly refs: readonly Ref[];
  readonly then?: string;
}

/** How to get past what is immutable in a set: in steps, with the members running all the while. */
export interface WayRound {
  readonly replace: readonly Ref[];
  readonly steps: readonly string[];
  /** What would still be refused; with nothing here it works. */
  readonly refused: readonly Refusal[];
}

/** What a draft would do to a cluster as it stands now. */
export interface ChangeSheet {
  readonly nowMs: number;
  readonly new: readonly SheetLine[];
  readonly altered: readonly SheetLine[];
  readonly refused: readonly SheetLine[];
  readonly restarted: readonly SheetLine[];
  readonly lost: readonly SheetLine[];
  readonly untouched: readonly SheetLine[];
  /** Sets that would be sent anew with their members kept, because something immutable in them changes; the way round. */
  readonly wayRound?: WayRound;
  readonly order: readonly SendStep[];
}

const shown = (value: unknown): string => {
  if (value === undefined) return 'nothing';
  const text = typeof value === 'string' ? value : JSON.stringify(value);
  return text.length > 100 ? `${text.slice(0, 97)}...` : text;
};

/** Fields whose values never appear on a sheet. */
const covered = (ref: Ref, { field }: Difference): boolean => ref.kind === 'Secret' && /^(data|stringData)/.test(field);

const changeWords = (ref: Ref, one: Difference): string =>
  covered(ref, one) ? `${one.field} changes (covered)` : `${one.field} ${shown(one.before)} → ${shown(one.after)}`;

function safeFields(ref: Ref, fields: readonly Difference[]): Difference[] {
  return fields.map((one) => (covered(ref, one) ? { field: one.field, before: '(covered)', after: '(covered)' } : one));
}

const ephemeral = (spec: PodSpec): string[] => (spec.volumes ?? []).filter((one) => one.emptyDir).map((one) => one.name);

type Workload = StatefulSet | Deployment | DaemonSet;
const isWorkload = (one: ApiObject | undefined): one is Workload =>
  one?.kind === 'StatefulSet' || one?.kind === 'Deployment' || one?.kind === 'DaemonSet';

const podsOf = (facts: Facts, owner: ApiObject): Pod[] =>
  facts.ownedBy(owner.metadata.uid ?? '').filter((one): one is Pod => one.kind === 'Pod');

function restarts(facts: Facts, { before, after }: Verdict): { restarted: SheetLine[]; lost: SheetLine[] } {
  if (!isWorkload(before) || !isWorkload(after) || same(before.spec.template, after.spec.template)) return { restarted: [], lost: [] };
  const pods = podsOf(facts, before);
  if (!pods.length) return { restarted: [], lost: [] };
  const names = pods.map((pod) => pod.metadata.name).sort();
  if (after.kind === 'StatefulSet') names.sort((a, b) => (ordinalIn(after, b) ?? 0) - (ordinalIn(after, a) ?? 0));
  const onDelete = after.kind === 'StatefulSet' && after.spec.updateStrategy?.type === 'OnDelete';
  const all = after.kind === 'Deployment' && after.spec.strategy?.type === 'Recreate';
  const how = onDelete
    ? 'only when somebody takes a member away (OnDelete)'
    : all
      ? 'all at once: the old ones end before new ones start'
      : 'one after the other, each after the one before is ready';
  const dirs = ephemeral(before.spec.template.spec);
  return {
    restarted: [{ ref: refOf(after), says: `${names.join(', ')}; ${how}` }],
    lost: dirs.length
      ? [{ ref: refOf(after), says: `what lies in the ephemeral directories ${dirs.join(', ')} of ${names.join(', ')}` }]
      : []
  };
}

/** What goes with a claim: its volume and the backend's asset, where the policy is Delete. */
function claimLoss(facts: Facts, namespace: string, name: string): SheetLine[] {
  const claim = facts.get('PersistentVolumeClaim', namespace, name);
  const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  if (!claim || !volume || volume.spec.persistentVolumeReclaimPolicy !== 'Delete') return [];
  return [
    {
      ref: refOf(claim),
      says: `the volume ${volume.spec.csi?.volumeHandle ?? volume.metadata.name} with all data in it (${volume.spec.capacity.storage}, policy Delete)`
    }
  ];
}

function scaledLoss(facts: Facts, { before, after }: Verdict): SheetLine[] {
  if (before?.kind !== 'StatefulSet' || after?.kind !== 'StatefulSet') return [];
  if (after.spec.persistentVolumeClaimRetentionPolicy?.whenScaled !== 'Delete') return [];
  const kept = new Set(ordinalsOf(after));
  return ordinalsOf(before)
    .filter((one) => !kept.has(one))
    .flatMap((ordinal) =>
      (after.spec.volumeClaimTemplates ?? []).flatMap((one) =>
        claimLoss(facts, after.metadata.namespace ?? '', memberClaim(one.metadata.name, after, ordinal))
      )
    );
}

/** A disk that is cleared loses what it carried. */
function clearedLoss({ ref, before, after }: Verdict): SheetLine[] {
  if (before?.kind !== 'Disk' || after?.kind !== 'Disk' || !before.spec.holds || after.spec.holds === before.spec.holds) return [];
  return [{ ref, says: `the ${before.spec.holds} on the disk, with all that is in it (${before.spec.size})` }];
}

const waits: Partial<Record<ApiObject['kind'], string>> = {
  DaemonSet: 'until it is ready on every node, normally 10–60 s each',
  Deployment: 'until its pods are ready, normally 10–60 s',
  StatefulSet: 'until its members are ready, one after the other'
};

function orderOf(verdicts: readonly Verdict[]): SendStep[] {
  const steps: { kind: string; refs: Ref[] }[] = [];
  for (const { ref, outcome } of verdicts) {
    if (outcome === 'untouched' || outcome === 'refused') continue;
    const last = steps.at(-1);
    if (last?.kind === ref.kind) last.refs.push(ref);
    else steps.push({ kind: ref.kind, refs: [ref] });
  }
  return steps.map(({ kind, refs }) => {
    const then = waits[kind as ApiObject['kind']];
    return { refs, ...(then ? { then } : {}) };
  });
}

/** Claims of a set that are smaller than its new template asks for. */
function smallerClaims(facts: Facts, set: StatefulSet, objects: readonly ApiObject[]): string[] {
  const sent = new Set(objects.flatMap((one) => (one.kind === 'PersistentVolumeClaim' ? [one.metadata.name] : [])));
  return (set.spec.volumeClaimTemplates ?? []).flatMap((template) =>
    ordinalsOf(set).flatMap((ordinal) => {
      const name = memberClaim(template.metadata.name, set, ordinal);
      const claim = facts.get('PersistentVolumeClaim', set.metadata.namespace ?? '', name);
      const small = claim && bytesOf(claim.spec.resources.requests.storage) < bytesOf(template.spec.resources.requests.storage);
      return small && !sent.has(name) ? [name] : [];
    })
  );
}

/** The way round for sets that are refused only because something immutable changes. */
function wayRound(facts: Facts, verdicts: readonly Verdict[], objects: readonly ApiObject[]): WayRound | undefined {
  const replace = verdicts
    .filter(({ ref, refusals }) => ref.kind === 'StatefulSet' && refusals.length && refusals.every((one) => one.code === 'immutable-field'))
    .map((one) => one.ref);
  if (!replace.length) return undefined;
  const again = plan(facts, objects, replace);
  const names = replace.map((one) => one.name).join(', ');
  const claims = again.filter((one) => one.ref.kind === 'PersistentVolumeClaim' && one.outcome === 'altered').map((one) => one.ref.name);
  const sets = objects.filter(
    (one): one is StatefulSet => one.kind === 'StatefulSet' && replace.some((two) => two.name === one.metadata.name)
  );
  const small = sets.flatMap((one) => smallerClaims(facts, one, objects));
  return {
    replace,
    steps: [
      claims.length
        ? `Grow ${claims.join(', ')}; the members run on.`
        : small.length
          ? `The claims ${small.join(', ')} keep their size: put them into the draft too if they are to grow.`
          : 'No claim has to grow.',
      `Take ${names} away, but keep its members: they run on, owned by nobody.`,
      `Send ${names} anew with what is changed; it takes its members over, and nobody restarts unless the pod template changed.`
    ],
    refused: again.flatMap((one) => one.refusals)
  };
}

/** Makes the change sheet of a batch of objects against a cluster. Nothing is written. */
export function changeSheet(facts: Facts, objects: readonly ApiObject[]): ChangeSheet {
  const verdicts = plan(facts, objects);
  const of = (outcome: Verdict['outcome']) => verdicts.filter((one) => one.outcome === outcome);
  const round = wayRound(facts, verdicts, objects);
  const effects = verdicts.map((one) => restarts(facts, one));
  return {
    nowMs: facts.nowMs,
    new: of('new').map(({ ref }) => ({ ref, says: entryOf(ref.kind).namespaced ? `in ${ref.namespace}` : 'for the whole cluster' })),
    altered: of('altered').map(({ ref, fields }) => ({
      ref,
      says: fields.map((one) => changeWords(ref, one)).join('; '),
      fields: safeFields(ref, fields)
    })),
    refused: of('refused').flatMap(({ ref, refusals }) => refusals.map((refusal) => ({ ref, says: refusal.message, refusal }))),
    restarted: effects.flatMap((one) => one.restarted),
    lost: [...effects.flatMap((one) => one.lost), ...verdicts.flatMap((one) => [...scaledLoss(facts, one), ...clearedLoss(one)])],
    ...(round ? { wayRound: round } : {}),
    untouched: of('untouched').map(({ ref }) => ({ ref, says: 'as it is' })),
    order: orderOf(verdicts)
  };
}

/** What taking something away does. */
export interface RemovalSheet {
  readonly ref: Ref;
  readonly goes: readonly SheetLine[];
  readonly lost: readonly SheetLine[];
  readonly stays: readonly SheetLine[];
  readonly refusal?: Refusal;
}

function setRemoval(facts: Facts, set: StatefulSet, keepMembers: boolean): Omit<RemovalSheet, 'ref'> {
  const namespace = set.metadata.namespace ?? '';
  const pods = podsOf(facts, set).map(refOf);
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
    goes: [...(keepMembers ? [] : pods.map((ref) => ({ ref, says: 'ends' }))), ...(taken ? claimLines : [])],
    stays: [...(keepMembers ? pods.map((ref) => ({ ref, says: 'runs on, owned by nobody' })) : []), ...(taken ? [] : claimLines)],
    lost: taken ? there.flatMap((name) => claimLoss(facts, namespace, name)) : []
  };
}

/** What becomes of a claim's volume at the cluster and at the provider. */
function claimRemoval(facts: Facts, ref: Ref): Omit<RemovalSheet, 'ref'> {
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
function volumeRemoval(facts: Facts, volume: ApiObject & { kind: 'PersistentVolume' }): Omit<RemovalSheet, 'ref'> {
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
export function removalSheet(facts: Facts, ref: Ref, keepMembers = false): RemovalSheet {
  const refusal = removalRefusal(facts, ref);
  const object = facts.get(ref.kind, ref.namespace, ref.name);
  if (refusal || !object) return { ref, goes: [], lost: [], stays: [], ...(refusal ? { refusal } : {}) };
  if (object.kind === 'StatefulSet') return { ref, ...setRemoval(facts, object, keepMembers) };
  if (object.kind === 'PersistentVolumeClaim') return { ref, ...claimRemoval(facts, ref) };
  if (object.kind === 'PersistentVolume') return { ref, ...volumeRemoval(facts, object) };
  if (object.kind === 'Asset')
    return {
      ref,
      goes: [],
      stays: [],
      lost: [{ ref, says: `and all data in it (${object.spec.size}); no volume names it, so nobody can bring it back` }]
    };
  if (object.kind === 'Pod') {
    const owner = object.metadata.ownerReferences?.find((one) => one.controller);
    const dirs = ephemeral(object.spec);
    const stays = claimsOf(object.spec).map((name) => ({
      ref: { kind: 'PersistentVolumeClaim' as const, namespace: ref.namespace, name },
      says: 'stays, with its data'
    }));
    return {
      ref,
      goes: [
        {
          ref,
          says: owner
            ? `ends; ${owner.kind} ${owner.name} makes ${owner.kind === 'StatefulSet' ? 'it anew under the same name' : 'another'}`
            : 'ends, and nobody makes it anew'
        }
      ],
      lost: dirs.length ? [{ ref, says: `what lies in the ephemeral directories ${dirs.join(', ')}` }] : [],
      stays
    };
  }
  const owned = keepMembers ? [] : facts.ownedBy(object.metadata.uid ?? '').map((one) => ({ ref: refOf(one), says: 'goes with it' }));
  const within = ref.kind === 'Namespace' ? facts.list('PersistentVolumeClaim', ref.name) : [];
  return { ref, goes: owned, stays: [], lost: within.flatMap((one) => claimLoss(facts, ref.name, one.metadata.name)) };
}
