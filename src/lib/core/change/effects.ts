import { bytesOf, clockOf, quantityOf, same } from '../shared';
import {
  claimsOf,
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
  type StatefulSet,
  podsMadeBy
} from '../model';
import { engineRunning, ephemeralFillAt, followed, type Verdict } from '../standin';
import type { SheetLine } from './types';

/** Names of the volumes of a pod that are gone with it. */
export const ephemeral = (spec: PodSpec): string[] => (spec.volumes ?? []).filter((one) => one.emptyDir).map((one) => one.name);

type Workload = StatefulSet | Deployment | DaemonSet;
const isWorkload = (one: ApiObject | undefined): one is Workload =>
  one?.kind === 'StatefulSet' || one?.kind === 'Deployment' || one?.kind === 'DaemonSet';

/** What lies in a pod's ephemeral directories, as far as it can be told. */
export function dirLoss(pods: readonly Pod[], dirs: readonly string[], nowMs: number): string {
  const bytes = pods.reduce((sum, pod) => sum + ephemeralFillAt(pod, nowMs), 0);
  const fill = bytes > 0 ? `, ${quantityOf(Math.round(bytes / 2 ** 20) * 2 ** 20)} in all` : '';
  return `what lies in the ephemeral ${dirs.length === 1 ? 'directory' : 'directories'} ${dirs.join(', ')} of ${pods.map((pod) => pod.metadata.name).join(', ')}${fill}`;
}

/** A one-node claim that a rolling update would need twice. */
function heldClaim(facts: Facts, after: Workload): string | undefined {
  if (after.kind !== 'Deployment' || after.spec.strategy?.type === 'Recreate') return undefined;
  return claimsOf(after.spec.template.spec).find((name) =>
    facts
      .get('PersistentVolumeClaim', after.metadata.namespace ?? '', name)
      ?.spec.accessModes.every((mode) => mode.startsWith('ReadWriteOnce'))
  );
}

function howOf(facts: Facts, after: Workload): string {
  if (after.kind === 'StatefulSet') {
    if (after.spec.updateStrategy?.type === 'OnDelete') return 'only when somebody takes a member away (OnDelete)';
    const partition = after.spec.updateStrategy?.rollingUpdate?.partition ?? 0;
    return `one after the other, each after the one before is ready${partition ? `; those below ordinal ${partition} keep the old template` : ''}`;
  }
  if (after.kind === 'Deployment' && after.spec.strategy?.type === 'Recreate') return 'all at once: the old ones end before new ones start';
  const held = heldClaim(facts, after);
  return held
    ? `one after the other; on another node the new one waits for ever for ${held}, which the old one holds: Recreate is needed`
    : 'one after the other, each after the one before is ready';
}

/** Which pods start anew, in which order, and what they lose by it. */
export function restarts(facts: Facts, { before, after, outcome }: Verdict): { restarted: SheetLine[]; lost: SheetLine[] } {
  const none = { restarted: [], lost: [] };
  if (outcome === 'refused' || !isWorkload(before) || !isWorkload(after) || same(before.spec.template, after.spec.template)) return none;
  const partition = after.kind === 'StatefulSet' ? (after.spec.updateStrategy?.rollingUpdate?.partition ?? 0) : 0;
  const pods = podsMadeBy(facts, before)
    .filter((pod) => after.kind !== 'StatefulSet' || (ordinalIn(after, pod.metadata.name) ?? 0) >= partition)
    .sort((a, b) =>
      after.kind === 'StatefulSet'
        ? (ordinalIn(after, b.metadata.name) ?? 0) - (ordinalIn(after, a.metadata.name) ?? 0)
        : a.metadata.name < b.metadata.name
          ? -1
          : 1
    );
  if (!pods.length) return none;
  const dirs = ephemeral(before.spec.template.spec);
  const onDelete = after.kind === 'StatefulSet' && after.spec.updateStrategy?.type === 'OnDelete';
  return {
    restarted: [{ ref: refOf(after), says: `${pods.map((pod) => pod.metadata.name).join(', ')}; ${howOf(facts, after)}` }],
    lost: dirs.length && !onDelete ? [{ ref: refOf(after), says: dirLoss(pods, dirs, facts.nowMs) }] : []
  };
}

/** What goes with a claim: its volume and the backend's asset, where the policy is Delete. */
export function claimLoss(facts: Facts, namespace: string, name: string): SheetLine[] {
  const claim = facts.get('PersistentVolumeClaim', namespace, name);
  const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  if (!claim || !volume || volume.spec.persistentVolumeReclaimPolicy !== 'Delete') return [];
  const asset = volume.spec.csi?.volumeHandle ?? volume.metadata.name;
  return [{ ref: refOf(claim), says: `the volume ${asset} with all data in it (${volume.spec.capacity.storage}, policy Delete)` }];
}

/** Claims that go with members that are scaled away, and members that a scaling down ends. */
export function scaledLoss(facts: Facts, { before, after, outcome }: Verdict): SheetLine[] {
  if (outcome === 'refused' || before?.kind !== 'StatefulSet' || after?.kind !== 'StatefulSet') return [];
  const kept = new Set(ordinalsOf(after));
  const away = ordinalsOf(before).filter((one) => !kept.has(one));
  const pods = podsMadeBy(facts, before).filter((pod) => away.includes(ordinalIn(before, pod.metadata.name) ?? -1));
  const dirs = ephemeral(before.spec.template.spec);
  const claims =
    after.spec.persistentVolumeClaimRetentionPolicy?.whenScaled === 'Delete'
      ? away.flatMap((ordinal) =>
          (after.spec.volumeClaimTemplates ?? []).flatMap((one) =>
            claimLoss(facts, after.metadata.namespace ?? '', memberClaim(one.metadata.name, after, ordinal))
          )
        )
      : [];
  return [...(dirs.length && pods.length ? [{ ref: refOf(after), says: dirLoss(pods, dirs, facts.nowMs) }] : []), ...claims];
}

