import { bytesOf, momentOf } from '$core/shared';
import { grownSet, writeManifests } from '$core/manifest';
import {
  madeIn,
  momentIn,
  classOf,
  isReady,
  ordinalsOf,
  memberClaim,
  setOf,
  takesRoom,
  waitsForConsumer,
  zoneOf,
  type Asset,
  type Claim
} from '$core/model';
import { lineSentence, rootLine, type State } from '$core/rootline';
import { daysTo, trendOf, type FillPoint } from '$core/sizing';
import { backendOf, consistencyMark, dayMs, driverCard, driverTraits, fillAt, growsAgainMs, roomIn, storeHolds } from '$core/standin';
import { byName, type Scene } from './scene';

export interface ClaimRow {
  readonly namespace: string;
  readonly name: string;
  readonly askedBytes: number;
  readonly gotBytes: number | null;
  readonly elastic: boolean;
  readonly class: string;
  readonly volume: string;
  readonly handle: string;
  readonly heldBy: readonly string[];
  readonly nodes: readonly string[];
  readonly zone: string;
  /** Share of what can be written; null where nothing is known of it. */
  readonly fill: number | null;
  readonly state: State;
  readonly label: string;
}

/** Whether what lies in a claim's volume isn't what was written there. */
export function isDamaged(facts: Scene['facts'], claim: Claim): boolean {
  const volume = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '');
  const store = facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '')?.status?.store;
  return store !== undefined && !storeHolds(store);
}

/** What a claim's state is called, without looking further down. */
type Cheap = 'going' | 'restoring' | 'growing' | 'damaged' | 'Bound' | 'no user yet' | 'Pending';

function cheapState({ facts }: Scene, claim: Claim): Cheap {
  if (claim.metadata.deletionTimestamp)
    return facts.get('Restoring', claim.metadata.namespace ?? '', claim.metadata.name) ? 'restoring' : 'going';
  const got = claim.status?.capacity?.storage;
  if (claim.status?.phase === 'Bound') {
    if (got !== undefined && bytesOf(got) < bytesOf(claim.spec.resources.requests.storage)) return 'growing';
    return isDamaged(facts, claim) ? 'damaged' : 'Bound';
  }
  const users = facts.podsOfClaim(claim.metadata.namespace ?? '', claim.metadata.name);
  return !users.length && waitsForConsumer(classOf(facts, claim.spec)) ? 'no user yet' : 'Pending';
}

function stateOf(scene: Scene, claim: Claim, label: Cheap): State {
  if (label === 'Bound') return 'holds';
  if (label === 'damaged') return 'broken';
  if (label === 'going' || label === 'restoring') return 'settling';
  if (label === 'no user yet') return 'waiting';
  const line = rootLine(scene.facts, {
    kind: 'PersistentVolumeClaim',
    namespace: claim.metadata.namespace ?? '',
    name: claim.metadata.name
  });
  if (label === 'growing') return line?.joints.find((one) => one.joint === 'claim')?.state ?? 'settling';
  return line?.firstBreak === 'claim' || line?.firstBreak === 'volume' ? 'broken' : line?.firstBreak ? 'waiting' : 'settling';
}

interface Draft {
  readonly claim: Claim;
  readonly row: Omit<ClaimRow, 'state'>;
}

function draftOf(scene: Scene, claim: Claim): Draft {
  const { facts } = scene;
  const namespace = claim.metadata.namespace ?? '';
  const users = facts.podsOfClaim(namespace, claim.metadata.name).filter(takesRoom);
  const volume = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '');
  const asset = facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
  const nodes = [...new Set(users.flatMap((pod) => pod.spec.nodeName ?? []))].sort();
  const got = claim.status?.capacity?.storage;
  const driver = volume?.spec.csi?.driver ?? classOf(facts, claim.spec)?.provisioner ?? '';
  return {
    claim,
    row: {
      namespace,
      name: claim.metadata.name,
      askedBytes: bytesOf(claim.spec.resources.requests.storage),
      gotBytes: got === undefined ? null : bytesOf(got),
      elastic: driverCard(driver)?.grows === 'elastic',
      class: claim.spec.storageClassName ?? '(default)',
      volume: volume?.metadata.name ?? '',
      handle: volume?.spec.csi?.volumeHandle ?? '',
      heldBy: users.map((pod) => pod.metadata.name).sort(),
      nodes,
      zone: nodes.length === 1 ? zoneOf(facts.get('Node', '', nodes[0]!)) : '',
      fill: asset?.status?.fill ? fillAt(asset, facts.nowMs) / Math.max(1, roomIn(asset)) : null,
      label: cheapState(scene, claim)
    }
  };
}

export const claimColumns = ['name', 'namespace', 'asks', 'got', 'class', 'handle', 'holder', 'node', 'fill', 'state'] as const;
export type ClaimColumn = (typeof claimColumns)[number];

