import { bytesOf, clockOf, quantityOf, same } from '../shared';
import {
  memberClaim,
  ordinalIn,
  ordinalsOf,
  refOf,
  ownClaims,
  type ApiObject,
  type Claim,
  type Deployment,
  type Facts,
  type Pod,
  type PodSpec,
  type Ref,
  type ReplicaSet,
  podsMadeBy
} from '../model';
import { engineRunning, ephemeralFillAt, followed, isOwnClaim, type Verdict } from '../standin';
import type { SheetLine } from './types';

/** Names of the volumes of a pod that are gone with it. */
export const ephemeral = (spec: PodSpec): string[] => (spec.volumes ?? []).filter((one) => one.emptyDir).map((one) => one.name);

/** The same with those of claims that pods have for themselves alone. */
const passing = (spec: PodSpec): string[] => (spec.volumes ?? []).filter((one) => one.emptyDir ?? one.ephemeral).map((one) => one.name);

/** What lies in a pod's ephemeral directories, as far as it can be told. */
export function dirLoss(pods: readonly Pod[], dirs: readonly string[], nowMs: number): string {
  const bytes = pods.reduce((sum, pod) => sum + ephemeralFillAt(pod, nowMs), 0);
  const fill = bytes > 0 ? `, ${quantityOf(Math.round(bytes / 2 ** 20) * 2 ** 20)} in all` : '';
  return `what lies in the ephemeral ${dirs.length === 1 ? 'directory' : 'directories'} ${dirs.join(', ')} of ${pods.map((pod) => pod.metadata.name).join(', ')}${fill}`;
}

/** The claims that pods have for themselves alone, as they stand; they go with their pods. */
export const ownClaimsOf = (facts: Facts, pods: readonly Pod[]): Claim[] =>
  pods.flatMap((pod) =>
    ownClaims(pod).flatMap(({ name }) => {
      const claim = facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
      return claim && isOwnClaim(claim, pod.metadata.uid) ? [claim] : [];
    })
  );

/** What is lost when pods end: what lies in their ephemeral directories, and in claims of their own. */
export function podLoss(facts: Facts, ref: Ref, pods: readonly Pod[]): SheetLine[] {
  const losing = pods.filter((pod) => ephemeral(pod.spec).length);
  const dirs = [...new Set(losing.flatMap((pod) => ephemeral(pod.spec)))];
  return [
    ...(losing.length ? [{ ref, says: dirLoss(losing, dirs, facts.nowMs) }] : []),
    ...ownClaimsOf(facts, pods).flatMap((one) => claimLoss(facts, one.metadata.namespace ?? '', one.metadata.name))
  ];
}

/** What goes with a claim: its volume and the backend's asset, where the policy is Delete. */
export function claimLoss(facts: Facts, namespace: string, name: string): SheetLine[] {
  const claim = facts.get('PersistentVolumeClaim', namespace, name);
  const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  if (!claim || !volume || volume.spec.persistentVolumeReclaimPolicy !== 'Delete') return [];
  const asset = volume.spec.csi?.volumeHandle ?? volume.metadata.name;
  return [{ ref: refOf(claim), says: `the volume ${asset} with all data in it (${volume.spec.capacity.storage}, policy Delete)` }];
}

/** Which pods a workload of so many fewer ends isn't known before: what one of them loses, they all might. */
function fewer(facts: Facts, before: Deployment | ReplicaSet, after: Deployment | ReplicaSet): SheetLine[] {
  const away = (before.spec.replicas ?? 1) - (after.spec.replicas ?? 1);
  const pods = podsMadeBy(facts, before).filter((pod) => !pod.metadata.deletionTimestamp && passing(pod.spec).length);
  if (away <= 0 || !pods.length) return [];
  if (away >= pods.length) return podLoss(facts, refOf(after), pods);
  const volumes = [...new Set(pods.flatMap((pod) => passing(pod.spec)))];
  const names = pods.map((pod) => pod.metadata.name).join(', ');
  const which = volumes.length === 1 ? 'volume' : 'volumes';
  return [{ ref: refOf(after), says: `what lies in the ephemeral ${which} ${volumes.join(', ')} of ${away} of ${names}` }];
}

