import { bytesOf, quantityOf, stampOf, wordsOf } from '../../../shared';
import { claimsOf, classOf, takesRoom, type Asset, type Backend, type Claim, type Facts, type Volume } from '../../../model';
import { backendOf, roomShortage, sizeShortage } from '../../provider/backend';
import { driverAnswers, callFault } from '../../provider/driver';
import { callsSeen, driverTraits } from '../../provider/cards';
import { fillAt } from '../../engines/fill';
import { idOf, splitKey, withCondition, type ClusterAccess, type Loop } from '../loop';
import { DriverCalls } from './driver-call';

const calls = new DriverCalls('expandVolume');

function fail(world: ClusterAccess, claim: Claim, message: string, waitMs?: number): void {
  world.event(claim, 'VolumeResizeFailed', message, 'Warning');
  calls.failed(world, idOf(claim), waitMs);
}

/** When a volume may grow again after its last growth (virtual ms); undefined when it may at once. */
export function growsAgainMs(backend: Backend | undefined, asset: Asset | undefined, nowMs: number): number | undefined {
  const last = asset?.status?.grownAtMs;
  const pauseMs = (backend?.spec.growEverySeconds ?? 0) * 1_000;
  return last === undefined || last + pauseMs <= nowMs ? undefined : last + pauseMs;
}

/** What keeps a bound claim from growing to a size now; undefined when nothing does. `waitMs`: how long until it is worth another try. */
export function growthFault(facts: Facts, claim: Claim, wantedBytes: number): { message: string; waitMs?: number } | undefined {
  const volume = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '');
  const driver = volume?.spec.csi?.driver ?? '';
  const asset = facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
  const backend = backendOf(facts, driver);
  const grows = driverTraits(facts, driver)?.grows;
  if (grows === 'never') return { message: `${driver} can't grow volumes.` };
  if (!asset || !backend || !driverAnswers(facts, driver)) return { message: `${driver} doesn't answer.` };
  const denied = grows === 'online' ? callFault(facts, driver, 'grow') : undefined;
  if (denied) return { message: `PERMISSION_DENIED: ${denied}.` };
  const size = sizeShortage({ ...backend, spec: { ...backend.spec, leastSize: undefined } }, wantedBytes);
  if (size) return { message: `${size.code}: ${size.message}` };
  const room = roomShortage(backend, asset.spec.zone, wantedBytes - bytesOf(asset.spec.size), facts.usedOf(backend.metadata.name));
  if (room) return { message: `${room.code}: ${room.message}` };
  const againMs = growsAgainMs(backend, asset, facts.nowMs);
  if (againMs !== undefined) {
    const waitMs = againMs - facts.nowMs;
    return { message: `FAILED_PRECONDITION: ${asset.metadata.name} has grown lately; it may grow again in ${wordsOf(waitMs)}.`, waitMs };
  }
  return undefined;
}

/** First half: the backend's volume. Source: the Container Storage Interface, ControllerExpandVolume. */
function growVolume(world: ClusterAccess, claim: Claim, volume: Volume, wantedBytes: number): void {
  const key = idOf(claim);
  const call = calls.of(world, key);
  if (call?.dueMs !== undefined && call.dueMs > world.nowMs) return world.after(call.dueMs - world.nowMs, key);
  const fault = growthFault(world.store, claim, wantedBytes);
  if (fault) {
    if (call?.retryMs !== undefined && call.retryMs > world.nowMs) return world.after(call.retryMs - world.nowMs, key, true);
    return fail(world, claim, fault.message, fault.waitMs);
  }
  if (call?.dueMs === undefined) {
    const seen = callsSeen(world.store, volume.spec.csi?.driver ?? '', 'growing');
    world.begin(`PersistentVolumeClaim ${key}`, 'growing', seen?.normalMs);
    world.event(claim, 'Resizing', `${volume.spec.csi?.driver} grows the volume to ${quantityOf(wantedBytes)}.`);
    setConditions(world, claim, 'Resizing', 'The backend makes the volume larger.');
    return calls.begin(world, key, world.duration('growing', key, seen?.drawMs), { failures: 0 });
  }
  calls.end(world, key);
  const asset = world.store.get('Asset', '', volume.spec.csi?.volumeHandle ?? '')!;
  const { fill } = asset.status ?? {};
  world.put({
    ...asset,
    spec: { ...asset.spec, size: quantityOf(wantedBytes) },
    status: {
      attachedTo: [],
      ...asset.status,
      grownAtMs: world.nowMs,
      ...(fill ? { fill: { ...fill, bytes: fillAt(asset, world.nowMs), atMs: world.nowMs } } : {})
    }
  });
  world.put({ ...volume, spec: { ...volume.spec, capacity: { storage: quantityOf(wantedBytes) } } });
  setConditions(world, claim, 'FileSystemResizePending', 'The volume has grown; its file system grows when a pod has it mounted.');
}