/** How the table is to be read: order, filters, and which rows of it. */
export interface ClaimsAsk {
  readonly sort?: ClaimColumn | undefined;
  readonly down?: boolean | undefined;
  readonly text?: string | undefined;
  readonly namespace?: string | undefined;
  readonly class?: string | undefined;
  readonly state?: string | undefined;
  /** Least fill in percent. */
  readonly full?: number | undefined;
  readonly from?: number | undefined;
  readonly limit?: number | undefined;
}

const keys: Record<ClaimColumn, (row: Draft['row']) => string | number> = {
  name: (row) => `${row.namespace}/${row.name}`,
  namespace: (row) => `${row.namespace}/${row.name}`,
  asks: (row) => row.askedBytes,
  got: (row) => row.gotBytes ?? -1,
  class: (row) => row.class,
  handle: (row) => row.handle,
  holder: (row) => row.heldBy[0] ?? '',
  node: (row) => row.nodes[0] ?? '',
  fill: (row) => row.fill ?? -1,
  state: (row) => row.label
};

function matches({ row }: Draft, ask: ClaimsAsk): boolean {
  if (ask.namespace && row.namespace !== ask.namespace) return false;
  if (ask.class && row.class !== ask.class) return false;
  if (ask.state && row.label !== ask.state) return false;
  if (ask.full && (row.fill ?? 0) * 100 < ask.full) return false;
  return (
    !ask.text ||
    `${row.namespace}/${row.name} ${row.class} ${row.handle} ${row.heldBy.join(' ')} ${row.nodes.join(' ')} ${row.label}`.includes(ask.text)
  );
}

/** The Claims sheet's table, as much of it as is asked for; sums are over all claims. */
export function claimsView(scene: Scene, ask: ClaimsAsk = {}) {
  const all = scene.facts
    .list('PersistentVolumeClaim')
    .sort(byName)
    .map((claim) => draftOf(scene, claim));
  const key = keys[ask.sort ?? 'name'];
  const found = all.filter((one) => matches(one, ask));
  if (ask.sort && ask.sort !== 'name')
    found.sort((a, b) => {
      const [x, y] = [key(a.row), key(b.row)];
      return x === y ? 0 : x < y ? -1 : 1;
    });
  if (ask.down) found.reverse();
  const from = ask.from ?? 0;
  const count = (label: Cheap) => all.filter((one) => one.row.label === label).length;
  return {
    total: all.length,
    matching: found.length,
    bound: count('Bound') + count('growing') + count('damaged'),
    damaged: count('damaged'),
    growing: count('growing'),
    pending: count('Pending'),
    unused: count('no user yet'),
    lonely: all.filter((one) => !one.row.heldBy.length).length,
    gotBytes: all.reduce((sum, one) => sum + (one.row.elastic ? 0 : (one.row.gotBytes ?? 0)), 0),
    elastic: all.filter((one) => one.row.elastic && one.row.gotBytes !== null).length,
    namespaces: [...new Set(all.map((one) => one.row.namespace))],
    classes: [...new Set(all.map((one) => one.row.class))].sort(),
    labels: [...new Set(all.map((one) => one.row.label))].sort(),
    from,
    rows: found
      .slice(from, from + (ask.limit ?? 100))
      .map(({ claim, row }): ClaimRow => ({ ...row, state: stateOf(scene, claim, row.label as Cheap) }))
  };
}
export type ClaimsView = ReturnType<typeof claimsView>;

/** So many points make a fill's history; it reaches back so far at the most. */
const historyPoints = 48;
const historyMs = 7 * dayMs;

/** How an asset has filled, from its changes, and when it will be full. */
export function fillView({ facts, history }: Scene, asset: Asset) {
  if (!asset.status?.fill) return null;
  const states: { atMs: number; asset: Asset }[] = [];
  for (const { atMs, after } of history.changes.slice(0, history.countAt(facts.nowMs)))
    if (after?.kind === 'Asset' && after.metadata.name === asset.metadata.name && after.status?.fill) states.push({ atMs, asset: after });
  const firstMs = Math.max(states[0]?.atMs ?? facts.nowMs, facts.nowMs - historyMs);
  const span = facts.nowMs - firstMs;
  const points: FillPoint[] = [];
  let place = 0;
  for (let i = 0; i <= historyPoints && span > 0; i += 1) {
    const atMs = Math.round(firstMs + (span * i) / historyPoints);
    while (states[place + 1] && states[place + 1]!.atMs <= atMs) place += 1;
    points.push({ atMs, bytes: fillAt(states[place]!.asset, atMs) });
  }
  const room = roomIn(asset);
  const trend = trendOf(points);
  return {
    bytes: fillAt(asset, facts.nowMs),
    roomBytes: room,
    /** Of its room that is filled. */
    share: fillAt(asset, facts.nowMs) / room,
    points,
    bytesPerDay: trend?.bytesPerDay ?? 0,
    plusMinus: trend?.plusMinus ?? 0,
    spanMs: span,
    days: trend ? daysTo(trend, room) : []
  };
}

