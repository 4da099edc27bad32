import { bytesOf } from '../shared';
import { classOf, termsMatch, type Claim, type Facts, type Node, type Ref, type Used, type Volume } from '../model';
import {
  argumentFault,
  attributesOf,
  backendOf,
  noProvisioner,
  pluginOn,
  premadeFor,
  shortagesIn,
  sourceOf,
  topologyOf,
  zoneFor,
  type Store
} from '../standin';
import { isTold, type promised } from './hindrances';

/** A claim that would be made, and what becomes of it. */
export interface ClaimToBe {
  readonly claim: Claim;
  /** What is sent and asks for it. */
  readonly by: Ref;
  /** Made for it, made before, not made yet (what it waits for is told elsewhere), or why not. */
  readonly gets: 'volume' | 'premade' | 'nothing' | 'refused' | 'no-room' | 'unseen';
  /** Why not, as a sentence without its full stop. */
  readonly says?: string;
  /** The backend's field that says it. */
  readonly field?: string;
}

/** Whether only one node at a time may have a claim's volume: it is attached, and no mode lets more have it; undefined where an export doesn't tell. */
export function forOneNode(store: Store, claim: Claim): boolean | undefined {
  if (claim.spec.accessModes.some((mode) => mode !== 'ReadWriteOnce' && mode !== 'ReadWriteOncePod')) return false;
  const one = classOf(store, claim.spec);
  const driver = store.get('CSIDriver', '', one?.provisioner ?? '');
  if (!driver && !(isTold(store, 'CSIDriver') && (one || isTold(store, 'StorageClass')))) return undefined;
  return driver?.spec.attachRequired !== false;
}

/** What backends have handed out, and would have by now. */
export class HandedOut {
  private readonly all = new Map<string, Map<string, Used>>();

  constructor(private readonly there: Facts) {}

  of(backend: string): Map<string, Used> {
    let mine = this.all.get(backend);
    if (!mine) this.all.set(backend, (mine = new Map(this.there.usedOf(backend))));
    return mine;
  }

  /** Takes a volume out, or with -1 puts one back. */
  take(backend: string, place: string, bytes: number, volumesMore: 1 | -1 = 1): void {
    const mine = this.of(backend);
    const { sizeBytes = 0, volumes = 0 } = mine.get(place) ?? {};
    mine.set(place, { sizeBytes: sizeBytes + bytes * volumesMore, volumes: volumes + volumesMore });
  }
}

/** The copy that members are put into, and what is found out on the way. */
export interface Ground {
  readonly store: Store;
  /** As it stands: what a claim is filled from lies there. */
  readonly there: Facts;
  readonly handedOut: HandedOut;
  readonly comes: ReturnType<typeof promised>;
  /** Whether a driver is sent along. */
  readonly brings: (driver: string) => boolean;
  readonly claims: ClaimToBe[];
  /** Whose members are put into it now. */
  by: Ref;
}

const sentence = (text: string): string => text.replace(/\.$/, '');

/** Why a claim's volume can't be used on a node; undefined where it can, or nobody can tell. */
export function unusable({ store, brings }: Ground, { metadata, spec }: Claim, node: Node | undefined): string | undefined {
  const now = store.get('PersistentVolumeClaim', metadata.namespace ?? '', metadata.name);
  const volume = store.get('PersistentVolume', '', now?.spec.volumeName ?? '');
  const terms = volume?.spec.nodeAffinity?.required?.nodeSelectorTerms;
  if (node && terms && !termsMatch(terms, node.metadata.labels))
    return `${node.metadata.name} is out of reach of the volume of ${metadata.name}`;
  const driver = volume?.spec.csi?.driver ?? classOf(store, spec)?.provisioner;
  return node && driver !== undefined && !brings(driver) ? unpluggedOn(store, driver, node.metadata.name) : undefined;
}

function unpluggedOn(store: Store, driver: string, node: string): string | undefined {
  const somewhere = store.list('CSINode').some(({ spec }) => spec.drivers.some((one) => one.name === driver));
  return !isTold(store, 'CSINode') || !somewhere || pluginOn(store, driver, node)
    ? undefined
    : `${driver} has no node plugin on ${node}, where a member would stand`;
}

function bound(store: Store, claim: Claim, volume: Volume): void {
  const { name, namespace = '' } = claim.metadata;
  const known = store.get('PersistentVolume', '', volume.metadata.name);
  store.place(known, { ...volume, spec: { ...volume.spec, claimRef: { namespace, name } }, status: { phase: 'Bound' } } as Volume);
  const now = store.get('PersistentVolumeClaim', namespace, name);
  store.place(now, { ...claim, spec: { ...claim.spec, volumeName: volume.metadata.name }, status: { phase: 'Bound' } } as Claim);
}

/** The volume that a claim would get for a member on a node (none where its class doesn't wait for one), made beforehand or for it. */
export function provision({ store, there, handedOut, claims, by }: Ground, claim: Claim, node: Node | undefined, chosen = true): void {
  const give = (gets: ClaimToBe['gets'], says?: string, field?: string) =>
    void claims.push({ claim, by, gets, ...(says === undefined ? {} : { says }), ...(field === undefined ? {} : { field }) });
  const premade = premadeFor(store, claim, node);
  if (premade) {
    bound(store, claim, premade);
    return give('premade');
  }
  const name = claim.spec.storageClassName;
  const one = classOf(store, claim.spec);
  if (!one || one.provisioner === noProvisioner) {
    const made = name === '' || one;
    const told = isTold(there, made ? 'PersistentVolume' : 'StorageClass');
    return give(told ? 'refused' : 'unseen', made ? 'no pre-made volume fits' : `there is no class ${name ?? '(default)'}`);
  }
  // Source: the cluster API's "Assigning Pods to Nodes", nodeName: the scheduler passes such a pod over.
  if (!chosen) return give('refused', 'the member names its node, so nobody chooses one for its claim, which waits for that');
  const size = bytesOf(claim.spec.resources.requests.storage);
  const fault = argumentFault(store, one, claim.spec) ?? attributesOf(there, claim, one.provisioner).fault;
  if (fault) return give('refused', sentence(fault[1]));
  const source = sourceOf(there, claim, one.provisioner);
  const sourceFault = source.refused?.[1] ?? source.wait;
  if (sourceFault !== undefined) return give(there.knowsProvider ? 'refused' : 'unseen', sentence(sourceFault));
  const backend = backendOf(store, one.provisioner);
  const key = backend ? topologyOf(backend) : '';
  let place = '';
  if (backend && store.knowsProvider) {
    const used = handedOut.of(backend.metadata.name);
    place = zoneFor(one, backend, node, used);
    const [short] = shortagesIn(backend, place, size, used);
    if (short) return give('no-room', sentence(short.message), short.field);
    handedOut.take(backend.metadata.name, place, size);
  }
  const handle = `to-be-${claim.metadata.namespace}-${claim.metadata.name}`;
  bound(store, claim, {
    apiVersion: 'v1',
    kind: 'PersistentVolume',
    metadata: { name: handle },
    spec: {
      capacity: { storage: claim.spec.resources.requests.storage },
      accessModes: claim.spec.accessModes,
      storageClassName: one.metadata.name,
      csi: { driver: one.provisioner, volumeHandle: handle },
      ...(key && place
        ? { nodeAffinity: { required: { nodeSelectorTerms: [{ matchExpressions: [{ key, operator: 'In', values: [place] }] }] } } }
        : {})
    }
  } as Volume);
  give('volume');
}