function setConditions(world: ClusterAccess, claim: Claim, type: string, message: string): void {
  const others = claim.status?.conditions?.filter((one) => one.type !== 'Resizing');
  const conditions = withCondition(others, { type, status: 'True', message }, stampOf(world.nowMs));
  world.put({ ...claim, status: { ...claim.status, conditions } });
}

/** Second half: the file system, on the node where the claim is mounted. Source: as above, NodeExpandVolume. */
function growFileSystem(world: ClusterAccess, claim: Claim, volume: Volume): void {
  const key = idOf(claim);
  const mounted = world.store
    .podsOfClaim(claim.metadata.namespace ?? '', claim.metadata.name)
    .some((pod) => takesRoom(pod) && pod.status?.phase === 'Running');
  if (!mounted) return;
  const started = calls.of(world, key)?.dueMs;
  if (started === undefined) return calls.begin(world, key, world.duration('growing', `${key}#files`, [2_000, 9_000]), { failures: 0 });
  if (started > world.nowMs) return world.after(started - world.nowMs, key);
  calls.end(world, key);
  const conditions = claim.status?.conditions?.filter((one) => one.type !== 'FileSystemResizePending') ?? [];
  const capacity = { storage: quantityOf(bytesOf(volume.spec.capacity.storage)) };
  const { conditions: _old, ...status } = claim.status ?? {};
  const grown = world.put({ ...claim, status: { ...status, capacity, ...(conditions.length ? { conditions } : {}) } });
  world.end(`PersistentVolumeClaim ${key}`, 'growing');
  world.event(grown, 'FileSystemResizeSuccessful', `The file system has ${capacity.storage} now; no pod was restarted.`);
}

/** Whether a claim asks for more than it has. */
function wantsMore(claim: Claim | undefined): claim is Claim {
  const have = claim?.status?.capacity?.storage;
  return claim !== undefined && have !== undefined && bytesOf(claim.spec.resources.requests.storage) > bytesOf(have);
}

/** Growth of claims: the backend's volume first, then the file system, while it is mounted. */
export const growing: Loop = {
  id: 'growing',
  watches: {
    PersistentVolumeClaim: (now) => (wantsMore(now) ? [idOf(now)] : []),
    ClusterRole: (_now, _before, store) => store.list('PersistentVolumeClaim').filter(wantsMore).map(idOf),
    ClusterRoleBinding: (_now, _before, store) => store.list('PersistentVolumeClaim').filter(wantsMore).map(idOf),
    Identity: (_now, _before, store) => store.list('PersistentVolumeClaim').filter(wantsMore).map(idOf),
    Pod: (now, before, store) =>
      now && now.status?.phase === 'Running' && before?.status?.phase !== 'Running'
        ? claimsOf(now.spec, now.metadata.name)
            .map((name) => store.get('PersistentVolumeClaim', now.metadata.namespace ?? '', name))
            .filter(wantsMore)
            .map(idOf)
        : []
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const claim = world.store.get('PersistentVolumeClaim', namespace, name);
    const volume = world.store.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
    const have = claim?.status?.capacity?.storage;
    if (!claim || !volume || have === undefined) return;
    const wantedBytes = bytesOf(claim.spec.resources.requests.storage);
    if (wantedBytes <= bytesOf(have)) return;
    if (bytesOf(volume.spec.capacity.storage) >= wantedBytes) growFileSystem(world, claim, volume);
    else if (classOf(world.store, claim.spec)?.allowVolumeExpansion) growVolume(world, claim, volume, wantedBytes);
  }
};