/** The set that a claim belongs to by its template, with all its claims. */
function setView({ facts }: Scene, claim: Claim) {
  const pod = facts.podsOfClaim(claim.metadata.namespace ?? '', claim.metadata.name).find((one) => setOf(facts, one));
  const set = pod && setOf(facts, pod);
  const template = set?.spec.volumeClaimTemplates?.find((one) =>
    ordinalsOf(set).some((ordinal) => memberClaim(one.metadata.name, set, ordinal) === claim.metadata.name)
  );
  if (!set || !template) return null;
  return {
    name: set.metadata.name,
    template: template.metadata.name,
    claims: ordinalsOf(set).map((ordinal) => memberClaim(template.metadata.name, set, ordinal))
  };
}

function snapshotsOf({ facts }: Scene, namespace: string, name: string) {
  return facts
    .by<'VolumeSnapshot'>('snapshotsOfClaim', `${namespace}/${name}`)
    .sort(byName)
    .map((one) => ({
      name: one.metadata.name,
      ready: one.status?.readyToUse === true,
      at: one.status?.creationTime ? momentIn(facts, momentOf(one.status.creationTime)) : '',
      size: String(one.status?.restoreSize ?? ''),
      consistency: one.metadata.annotations?.[consistencyMark] ?? '',
      error: one.status?.error?.message ?? '',
      checksum:
        facts.get(
          'Asset',
          '',
          facts.get('VolumeSnapshotContent', '', one.status?.boundVolumeSnapshotContentName ?? '')?.status?.snapshotHandle ?? ''
        )?.status?.store?.checksum ?? ''
    }));
}

/** The inspection of one claim, by question. Undefined when it doesn't exist at this moment. */
export function claimView(scene: Scene, { namespace, name }: { namespace: string; name: string }) {
  const { facts, history } = scene;
  const claim = facts.get('PersistentVolumeClaim', namespace, name);
  if (!claim) return undefined;
  const { row } = draftOf(scene, claim);
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
  const growth = line?.joints.find((joint) => joint.joint === 'claim');
  const driver = volume?.spec.csi?.driver ?? one?.provisioner ?? '';
  return {
    ...row,
    state: stateOf(scene, claim, row.label as Cheap),
    modes: claim.spec.accessModes,
    source: claim.spec.dataSource ? `${claim.spec.dataSource.kind} ${claim.spec.dataSource.name}` : '',
    askedSince: madeIn(facts, claim),
    sizes,
    driver,
    fsType: asset?.spec.fsType ?? volume?.spec.csi?.fsType ?? '',
    encrypted: asset?.spec.parameters?.encrypted === 'true',
    volumeZone: asset?.spec.zone ?? '',
    attachedTo: asset?.status?.attachedTo ?? [],
    stored: asset?.status?.store
      ? { rows: asset.status.store.rows.length, checksum: asset.status.store.checksum, sound: storeHolds(asset.status.store) }
      : null,
    filling: asset ? fillView(scene, asset) : null,
    set: setView(scene, claim),
    snapshots: snapshotsOf(scene, namespace, name),
    takesSnapshots: driverTraits(facts, driver)?.snapshots === true && volume !== undefined,
    policy: volume?.spec.persistentVolumeReclaimPolicy ?? one?.reclaimPolicy ?? '',
    grows: one?.allowVolumeExpansion === true && driverTraits(facts, driver)?.grows === 'online',
    growth: row.label === 'growing' && growth ? { state: growth.state, says: growth.says } : null,
    growsAgain: growsAgainMs(backendOf(facts, driver), asset, facts.nowMs) ?? null,
    ready: facts.podsOfClaim(namespace, name).some(isReady),
    resizePending: claim.status?.conditions?.some((condition) => condition.type === 'FileSystemResizePending') ?? false,
    sentence: line ? lineSentence(line) : ''
  };
}

export type ClaimInspection = NonNullable<ReturnType<typeof claimView>>;

/** Manifests that grow all claims of a set and put the new size into its template: a draft whose change sheet offers the way round. */
export function growSetYaml(
  { facts }: Scene,
  { namespace, set: name, template, size }: { namespace: string; set: string; template: string; size: string }
): string | undefined {
  const set = facts.get('StatefulSet', namespace, name);
  if (!set?.spec.volumeClaimTemplates?.some((one) => one.metadata.name === template)) return undefined;
  return writeManifests(grownSet(facts, set, new Map([[template, size]])));
}
