import { bytesOf, hash32, quantityOf } from '../../shared';
import {
  classOf,
  isReady,
  selectedNodeMark,
  waitsForConsumer,
  zoneLabel,
  zoneOf,
  type Backend,
  type Claim,
  type StorageClass
} from '../../model';
import { backoffMs, backoffs } from '../clock/steps';
import { volumeFinalizer } from '../admit/defaults';
import { backendOf, shortageIn, type Used } from '../provider/backend';
import { driverPartOf } from '../provider/images';
import { driverAnswers, mayCall, pluginOn } from '../provider/driver';
import type { Store } from '../store';
import { idOf, itself, splitKey, type Hands, type Loop } from './loop';

/** What a driver can hand out. Block drivers: one node or one pod at a time. Source: rules of the trade; common practice for block devices. */
export const driverModes: Readonly<Record<string, readonly string[]>> = {
  'block.standin.example': ['ReadWriteOnce', 'ReadWriteOncePod']
};

interface Call {
  readonly dueMs?: number;
  readonly retryMs?: number;
  readonly failures: number;
  readonly zone?: string;
}

const callsOf = (world: Hands) => world.memory<Call>('createVolume');
const usedIn = (world: Hands) => world.memory<Used>('used');

/** What has been handed out of a backend so far, kept up by the loops that make and delete assets. */
export function usedByZone(world: Hands, backend: Backend): Map<string, Used> {
  const used = new Map<string, Used>();
  for (const { name } of backend.spec.zones) {
    const one = usedIn(world).get(`${backend.metadata.name}|${name}`);
    if (one) used.set(name, one);
  }
  return used;
}

/** Counts bytes and volumes handed out of a zone up or down. */
export function countUsed(world: Hands, backend: string, zone: string, sizeBytes: number, volumes: number): void {
  const key = `${backend}|${zone}`;
  const old = usedIn(world).get(key) ?? { sizeBytes: 0, volumes: 0 };
  usedIn(world).set(key, { sizeBytes: old.sizeBytes + sizeBytes, volumes: old.volumes + volumes });
}

function fail(world: Hands, claim: Claim, code: string, message: string): void {
  const key = idOf(claim);
  const failures = callsOf(world).get(key)?.failures ?? 0;
  const waitMs = backoffMs(backoffs.provider, failures);
  callsOf(world).set(key, { failures: failures + 1, retryMs: world.nowMs + waitMs });
  world.end(`PersistentVolumeClaim ${key}`, 'provisioning');
  world.event(claim, 'ProvisioningFailed', `${code}: ${message}`, 'Warning');
  world.after(waitMs, key, true);
}

/** The zone a volume is made in: that of the first user's node, or the allowed one with the most room. */
function zoneFor(world: Hands, one: StorageClass, claim: Claim, backend: Backend): string {
  const node = claim.metadata.annotations?.[selectedNodeMark];
  if (waitsForConsumer(one) && node) return zoneOf(world.store.get('Node', '', node));
  const allowed = one.allowedTopologies?.flatMap((term) => term.matchLabelExpressions ?? []).find((term) => term.key === zoneLabel)?.values;
  const used = usedByZone(world, backend);
  const free = (zone: Backend['spec']['zones'][number]) => bytesOf(zone.capacity) - (used.get(zone.name)?.sizeBytes ?? 0);
  const zones = backend.spec.zones.filter((zone) => !allowed || allowed.includes(zone.name));
  return [...zones].sort((a, b) => free(b) - free(a) || (a.name < b.name ? -1 : 1))[0]?.name ?? '';
}

/** What CreateVolume would answer, but for success. Codes: the Container Storage Interface specification. */
function refusal(world: Hands, one: StorageClass, claim: Claim, backend: Backend | undefined, zone: string): [string, string] | undefined {
  const driver = one.provisioner;
  if (!backend) return ['FAILED_PRECONDITION', `No backend stands behind ${driver}.`];
  const modes = driverModes[driver] ?? [];
  const wrong = claim.spec.accessModes.find((mode) => !modes.includes(mode));
  if (wrong) return ['INVALID_ARGUMENT', `${driver} doesn't hand out ${wrong}; it hands out ${modes.join(', ')}.`];
  if (!mayCall(world.store, driver, 'create')) return ['PERMISSION_DENIED', `The identity of ${driver} may not create volumes.`];
  const short = shortageIn(backend, zone, bytesOf(claim.spec.resources.requests.storage), usedByZone(world, backend));
  return short && [short.code, short.message];
}

