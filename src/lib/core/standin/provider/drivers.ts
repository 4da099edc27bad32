import { zoneLabel, type Facts, type Right } from '../../model';

/** A version of a driver and the cluster versions that it fits, both ends included. Made up. */
export interface DriverVersion {
  readonly version: string;
  readonly from: string;
  readonly to: string;
}

/** What the stand-in knows of a storage driver. Modes and limits: common practice for such drivers, no source. */
export interface DriverCard {
  readonly driver: string;
  readonly short: string;
  /** What it is, in a few words. */
  readonly kind: string;
  readonly namespace: string;
  readonly account: string;
  /** Access modes that it hands out. */
  readonly modes: readonly string[];
  readonly fsTypes: readonly string[];
  /** `online`: while mounted; `elastic`: there is nothing to grow; `never`. */
  readonly grows: 'online' | 'elastic' | 'never';
  readonly snapshots: boolean;
  /** Whether volumes hang on a node like a disk. */
  readonly attach: boolean;
  /** The node label that its volumes are bound to; '' when they are reached from anywhere. */
  readonly topologyKey: string;
  /** Rights at the provider; empty when it asks nobody. */
  readonly rights: readonly Right[];
  /** Nodes that take no daemon set have it built in. */
  readonly onVirtualNodes: boolean;
  readonly parameters: readonly string[];
  /** Of these, what can change while a volume is in use (the Container Storage Interface, MODIFY_VOLUME); made up. */
  readonly mutable: readonly string[];
  /** It says beforehand how much room it has where (the Container Storage Interface, GET_CAPACITY). */
  readonly tellsRoom: boolean;
  readonly versions: readonly DriverVersion[];
  readonly prefix: string;
}

const hostLabel = 'kubernetes.io/hostname';
const common = { namespace: 'storage-system', onVirtualNodes: false, mutable: [], tellsRoom: false } as const;
const needed: readonly Right[] = ['create', 'attach', 'detach', 'delete', 'grow', 'snapshot'];

/** The drivers that ship with the stand-in. A new one is one more card here. */
export const driverCards: readonly DriverCard[] = [
  {
    ...common,
    driver: 'block.standin.example',
    short: 'block',
    kind: 'block volumes of the provider',
    account: 'block-driver',
    modes: ['ReadWriteOnce', 'ReadWriteOncePod'],
    fsTypes: ['ext4', 'xfs'],
    grows: 'online',
    snapshots: true,
    attach: true,
    topologyKey: zoneLabel,
    rights: needed,
    parameters: ['encrypted', 'speed'],
    mutable: ['speed'],
    versions: [
      { version: 'r2', from: '1.26', to: '1.30' },
      { version: 'r3', from: '1.28', to: '1.34' },
      { version: 'r4', from: '1.33', to: '1.36' }
    ],
    prefix: 'blk'
  },
  {
    ...common,
    driver: 'files.standin.example',
    short: 'files',
    kind: 'shared files of the provider',
    account: 'files-driver',
    modes: ['ReadWriteMany', 'ReadOnlyMany', 'ReadWriteOnce'],
    fsTypes: ['nfs4'],
    grows: 'elastic',
    snapshots: false,
    attach: false,
    topologyKey: '',
    rights: ['create', 'delete'],
    onVirtualNodes: true,
    parameters: ['fileSystem', 'owner'],
    versions: [
      { version: 'r1', from: '1.26', to: '1.31' },
      { version: 'r2', from: '1.29', to: '1.34' }
    ],
    prefix: 'fil'
  },
  {
    ...common,
    driver: 'pool.standin.example',
    short: 'pool',
    kind: "a pool of the nodes' own disks",
    account: 'pool-driver',
    modes: ['ReadWriteOnce', 'ReadWriteOncePod', 'ReadWriteMany', 'ReadOnlyMany'],
    fsTypes: ['ext4', 'xfs'],
    grows: 'online',
    snapshots: true,
    attach: true,
    topologyKey: '',
    rights: [],
    parameters: ['pool'],
    versions: [
      { version: 'r2', from: '1.27', to: '1.31' },
      { version: 'r3', from: '1.29', to: '1.34' }
    ],
    prefix: 'pol'
  },
  {
    ...common,
    driver: 'dirs.standin.example',
    short: 'dirs',
    kind: 'a directory on a node',
    account: 'dirs-driver',
    modes: ['ReadWriteOnce', 'ReadWriteOncePod'],
    fsTypes: ['ext4'],
    grows: 'never',
    snapshots: false,
    attach: false,
    topologyKey: hostLabel,
    rights: [],
    parameters: [],
    tellsRoom: true,
    versions: [{ version: 'r1', from: '1.22', to: '1.36' }],
    prefix: 'dir'
  }
];

