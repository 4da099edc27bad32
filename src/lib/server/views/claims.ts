import { bytesOf, clockOf, momentOf } from '$core/shared';
import { classOf, isReady, takesRoom, waitsForConsumer, zoneOf, type Claim } from '$core/model';
import { lineSentence, rootLine, type State } from '$core/rootline';
import { byName, type Scene } from './scene';

export interface ClaimRow {
  readonly namespace: string;
  readonly name: string;
  readonly askedBytes: number;
  readonly gotBytes: number | null;
  readonly class: string;
  readonly volume: string;
  readonly handle: string;
  readonly heldBy: readonly string[];
  readonly node: string;
  readonly zone: string;
  readonly state: State;
  readonly label: string;
}

function stateOf({ facts }: Scene, claim: Claim): { state: State; label: string } {
  if (claim.metadata.deletionTimestamp) return { state: 'settling', label: 'going' };
  const asked = bytesOf(claim.spec.resources.requests.storage);
  const got = claim.status?.capacity?.storage;
  if (claim.status?.phase === 'Bound')
    return got !== undefined && bytesOf(got) < asked ? { state: 'settling', label: 'growing' } : { state: 'holds', label: 'Bound' };
  const users = facts.podsOfClaim(claim.metadata.namespace ?? '', claim.metadata.name);
  if (!users.length && waitsForConsumer(classOf(facts, claim.spec))) return { state: 'waiting', label: 'no user yet' };
  const line = rootLine(facts, { kind: 'PersistentVolumeClaim', namespace: claim.metadata.namespace ?? '', name: claim.metadata.name });
  return { state: line?.firstBreak === 'claim' ? 'broken' : line?.firstBreak ? 'waiting' : 'settling', label: 'Pending' };
}

function rowOf(scene: Scene, claim: Claim): ClaimRow {
  const { facts } = scene;
  const namespace = claim.metadata.namespace ?? '';
  const users = facts.podsOfClaim(namespace, claim.metadata.name).filter(takesRoom);
  const volume = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '');
  const node = users.find((pod) => pod.spec.nodeName)?.spec.nodeName ?? '';
  const got = claim.status?.capacity?.storage;
  return {
    namespace,
    name: claim.metadata.name,
    askedBytes: bytesOf(claim.spec.resources.requests.storage),
    gotBytes: got === undefined ? null : bytesOf(got),
    class: claim.spec.storageClassName ?? '(default)',
    volume: volume?.metadata.name ?? '',
    handle: volume?.spec.csi?.volumeHandle ?? '',
    heldBy: users.map((pod) => pod.metadata.name).sort(),
    node,
    zone: zoneOf(facts.get('Node', '', node)),
    ...stateOf(scene, claim)
  };
}

/** The Claims sheet's table. */
export const claimsView = (scene: Scene) => ({
  rows: scene.facts
    .list('PersistentVolumeClaim')
    .sort(byName)
    .map((claim) => rowOf(scene, claim))
});

/** The inspection of one claim, by question. Undefined when it doesn't exist at this moment. */
export function claimView(scene: Scene, { namespace, name }: { namespace: string; name: string }) {
  const { facts, history } = scene;
  const claim = facts.get('PersistentVolumeClaim', namespace, name);
  if (!claim) return undefined;
  const row = rowOf(scene, claim);
  const volume = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '');
  const asset = facts.get('Asset', '', row.handle);
  const one = classOf(facts, claim.spec);
  const line = rootLine(facts, { kind: 'PersistentVolumeClaim', namespace, name });
  const sizes: { atMs: number; size: string }[] = [];
  for (const { key, after, atMs } of history.changes.slice(0, history.countAt(facts.nowMs))) {
    if (key !== `PersistentVolumeClaim ${namespace}/${name}` || after?.kind !== 'PersistentVolumeClaim') continue;
    const size = String(after.spec.resources.requests.storage);
    if (sizes.at(-1)?.size !== size) sizes.push({ atMs, size });
  }
  return {
    ...row,
    modes: claim.spec.accessModes,
    askedSince: clockOf(momentOf(String(claim.metadata.creationTimestamp))),
    sizes,
    driver: volume?.spec.csi?.driver ?? one?.provisioner ?? '',
    fsType: volume?.spec.csi?.fsType ?? '',
    volumeZone: asset?.spec.zone ?? '',
    attachedTo: asset?.status?.attachedTo ?? [],
    stored: asset?.status?.store ? { rows: asset.status.store.rows.length, checksum: asset.status.store.checksum } : null,
    policy: volume?.spec.persistentVolumeReclaimPolicy ?? one?.reclaimPolicy ?? '',
    grows: one?.allowVolumeExpansion === true,
    ready: facts.podsOfClaim(namespace, name).some(isReady),
    resizePending: claim.status?.conditions?.some((condition) => condition.type === 'FileSystemResizePending') ?? false,
    sentence: line ? lineSentence(line) : ''
  };
}

export type ClaimInspection = NonNullable<ReturnType<typeof claimView>>;
