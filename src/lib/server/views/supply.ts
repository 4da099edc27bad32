import { bytesOf, momentOf, plural } from '$core/shared';
import { classTraits } from '$core/briefs';
import { defaultClassMark, isReady, refOf, type Backend, type Facts, type StorageClass, podsMadeBy } from '$core/model';
import { supposedHere } from '$core/dumps';
import { driverGates, supplyGates, type State, type SupplyGate } from '$core/rootline';
import { nodeSpeed, speedCurve } from '$core/sizing';
import {
  backendOf,
  clusterVersion,
  saidVersion,
  compareVersions,
  driverCard,
  driverTraits,
  driverPartOf,
  fitDisks,
  fsTypeOf,
  imageTag,
  newestFitting,
  ownRoles,
  poolDriver,
  poolWarnShare,
  versionFault,
  poolStopShare
} from '$core/standin';
import { plainGate } from './remedies';
import { byName, type Scene } from './scene';

const gib = (bytes: number) => Math.floor(bytes / 2 ** 30).toLocaleString('en');

export interface Join {
  readonly from: string;
  readonly to: string;
  readonly state: State;
  readonly says: string;
}

const isDefault = (one: StorageClass) => one.metadata.annotations?.[defaultClassMark] === 'true';
const worst = <G extends Pick<SupplyGate, 'state'>>(gates: readonly G[]): G | undefined =>
  gates.find((one) => one.state === 'broken') ?? gates.find((one) => one.state === 'settling');
const stateOf = (gates: readonly Pick<SupplyGate, 'state'>[]): State => worst(gates)?.state ?? 'holds';

/** The parts of an installed driver: what is essential, and what only helps. */
function partsOf(facts: Facts, driver: string) {
  const makers = [...facts.list('Deployment'), ...facts.list('DaemonSet')].filter(
    (one) => driverPartOf(one.spec.template.spec)?.driver === driver
  );
  return makers
    .map((one) => {
      const pods = podsMadeBy(facts, one).filter((pod) => !pod.metadata.deletionTimestamp);
      const part = driverPartOf(one.spec.template.spec)!.part;
      const wanted = one.kind === 'Deployment' ? (one.spec.replicas ?? 1) : (one.status?.desiredNumberScheduled ?? pods.length);
      return {
        name: one.metadata.name,
        ref: refOf(one),
        part,
        essential: part !== 'helper',
        ready: pods.filter(isReady).length,
        wanted,
        version: imageTag(one.spec.template.spec.containers[0]?.image ?? '')
      };
    })
    .sort((a, b) => Number(b.essential) - Number(a.essential) || (a.name < b.name ? -1 : 1));
}

function driverView({ facts }: Scene, name: string, classes: readonly StorageClass[]) {
  const card = driverCard(name);
  const cluster = clusterVersion(facts);
  const parts = partsOf(facts, name);
  const installed = facts.get('CSIDriver', '', name) !== undefined || parts.length > 0;
  const gates = driverGates(facts, name);
  const mine = classes.filter((one) => one.provisioner === name);
  const own = gates.filter((one) => one.joint === 'driver' || !['backend', 'target', 'rights', 'class'].includes(one.joint));
  const version = parts.find((one) => one.part === 'controller')?.version ?? '';
  const newest = card && newestFitting(card, cluster);
  const controller = parts.find((one) => one.part === 'controller');
  const plugin = parts.find((one) => one.part === 'node');
  const words = [
    version,
    controller ? `controller ${controller.ready}/${controller.wanted}` : '',
    plugin ? `nodes ${plugin.ready}/${plugin.wanted}` : ''
  ];
  const state: State = installed ? stateOf(own) : mine.length ? 'broken' : 'waiting';
  const volumes = facts.list('PersistentVolume').filter((one) => one.spec.csi?.driver === name).length;
  return {
    id: name,
    kind: card?.kind ?? (driverTraits(facts, name) ? 'supposed: its card says what it can' : 'unknown to the stand-in'),
    installed,
    state,
    says: installed ? words.filter(Boolean).join(' · ') : mine.length ? 'not installed' : 'not installed; it can be had here',
    version,
    newest: newest ?? null,
    newer: installed && newest !== undefined && version !== '' && compareVersions(newest, version) > 0 ? newest : null,
    versions: (card?.versions ?? []).map((one) => ({ ...one, fault: versionFault(card!, one.version, cluster) ?? null })),
    parts,
    /** Roles and bindings that go with it. */
    roles: ownRoles(facts, name),
    gates: gates.map(plainGate),
    volumes,
    classes: mine.map((one) => one.metadata.name)
  };
}