const byName = new Map(driverCards.map((one) => [one.driver, one]));

/** The card of a driver; undefined for one that the stand-in can't run. */
export const driverCard = (driver: string): DriverCard | undefined => byName.get(driver);

/** The version of the cluster API that a place serves; 1.32 where it doesn't say. */
export const clusterVersion = (facts: Facts): string => saidVersion(facts) ?? '1.32';

/** The version as the place or, in a dump, its nodes say it. */
export function saidVersion(facts: Facts): string | undefined {
  const [ground] = facts.list('Ground');
  if (ground) return ground.spec.version;
  const info = facts.list('Node')[0]?.status?.nodeInfo as { kubeletVersion?: string } | undefined;
  return /^v?(\d+\.\d+)/.exec(info?.kubeletVersion ?? '')?.[1];
}

const versionNumbers = new Map<string, readonly number[]>();

function numbersOf(version: string): readonly number[] {
  let numbers = versionNumbers.get(version);
  if (!numbers) {
    numbers = version.replace(/^r/, '').split('.').map(Number);
    // Tags come from manifests: so many different ones are kept, no more.
    if (versionNumbers.size > 1_000) versionNumbers.clear();
    versionNumbers.set(version, numbers);
  }
  return numbers;
}

/** Compares versions by their numbers: negative when the first is older. The stand-in's own programs count `r1`, `r2`, the cluster API `1.32`. */
export function compareVersions(a: string, b: string): number {
  const [x, y] = [numbersOf(a), numbersOf(b)];
  for (let i = 0; i < Math.max(x.length, y.length); i += 1) {
    const difference = (x[i] ?? 0) - (y[i] ?? 0);
    if (difference) return difference;
  }
  return 0;
}

/** Why a version of a driver can't be had on a cluster; undefined when it fits. */
export function versionFault(card: DriverCard, version: string, cluster: string): string | undefined {
  // A patch (r3.1) fits where its version (r3) does.
  const known = card.versions.find((one) => version === one.version || version.startsWith(`${one.version}.`));
  if (!known) return `there is no version ${version} of ${card.driver}; there are ${card.versions.map((one) => one.version).join(', ')}`;
  if (compareVersions(cluster, known.from) >= 0 && compareVersions(cluster, known.to) <= 0) return undefined;
  return `${card.driver} ${version} fits clusters from ${known.from} to ${known.to}; this one is ${cluster}`;
}

/** The newest version of a driver that fits a cluster; undefined when none does. */
export const newestFitting = (card: DriverCard, cluster: string): string | undefined =>
  card.versions.filter((one) => !versionFault(card, one.version, cluster)).sort((a, b) => compareVersions(b.version, a.version))[0]
    ?.version;

/** A parameter that a driver doesn't know, in a sentence; undefined where it knows all. */
export function parameterFault(
  { driver, parameters }: DriverCard,
  given: Readonly<Record<string, string>> | undefined,
  known = parameters
): string | undefined {
  const strange = Object.keys(given ?? {}).find((key) => !key.startsWith('csi.storage.k8s.io/') && !known.includes(key));
  if (strange === undefined) return undefined;
  return parameters.includes(strange)
    ? `${driver} can't change ${strange} of a volume; it can change ${known.join(', ') || 'nothing'}.`
    : `${driver} knows no parameter ${strange}; it knows ${known.join(', ') || 'none of its own'}.`;
}
