import { bytesOf, hash32, quantityOf } from '../../../shared';
import {
  classOf,
  isReady,
  selectedNodeMark,
  waitsForConsumer,
  zoneLabel,
  type Asset,
  type Backend,
  type Claim,
  type Facts,
  type Node,
  type StorageClass,
  type Used,
  type Volume
} from '../../../model';
import { volumeFinalizer } from '../../admit/defaults';
import { callsSeen, driverTraits } from '../../provider/cards';
import { driverCard, parameterFault } from '../../provider/drivers';
import { backendOf, freeIn, placeFor, shortagesIn, topologyOf } from '../../provider/backend';
import { leastXfsBytes } from '../../provider/file-systems';
import { driverPartOf } from '../../provider/images';
import { driverAnswers, callFault, pluginOn } from '../../provider/driver';
import type { Store } from '../../store';
import { fillAt } from '../../engines/fill';
import { idOf, itself, splitKey, type ClusterAccess, type Loop } from '../loop';
import { attributesOf } from './attributes';
import { DriverCalls, type DriverCall } from './driver-call';
import { sourceOf } from './volume-source';

/** A call that makes a volume, and where. */
interface Making extends DriverCall {
  readonly zone?: string;
}

type Refused = readonly [code: string, message: string];

const calls = new DriverCalls<Making>('createVolume');

const fsTypeKey = 'csi.storage.k8s.io/fstype';

/** The file system that a class asks for: its parameter, else the first that the driver makes. */
export const fsTypeOf = (one: StorageClass): string => one.parameters?.[fsTypeKey] ?? driverCard(one.provisioner)?.fsTypes[0] ?? 'ext4';

/** Whether volumes of a class are encrypted at rest. */
export const isEncrypted = (one: StorageClass | undefined): boolean => one?.parameters?.encrypted === 'true';

function fail(world: ClusterAccess, claim: Claim, code: string, message: string): void {
  const key = idOf(claim);
  world.end(`PersistentVolumeClaim ${key}`, 'provisioning');
  world.event(claim, 'ProvisioningFailed', `${code}: ${message}`, 'Warning');
  calls.failed(world, key);
}

/** The zones (or nodes) that a class leaves to its driver. */
export function allowedPlaces(one: StorageClass, backend: Backend): readonly string[] {
  const term = one.allowedTopologies?.flatMap((topology) => topology.matchLabelExpressions ?? []).find(({ key }) => key === zoneLabel);
  return backend.spec.zones.map((zone) => zone.name).filter((name) => topologyOf(backend) === '' || !term || term.values.includes(name));
}

/**
 * The zone a volume is made in: that of its first user's node, or the allowed one with the most room.
 * @param used what its backend has handed out
 */
export function zoneFor(one: StorageClass, backend: Backend, node: Node | undefined, used: ReadonlyMap<string, Used>): string {
  if (waitsForConsumer(one) && node) return placeFor(backend, node);
  const free = (name: string) => freeIn(backend, name, used) ?? 0;
  return [...allowedPlaces(one, backend)].sort((a, b) => free(b) - free(a) || (a < b ? -1 : 1))[0] ?? '';
}

/** The same for a claim as it stands. */
function zoneOfClaim({ store }: ClusterAccess, one: StorageClass, claim: Claim, backend: Backend): string {
  const name = claim.metadata.annotations?.[selectedNodeMark];
  const node = name === undefined ? undefined : (store.get('Node', '', name) ?? nowhere);
  return zoneFor(one, backend, node, store.usedOf(backend.metadata.name));
}

/** A node that has gone: nothing lies where it was. */
const nowhere = { apiVersion: 'v1', kind: 'Node', metadata: { name: '' } } as Node;

/** What a driver finds wrong with a class or a claim by themselves. Codes: the Container Storage Interface, CreateVolume. */
export function argumentFault(facts: Pick<Facts, 'list'>, one: StorageClass, claim: Claim['spec']): Refused | undefined {
  const driver = one.provisioner;
  const modes = driverTraits(facts, driver)?.modes;
  const wrong = modes && claim.accessModes.find((mode) => !modes.includes(mode));
  if (wrong) return ['INVALID_ARGUMENT', `${driver} doesn't hand out ${wrong}; it hands out ${modes.join(', ')}.`];
  const card = driverCard(driver);
  if (!card) return undefined;
  if (claim.selector) return ['INVALID_ARGUMENT', 'A claim with a selector only takes a pre-made volume.'];
  const strange = parameterFault(card, one.parameters);
  if (strange) return ['INVALID_ARGUMENT', strange];
  const fsType = fsTypeOf(one);
  if (!card.fsTypes.includes(fsType)) return ['INVALID_ARGUMENT', `${driver} makes no ${fsType}; it makes ${card.fsTypes.join(', ')}.`];
  if (fsType === 'xfs' && bytesOf(claim.resources.requests.storage) < leastXfsBytes)
    return ['OUT_OF_RANGE', 'xfs needs 300 MiB at the least.'];
  return undefined;
}