/** A disk that is cleared loses what it carried. */
export function clearedLoss({ ref, before, after, outcome }: Verdict): SheetLine[] {
  if (
    outcome === 'refused' ||
    before?.kind !== 'Disk' ||
    after?.kind !== 'Disk' ||
    !before.spec.holds ||
    after.spec.holds === before.spec.holds
  )
    return [];
  return [{ ref, says: `the ${before.spec.holds} on the disk, with all that is in it (${before.spec.size})` }];
}

/** A copy that is put back over what stands throws away what was written since. */
export function restoredLoss({ ref, before, after, outcome }: Verdict): SheetLine[] {
  if (outcome === 'refused' || before || after?.kind !== 'BackupReturn' || !after.spec.over) return [];
  const { into, only } = after.spec;
  const what = only === undefined ? `all that ${into} holds` : `what ${into} holds in ${only}`;
  return [{ ref, says: `${what}, with what was written since the moment that comes back` }];
}

/** A workload that begins to follow another one gives up what it has of its own; one that is promoted goes without what it hadn't got yet. */
export function followedLoss(facts: Facts, { ref, before, after, outcome }: Verdict): SheetLine[] {
  if (outcome === 'refused' || after?.kind !== 'Mirror') return [];
  const { workload, from, deletes, promoted } = after.spec;
  const its = `${from.workload} of ${from.cluster}`;
  const was = before?.kind === 'Mirror' ? before : undefined;
  if (promoted) {
    if (!was || was.spec.promoted) return [];
    const { momentMs } = was.status ?? {};
    const since =
      momentMs === undefined ? `all that ${its} holds: ${workload} never had it` : `what ${its} took since ${clockOf(momentMs)}`;
    return [{ ref, says: `${since}, as long as ${workload} goes on without it` }];
  }
  if (was && !was.spec.promoted) return [];
  const engine = engineRunning(facts, after.metadata.namespace ?? '', workload);
  const what = engine && followed[engine];
  if (what === 'tables') return [{ ref, says: `what ${workload} holds and ${its} doesn't: it is listed, and given up` }];
  if (what === 'objects' && deletes)
    return [{ ref, says: `objects of ${workload} that ${its} doesn't have: they are listed, and deleted` }];
  return [];
}

/** What loses nothing now and will later: retention and reclaim policies that turn to Delete. */
export function laterLoss({ ref, before, after, outcome }: Verdict): SheetLine[] {
  if (outcome === 'refused' || !after) return [];
  const lines: SheetLine[] = [];
  if (after.kind === 'StatefulSet') {
    const [old, now] = [
      before?.kind === 'StatefulSet' ? before.spec.persistentVolumeClaimRetentionPolicy : undefined,
      after.spec.persistentVolumeClaimRetentionPolicy
    ];
    if (now?.whenScaled === 'Delete' && old?.whenScaled !== 'Delete')
      lines.push({ ref, says: 'from now on, scaling down takes the claims of the members that go' });
    if (now?.whenDeleted === 'Delete' && old?.whenDeleted !== 'Delete')
      lines.push({ ref, says: 'from now on, taking the set away takes the claims of its members along' });
  }
  if (
    after.kind === 'PersistentVolume' &&
    before?.kind === 'PersistentVolume' &&
    after.spec.persistentVolumeReclaimPolicy === 'Delete' &&
    before.spec.persistentVolumeReclaimPolicy !== 'Delete'
  )
    lines.push({ ref, says: 'from now on, the asset and its data go when the claim goes' });
  return lines;
}

/** Addresses that a change opens to the outside. */
export function opened({ ref, before, after, outcome }: Verdict): SheetLine[] {
  if (outcome === 'refused' || outcome === 'untouched' || after?.kind !== 'Service') return [];
  const outside = (one: ApiObject | undefined) =>
    one?.kind === 'Service' && (one.spec.type === 'LoadBalancer' || one.spec.type === 'NodePort');
  if (!outside(after)) return [];
  const ports = (after.spec.ports ?? []).map((one) => `${one.name ? `${one.name} ` : ''}${one.port}`);
  const old =
    before?.kind === 'Service' && outside(before)
      ? (before.spec.ports ?? []).map((one) => `${one.name ? `${one.name} ` : ''}${one.port}`)
      : [];
  const ranges = (after.spec.loadBalancerSourceRanges as string[] | undefined)?.join(', ');
  const wasRanges = before?.kind === 'Service' ? (before.spec.loadBalancerSourceRanges as string[] | undefined)?.join(', ') : undefined;
  const fresh = ports.filter((one) => !old.includes(one));
  if (!fresh.length && ranges === wasRanges) return [];
  const from = after.spec.type === 'NodePort' ? "at every node's address" : ranges ? `from ${ranges}` : 'from everywhere';
  return [{ ref, says: `${(fresh.length ? fresh : ports).join(', ')} ${from}` }];
}

/** Whether a claim asks for more than it has. */
export const grows = (before: ApiObject, after: ApiObject): boolean =>
  before.kind === 'PersistentVolumeClaim' &&
  after.kind === 'PersistentVolumeClaim' &&
  bytesOf(after.spec.resources.requests.storage) > bytesOf(before.spec.resources.requests.storage);
