import { bytesOf, quantityOf, stampOf } from '../../shared';
import { classOf, takesRoom, type Claim, type Volume } from '../../model';
import { backoffMs, backoffs } from '../clock/steps';
import { backendOf, shortageIn } from '../provider/backend';
import { driverAnswers, mayCall } from '../provider/driver';
import { countUsed, usedByZone } from './provisioning';
import { idOf, splitKey, withCondition, type Hands, type Loop } from './loop';

interface Call {
  readonly dueMs?: number;
  readonly retryMs?: number;
  readonly failures: number;
}

const callsOf = (world: Hands) => world.memory<Call>('expandVolume');

function fail(world: Hands, claim: Claim, message: string): void {
  const key = idOf(claim);
  const failures = callsOf(world).get(key)?.failures ?? 0;
  const waitMs = backoffMs(backoffs.provider, failures);
  callsOf(world).set(key, { failures: failures + 1, retryMs: world.nowMs + waitMs });
  world.event(claim, 'VolumeResizeFailed', message, 'Warning');
  world.after(waitMs, key, true);
}

/** First half: the backend's volume. Source: the Container Storage Interface, ControllerExpandVolume. */
function growVolume(world: Hands, claim: Claim, volume: Volume, wantedBytes: number): void {
  const key = idOf(claim);
  const driver = volume.spec.csi?.driver ?? '';
  const asset = world.store.get('Asset', '', volume.spec.csi?.volumeHandle ?? '');
  const backend = backendOf(world.store, driver);
  const call = callsOf(world).get(key);
  const waitUntil = call?.dueMs ?? call?.retryMs ?? 0;
  if (waitUntil > world.nowMs) return world.after(waitUntil - world.nowMs, key);
  if (!asset || !backend || !driverAnswers(world.store, driver)) return fail(world, claim, `${driver} doesn't answer.`);
  if (!mayCall(world.store, driver, 'grow'))
    return fail(world, claim, `PERMISSION_DENIED: the identity of ${driver} may not grow volumes.`);
  const more = wantedBytes - bytesOf(asset.spec.size);
  const used = usedByZone(world, backend);
  const old = used.get(asset.spec.zone);
  if (old) used.set(asset.spec.zone, { ...old, volumes: old.volumes - 1 });
  const short = shortageIn({ ...backend, spec: { ...backend.spec, leastSize: undefined } }, asset.spec.zone, Math.max(more, 0), used);
  if (short) return fail(world, claim, `${short.code}: ${short.message}`);
  if (call?.dueMs === undefined) {
    const waitMs = world.duration('growing', key);
    callsOf(world).set(key, { failures: 0, dueMs: world.nowMs + waitMs });
    world.begin(`PersistentVolumeClaim ${key}`, 'growing');
    world.event(claim, 'Resizing', `${driver} grows the volume to ${quantityOf(wantedBytes)}.`);
    return world.after(waitMs, key);
  }
  callsOf(world).delete(key);
  countUsed(world, backend.metadata.name, asset.spec.zone, more, 0);
  world.put({ ...asset, spec: { ...asset.spec, size: quantityOf(wantedBytes) } });
  world.put({ ...volume, spec: { ...volume.spec, capacity: { storage: quantityOf(wantedBytes) } } });
  const message = 'The volume has grown; its file system grows when a pod has it mounted.';
  const conditions = withCondition(
    claim.status?.conditions,
    { type: 'FileSystemResizePending', status: 'True', message },
    stampOf(world.nowMs)
  );
  world.put({ ...claim, status: { ...claim.status, conditions } });
}

/** Second half: the file system, on the node where the claim is mounted. Source: as above, NodeExpandVolume. */
function growFileSystem(world: Hands, claim: Claim, volume: Volume): void {
  const mounted = world.store
    .podsOfClaim(claim.metadata.namespace ?? '', claim.metadata.name)
    .some((pod) => takesRoom(pod) && pod.status?.phase === 'Running');
  if (!mounted) return;
  const conditions = claim.status?.conditions?.filter((one) => one.type !== 'FileSystemResizePending') ?? [];
  const capacity = { storage: quantityOf(bytesOf(volume.spec.capacity.storage)) };
  const { conditions: _old, ...status } = claim.status ?? {};
  const grown = world.put({ ...claim, status: { ...status, capacity, ...(conditions.length ? { conditions } : {}) } });
  world.end(`PersistentVolumeClaim ${idOf(claim)}`, 'growing');
  world.event(grown, 'FileSystemResizeSuccessful', `The file system has ${capacity.storage} now; no pod was restarted.`);
}

/** Growth of claims: the backend's volume first, then the file system, while it is mounted. */
export const growing: Loop = {
  id: 'growing',
  watches: {
    PersistentVolumeClaim: (now) => {
      const have = now?.status?.capacity?.storage;
      return now && have !== undefined && bytesOf(now.spec.resources.requests.storage) > bytesOf(have) ? [idOf(now)] : [];
    },
    Pod: (now, before) =>
      now && now.status?.phase === 'Running' && before?.status?.phase !== 'Running'
        ? (now.spec.volumes ?? []).flatMap((one) =>
            one.persistentVolumeClaim ? [`${now.metadata.namespace}/${one.persistentVolumeClaim.claimName}`] : []
          )
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