function refusal(world: ClusterAccess, one: StorageClass, claim: Claim, backend: Backend | undefined, zone: string): Refused | undefined {
  const driver = one.provisioner;
  if (!backend) return ['FAILED_PRECONDITION', `No backend stands behind ${driver}.`];
  const fault = argumentFault(world.store, one, claim.spec);
  if (fault) return fault;
  const attributes = attributesOf(world.store, claim, driver);
  if (attributes.fault) return attributes.fault;
  const denied = callFault(world.store, driver, 'create') ?? (isEncrypted(one) ? callFault(world.store, driver, 'key-use') : undefined);
  if (denied) return ['PERMISSION_DENIED', `${denied[0]!.toUpperCase()}${denied.slice(1)}.`];
  const used = world.store.usedOf(backend.metadata.name);
  const [short] = shortagesIn(backend, zone, bytesOf(claim.spec.resources.requests.storage), used);
  if (short) return [short.code, short.message];
  const source = sourceOf(world.store, claim, driver);
  return source.refused ?? (source.wait ? ['FAILED_PRECONDITION', `${source.wait}.`] : undefined);
}

function makeAsset(world: ClusterAccess, claim: Claim, one: StorageClass, backend: Backend, zone: string): Asset {
  const name = `pvc-${claim.metadata.uid}`;
  const prefix = driverCard(one.provisioner)?.prefix ?? 'vol';
  const { asset: source } = sourceOf(world.store, claim, one.provisioner);
  const copied = source?.status?.store;
  const parameters = { ...one.parameters, ...attributesOf(world.store, claim, one.provisioner).parameters };
  const fill = source?.status?.fill && { bytes: fillAt(source, world.nowMs), atMs: world.nowMs, bytesPerDay: 0 };
  return world.put({
    apiVersion: 'standin.example/v1',
    kind: 'Asset',
    metadata: { name: `${prefix}-${hash32(name, world.seed).toString(16).padStart(8, '0')}` },
    spec: {
      backend: backend.metadata.name,
      driver: one.provisioner,
      zone,
      size: quantityOf(bytesOf(claim.spec.resources.requests.storage)),
      fsType: source?.spec.fsType ?? fsTypeOf(one),
      requestName: name,
      owner: one.parameters?.owner === undefined ? (source?.spec.owner ?? 0) : Number(one.parameters.owner),
      ...(Object.keys(parameters).length ? { parameters } : {})
    },
    status: {
      attachedTo: [],
      ...(copied ? { store: copied } : {}),
      ...(source?.status?.engine === undefined ? {} : { engine: source.status.engine }),
      ...(fill ? { fill } : {})
    }
  });
}

const affinityTo = (key: string, value: string): Volume['spec']['nodeAffinity'] => ({
  required: { nodeSelectorTerms: [{ matchExpressions: [{ key, operator: 'In', values: [value] }] }] }
});

function finish(world: ClusterAccess, claim: Claim, one: StorageClass, backend: Backend, zone: string): void {
  const asset = makeAsset(world, claim, one, backend, zone);
  const { name: handle } = asset.metadata;
  const name = asset.spec.requestName;
  const key = topologyOf(backend);
  world.put({
    apiVersion: 'v1',
    kind: 'PersistentVolume',
    metadata: {
      name,
      finalizers: [volumeFinalizer],
      annotations: { 'pv.kubernetes.io/provisioned-by': one.provisioner }
    },
    spec: {
      capacity: { storage: asset.spec.size },
      accessModes: claim.spec.accessModes,
      storageClassName: one.metadata.name,
      ...(claim.spec.volumeAttributesClassName ? { volumeAttributesClassName: claim.spec.volumeAttributesClassName } : {}),
      persistentVolumeReclaimPolicy: one.reclaimPolicy ?? 'Delete',
      volumeMode: claim.spec.volumeMode ?? 'Filesystem',
      claimRef: {
        apiVersion: 'v1',
        kind: 'PersistentVolumeClaim',
        namespace: claim.metadata.namespace,
        name: claim.metadata.name,
        uid: claim.metadata.uid
      },
      csi: { driver: one.provisioner, volumeHandle: handle, fsType: asset.spec.fsType },
      ...(one.mountOptions?.length ? { mountOptions: one.mountOptions } : {}),
      ...(key ? { nodeAffinity: affinityTo(key, zone) } : {})
    },
    status: { phase: 'Available' }
  });
  world.event(claim, 'ProvisioningSucceeded', `Volume ${name} was made${key ? ` in ${zone}` : ''}; its handle is ${handle}.`);
}