/** A pool that heals, or that is filled to its warning threshold, is not at rest. */
function poolState(facts: Facts, one: Backend): State {
  const status = one.spec.pool === undefined ? undefined : facts.get('Pool', '', one.spec.pool)?.status;
  if (!status) return 'holds';
  const full = status.storedBytes >= poolWarnShare * status.usableBytes;
  return full || status.lost.some((two) => !two.healed) ? 'settling' : 'holds';
}

function backendView({ facts }: Scene, one: Backend) {
  const used = [...facts.usedOf(one.metadata.name).values()];
  const total = one.spec.zones.reduce((sum, zone) => sum + bytesOf(zone.capacity), 0);
  const taken = used.reduce((sum, zone) => sum + zone.sizeBytes, 0);
  const count = used.reduce((sum, zone) => sum + zone.volumes, 0);
  const named = new Set(facts.list('PersistentVolume').map((volume) => volume.spec.csi?.volumeHandle));
  const orphans = facts
    .list('Asset')
    .filter(
      (asset) =>
        asset.spec.backend === one.metadata.name &&
        !asset.spec.snapshotOf &&
        !named.has(asset.metadata.name) &&
        asset.metadata.name !== one.spec.fileSystem
    );
  const shared = one.spec.fileSystem !== undefined;
  return {
    id: one.metadata.name,
    driver: one.spec.driver,
    zones: shared ? (one.spec.mountTargets ?? []).map((two) => two.zone) : one.spec.zones.map((zone) => zone.name),
    pool: one.spec.pool !== undefined,
    state: poolState(facts, one),
    says: shared
      ? `shared file system · elastic · targets in ${(one.spec.mountTargets ?? []).map((two) => two.zone).join(', ') || 'no zone'}`
      : one.spec.pool
        ? `pool · ${gib(total - taken)} of ${gib(total)} GiB free, up to ${Math.round(poolStopShare * 100)} % full · ${plural(count, 'volume')}`
        : `${gib(total - taken)} of ${gib(total)} GiB free · quota ${one.spec.quotaVolumes}, ${count} used`,
    orphans: orphans.length,
    orphanBytes: orphans.reduce((sum, asset) => sum + bytesOf(asset.spec.size), 0)
  };
}

/** The ceiling of the cluster's nodes where it is the same for all that say it. */
function ceilingOf(facts: Facts) {
  const speeds = facts.list('Node').flatMap((node) => nodeSpeed(node) ?? []);
  return speeds.length ? { iops: Math.min(...speeds.map((one) => one.iops)), mbps: Math.min(...speeds.map((one) => one.mbps)) } : null;
}

function classView({ facts }: Scene, one: StorageClass) {
  const gates = supplyGates(facts, one);
  const claims = facts.list('PersistentVolumeClaim').filter((claim) => claim.spec.storageClassName === one.metadata.name);
  const backend = backendOf(facts, one.provisioner);
  const card = driverTraits(facts, one.provisioner);
  const words = [
    isDefault(one) ? 'default' : '',
    card?.grows === 'elastic' ? 'grows by itself' : one.allowVolumeExpansion && card?.grows !== 'never' ? 'grows' : 'no growth',
    card?.modes?.includes('ReadWriteMany') ? 'shared' : '',
    one.volumeBindingMode === 'WaitForFirstConsumer' ? 'waits for first consumer' : 'binds at once',
    (one.reclaimPolicy ?? 'Delete').toLowerCase()
  ];
  return {
    id: one.metadata.name,
    driver: one.provisioner,
    state: stateOf(gates),
    says: words.filter(Boolean).join(' · '),
    isDefault: isDefault(one),
    fsType: fsTypeOf(one),
    claims: claims.length,
    bound: claims.filter((claim) => claim.status?.phase === 'Bound').length,
    bytes: claims.reduce(
      (sum, claim) => sum + (claim.status?.capacity?.storage === undefined ? 0 : bytesOf(claim.status.capacity.storage)),
      0
    ),
    gates: gates.map(plainGate),
    traits: classTraits(facts, one),
    curve: backend ? speedCurve(backend, one.parameters?.speed) : [],
    ceiling: ceilingOf(facts)
  };
}