function finish(world: Hands, claim: Claim, one: StorageClass, backend: Backend, zone: string): void {
  const sizeBytes = bytesOf(claim.spec.resources.requests.storage);
  const size = quantityOf(sizeBytes);
  const name = `pvc-${claim.metadata.uid}`;
  const handle = `blk-${hash32(name, world.seed).toString(16).padStart(8, '0')}`;
  const fsType = one.parameters?.['csi.storage.k8s.io/fstype'] ?? 'ext4';
  world.put({
    apiVersion: 'standin.example/v1',
    kind: 'Asset',
    metadata: { name: handle },
    spec: {
      backend: backend.metadata.name,
      driver: one.provisioner,
      zone,
      size,
      fsType,
      requestName: name,
      ...(one.parameters ? { parameters: one.parameters } : {})
    },
    status: { attachedTo: [] }
  });
  countUsed(world, backend.metadata.name, zone, sizeBytes, 1);
  world.put({
    apiVersion: 'v1',
    kind: 'PersistentVolume',
    metadata: {
      name,
      finalizers: [volumeFinalizer],
      annotations: { 'pv.kubernetes.io/provisioned-by': one.provisioner }
    },
    spec: {
      capacity: { storage: size },
      accessModes: claim.spec.accessModes,
      storageClassName: one.metadata.name,
      persistentVolumeReclaimPolicy: one.reclaimPolicy ?? 'Delete',
      volumeMode: claim.spec.volumeMode ?? 'Filesystem',
      claimRef: {
        apiVersion: 'v1',
        kind: 'PersistentVolumeClaim',
        namespace: claim.metadata.namespace,
        name: claim.metadata.name,
        uid: claim.metadata.uid
      },
      csi: { driver: one.provisioner, volumeHandle: handle, fsType },
      nodeAffinity: { required: { nodeSelectorTerms: [{ matchExpressions: [{ key: zoneLabel, operator: 'In', values: [zone] }] }] } }
    },
    status: { phase: 'Available' }
  });
  world.event(claim, 'ProvisioningSucceeded', `Volume ${name} was made in zone ${zone}; its handle is ${handle}.`);
}

function provision(world: Hands, claim: Claim, one: StorageClass): void {
  const key = idOf(claim);
  const call = callsOf(world).get(key);
  if (call?.dueMs === undefined && call?.retryMs !== undefined && call.retryMs > world.nowMs) {
    world.after(call.retryMs - world.nowMs, key);
    return;
  }
  if (call?.dueMs !== undefined && call.dueMs > world.nowMs) {
    world.after(call.dueMs - world.nowMs, key);
    return;
  }
  const backend = backendOf(world.store, one.provisioner);
  const zone = call?.zone ?? (backend ? zoneFor(world, one, claim, backend) : '');
  const refused = refusal(world, one, claim, backend, zone);
  if (refused) {
    fail(world, claim, ...refused);
    return;
  }
  if (call?.dueMs === undefined) {
    const waitMs = world.duration('provisioning', key);
    callsOf(world).set(key, { failures: call?.failures ?? 0, dueMs: world.nowMs + waitMs, zone });
    world.begin(`PersistentVolumeClaim ${key}`, 'provisioning');
    world.event(claim, 'Provisioning', `${one.provisioner} makes a volume of ${claim.spec.resources.requests.storage} in zone ${zone}.`);
    world.after(waitMs, key);
    return;
  }
  callsOf(world).delete(key);
  finish(world, claim, one, backend!, zone);
}

const claimsOfDriver = (store: Store, driver: string): string[] =>
  store
    .list('StorageClass')
    .filter((one) => one.provisioner === driver)
    .flatMap((one) => [...store.by<'PersistentVolumeClaim'>('claimsOfClass', one.metadata.name)].map(idOf));

/** The driver's controller: makes a volume for every claim of its classes that may have one now. */
export const provisioning: Loop = {
  id: 'provisioning',
  watches: {
    PersistentVolumeClaim: itself,
    CSIDriver: (now, _before, store) => (now ? claimsOfDriver(store, now.metadata.name) : []),
    CSINode: (now, _before, store) => (now ? [...store.by<'PersistentVolumeClaim'>('claimsOfNode', now.metadata.name)].map(idOf) : []),
    Pod: (now, before, store) => {
      const part = now && isReady(now) && !isReady(before) ? driverPartOf(now.spec) : undefined;
      return part?.part === 'controller' ? claimsOfDriver(store, part.driver) : [];
    },
    StorageClass: (now, _before, store) => (now ? claimsOfDriver(store, now.provisioner) : []),
    Identity: (now, before, store) => claimsOfDriver(store, (now ?? before)!.spec.driver),
    Backend: (now, before, store) => claimsOfDriver(store, (now ?? before)!.spec.driver)
  },
  paceMs: 40,
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const claim = world.store.get('PersistentVolumeClaim', namespace, name);
    if (!claim || claim.metadata.deletionTimestamp || claim.spec.volumeName) {
      callsOf(world).delete(key);
      return;
    }
    const one = classOf(world.store, claim.spec);
    if (!one || [...world.store.by('volumesOfClaim', key)].length) return;
    const node = claim.metadata.annotations?.[selectedNodeMark];
    if (waitsForConsumer(one) && !node) return;
    if (!driverAnswers(world.store, one.provisioner)) return;
    if (waitsForConsumer(one) && node && !pluginOn(world.store, one.provisioner, node)) return;
    provision(world, claim, one);
  }
};