function provision(world: ClusterAccess, claim: Claim, one: StorageClass): void {
  const key = idOf(claim);
  const call = calls.of(world, key);
  const waitUntil = call?.dueMs ?? call?.retryMs ?? 0;
  if (waitUntil > world.nowMs) {
    world.after(waitUntil - world.nowMs, key);
    return;
  }
  const backend = backendOf(world.store, one.provisioner);
  const zone = call?.zone ?? (backend ? zoneOfClaim(world, one, claim, backend) : '');
  const refused = refusal(world, one, claim, backend, zone);
  if (refused) {
    fail(world, claim, ...refused);
    return;
  }
  if (call?.dueMs === undefined) {
    const seen = callsSeen(world.store, one.provisioner, 'provisioning');
    world.begin(`PersistentVolumeClaim ${key}`, 'provisioning', seen?.normalMs);
    const { storage } = claim.spec.resources.requests;
    world.event(claim, 'Provisioning', `${one.provisioner} makes a volume of ${storage}${zone ? ` in zone ${zone}` : ''}.`);
    calls.begin(world, key, world.duration('provisioning', key, seen?.drawMs), { zone });
    return;
  }
  calls.end(world, key);
  finish(world, claim, one, backend!, zone);
}

const claimsOfDriver = (store: Store, driver: string): string[] =>
  store
    .list('StorageClass')
    .filter((one) => one.provisioner === driver)
    .flatMap((one) => [...store.by<'PersistentVolumeClaim'>('claimsOfClass', one.metadata.name)].map(idOf));

const waitingFor = (store: Store, kind: string, id: string): string[] =>
  store.by<'PersistentVolumeClaim'>('claimsOfSource', `${kind} ${id}`).map(idOf);

const unboundClaims = (store: Store): string[] =>
  store
    .list('PersistentVolumeClaim')
    .filter((one) => one.status?.phase !== 'Bound')
    .map(idOf);

/** The driver's controller: makes a volume for every claim of its classes that may have one now. */
export const provisioning: Loop = {
  id: 'provisioning',
  watches: {
    PersistentVolumeClaim: (now, before, store) => [
      ...itself(now, before),
      ...(now?.status?.phase === 'Bound' && before?.status?.phase !== 'Bound' ? waitingFor(store, now.kind, idOf(now)) : [])
    ],
    VolumeSnapshot: (now, _before, store) => (now?.status?.readyToUse ? waitingFor(store, now.kind, idOf(now)) : []),
    CSIDriver: (now, _before, store) => (now ? claimsOfDriver(store, now.metadata.name) : []),
    CSINode: (now, _before, store) => (now ? [...store.by<'PersistentVolumeClaim'>('claimsOfNode', now.metadata.name)].map(idOf) : []),
    Pod: (now, before, store) => {
      const part = now && isReady(now) && !isReady(before) ? driverPartOf(now.spec) : undefined;
      return part?.part === 'controller' ? claimsOfDriver(store, part.driver) : [];
    },
    StorageClass: (now, _before, store) => (now ? claimsOfDriver(store, now.provisioner) : []),
    VolumeAttributesClass: (now, _before, store) => (now ? claimsOfDriver(store, now.driverName) : []),
    ClusterRole: (_now, _before, store) => unboundClaims(store),
    ClusterRoleBinding: (_now, _before, store) => unboundClaims(store),
    Identity: (now, before, store) => claimsOfDriver(store, (now ?? before)!.spec.driver),
    Backend: (now, before, store) => claimsOfDriver(store, (now ?? before)!.spec.driver)
  },
  paceMs: 40,
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const claim = world.store.get('PersistentVolumeClaim', namespace, name);
    if (!claim || claim.metadata.deletionTimestamp || claim.spec.volumeName) {
      calls.end(world, key);
      return;
    }
    const one = classOf(world.store, claim.spec);
    // A volume of an earlier claim of this name is another's, though it may take a while until it has gone.
    const mine = ({ spec: { claimRef } }: Volume) => claimRef?.uid === undefined || claimRef.uid === claim.metadata.uid;
    if (!one || [...world.store.by<'PersistentVolume'>('volumesOfClaim', key)].some(mine)) return;
    const node = claim.metadata.annotations?.[selectedNodeMark];
    if (waitsForConsumer(one) && !node) return;
    if (!driverAnswers(world.store, one.provisioner)) return;
    if (waitsForConsumer(one) && node && !pluginOn(world.store, one.provisioner, node)) return;
    provision(world, claim, one);
  }
};