/** Claims that go with members that are scaled away, and what lies in members that a scaling down ends. */
export function scaledLoss(facts: Facts, { before, after, outcome }: Verdict): SheetLine[] {
  if (outcome === 'refused') return [];
  // A new template starts all of them anew, and says so.
  if (before?.kind === 'Deployment' && after?.kind === 'Deployment')
    return after.spec.replicas === 0 || same(before.spec.template, after.spec.template) ? fewer(facts, before, after) : [];
  if (before?.kind === 'ReplicaSet' && after?.kind === 'ReplicaSet') return fewer(facts, before, after);
  if (before?.kind !== 'StatefulSet' || after?.kind !== 'StatefulSet') return [];
  const kept = new Set(ordinalsOf(after));
  const away = ordinalsOf(before).filter((one) => !kept.has(one));
  const pods = podsMadeBy(facts, before).filter((pod) => away.includes(ordinalIn(before, pod.metadata.name) ?? -1));
  const claims =
    after.spec.persistentVolumeClaimRetentionPolicy?.whenScaled === 'Delete'
      ? away.flatMap((ordinal) =>
          (after.spec.volumeClaimTemplates ?? []).flatMap((one) =>
            claimLoss(facts, after.metadata.namespace ?? '', memberClaim(one.metadata.name, after, ordinal))
          )
        )
      : [];
  return [...podLoss(facts, refOf(after), pods), ...claims];
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
  if (after.kind === 'Certificate' && before?.kind === 'Certificate' && after.spec.days !== before.spec.days)
    lines.push({ ref, says: 'the certificate that is in use keeps its time; the days count from the next one on' });
  if (
    after.kind === 'PersistentVolume' &&
    before?.kind === 'PersistentVolume' &&
    after.spec.persistentVolumeReclaimPolicy === 'Delete' &&
    before.spec.persistentVolumeReclaimPolicy !== 'Delete'
  )
    lines.push({ ref, says: 'from now on, the asset and its data go when the claim goes' });
  return lines;
}

/** Where an object lets callers in from outside: a port, and from where. */
function openingsOf(one: ApiObject | undefined): { readonly port: string; readonly from: string }[] {
  if (one?.kind === 'Service') {
    const { type, ports = [], loadBalancerSourceRanges, externalIPs } = one.spec;
    const ranges = (loadBalancerSourceRanges as string[] | undefined)?.join(', ');
    const addresses = (externalIPs as string[] | undefined)?.join(', ');
    const ways = [
      ...(type === 'LoadBalancer' ? [ranges ? `from ${ranges}` : 'from everywhere'] : []),
      ...(type === 'NodePort' ? ["at every node's address"] : []),
      ...(addresses ? [`at ${addresses}`] : [])
    ];
    return ways.flatMap((from) => ports.map(({ name, port }) => ({ port: `${name ? `${name} ` : ''}${port}`, from })));
  }
  const spec =
    one?.kind === 'Pod'
      ? one.spec
      : one && 'spec' in one
        ? (one.spec as { template?: { spec?: PodSpec } } | undefined)?.template?.spec
        : undefined;
  return (spec?.containers ?? []).flatMap(({ ports = [] }) =>
    ports.flatMap((each) => {
      const port = (each as { hostPort?: number }).hostPort ?? (spec?.hostNetwork === true ? each.containerPort : undefined);
      return port === undefined
        ? []
        : [{ port: `${each.name ? `${each.name} ` : ''}${port}`, from: 'at the address of each node that a pod of it stands on' }];
    })
  );
}

/** Ports that a change opens to the outside: of a service, or on the nodes of pods. */
export function opened({ ref, before, after, outcome }: Verdict): SheetLine[] {
  if (outcome === 'refused' || outcome === 'untouched') return [];
  const old = new Set(openingsOf(before).map(({ port, from }) => `${port} ${from}`));
  const fresh = openingsOf(after).filter(({ port, from }) => !old.has(`${port} ${from}`));
  return [...new Set(fresh.map((one) => one.from))].map((from) => ({
    ref,
    says: `${fresh.flatMap((one) => (one.from === from ? [one.port] : [])).join(', ')} ${from}`
  }));
}

/** Whether a claim asks for more than it has. */
export const grows = (before: ApiObject, after: ApiObject): boolean =>
  before.kind === 'PersistentVolumeClaim' &&
  after.kind === 'PersistentVolumeClaim' &&
  bytesOf(after.spec.resources.requests.storage) > bytesOf(before.spec.resources.requests.storage);