function joinsOf(
  backends: readonly ReturnType<typeof backendView>[],
  classes: readonly ReturnType<typeof classView>[],
  drivers: readonly ReturnType<typeof driverView>[]
): Join[] {
  const joins: Join[] = [];
  for (const one of backends) {
    const driver = drivers.find((two) => two.id === one.driver);
    const gate = (driver?.gates ?? []).find((two) => two.state === 'broken' && (two.joint === 'rights' || two.joint === 'backend'));
    joins.push({
      from: one.id,
      to: one.driver,
      state: gate ? 'broken' : 'holds',
      says: gate?.says ?? 'rights hold'
    });
  }
  for (const one of classes) {
    const gate = worst(one.gates.filter((two) => !['rights', 'backend'].includes(two.joint)));
    joins.push({ from: one.driver, to: one.id, state: gate?.state ?? 'holds', says: gate?.says ?? '' });
  }
  return joins;
}

/** The Supply sheet: three rails (backends, drivers, classes) and what joins them. */
export function supplyView(scene: Scene) {
  const { facts } = scene;
  const classes = facts.list('StorageClass').sort((a, b) => Number(isDefault(b)) - Number(isDefault(a)) || byName(a, b));
  const named = new Set([
    ...facts.list('CSIDriver').map((one) => one.metadata.name),
    ...classes.map((one) => one.provisioner),
    ...facts.list('Backend').map((one) => one.spec.driver),
    ...(fitDisks(facts.list('Disk')).size ? [poolDriver] : [])
  ]);
  const drivers = [...named].sort().map((name) => driverView(scene, name, classes));
  const backends = facts
    .list('Backend')
    .sort(byName)
    .map((one) => backendView(scene, one));
  const cards = classes.map((one) => classView(scene, one));
  const here = supposedHere(facts);
  return {
    backends,
    drivers,
    classes: cards,
    joins: joinsOf(backends, cards, drivers),
    defaults: classes.filter(isDefault).map((one) => one.metadata.name),
    /** Something here doesn't ship with the stand-in, or has a card. An export's own page asks what is to be supposed of it. */
    supposed: facts.knowsProvider && (here.programs.length > 0 || here.drivers.length > 0),
    version: saidVersion(facts) === undefined ? `taken for ${clusterVersion(facts)}` : clusterVersion(facts)
  };
}

export type SupplyView = ReturnType<typeof supplyView>;

/** When volumes that named an asset went, by handle: since then it is an orphan. */
function goneVolumes({ facts, history }: Scene): Map<string, number> {
  const gone = new Map<string, number>();
  for (const { atMs, before, after } of history.changes.slice(0, history.countAt(facts.nowMs)))
    if (before?.kind === 'PersistentVolume' && !after && before.spec.csi) gone.set(before.spec.csi.volumeHandle, atMs);
  return gone;
}

/** A backend opened: its assets, whom each serves, and those that nobody names any more. */
export function assetsView(scene: Scene, { backend: name }: { backend: string }) {
  const { facts } = scene;
  const backend = facts.get('Backend', '', name);
  if (!backend) return undefined;
  const gone = goneVolumes(scene);
  const assets = facts
    .list('Asset')
    .filter((one) => one.spec.backend === name)
    .sort(byName)
    .map((asset) => {
      const handle = asset.metadata.name;
      const volume = facts.by<'PersistentVolume'>('volumesOfHandle', handle)[0];
      const content =
        asset.spec.snapshotOf === undefined
          ? undefined
          : facts.list('VolumeSnapshotContent').find((one) => one.status?.snapshotHandle === handle);
      const whole = handle === backend.spec.fileSystem;
      const { claimRef } = volume?.spec ?? {};
      return {
        handle,
        bytes: bytesOf(asset.spec.size),
        zone: asset.spec.zone,
        fsType: asset.spec.fsType,
        class: volume?.spec.storageClassName ?? '',
        volume: volume?.metadata.name ?? '',
        phase: volume?.status?.phase ?? '',
        claim: claimRef?.name ? `${claimRef.namespace}/${claimRef.name}` : '',
        nodes: asset.status?.attachedTo ?? [],
        snapshotOf: asset.spec.snapshotOf ?? '',
        kind: whole ? ('whole' as const) : asset.spec.snapshotOf ? ('snapshot' as const) : ('volume' as const),
        orphan: !whole && !volume && !content,
        sinceMs: gone.get(handle) ?? momentOf(String(asset.metadata.creationTimestamp)),
        stored: asset.status?.store?.rows.length ?? 0
      };
    });
  return { id: name, driver: backend.spec.driver, assets };
}

export type AssetsView = NonNullable<ReturnType<typeof assetsView>>;
