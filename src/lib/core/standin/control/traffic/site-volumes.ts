import { same } from '../../../shared';
import { setAskingFor, type Asset, type Pod } from '../../../model';
import { sealedOver } from '../../engines/little-store';
import { assetsOf } from '../../engines/processes';
import { contentIn, rowsIn } from '../../engines/registry';
import type { ClusterAccess } from '../loop';

const untouched = Symbol('untouched');

/** One volume of a member during a call. */
export interface Disk {
  asset: Asset;
  /** What is to be written at the end of the call. */
  data: unknown;
}

/** What lies in the volumes of a workload's members, as its engine sees it during one call. Writing is gathered until {@link flush}. */
export class SiteVolumes {
  private readonly byAsset = new Map<string, Disk>();
  private readonly beside = new Map<string, { readonly uid: string | undefined; data: unknown }>();

  constructor(
    private readonly world: ClusterAccess,
    private readonly namespace: string,
    private readonly engineId: string
  ) {}

  /** For the next call: what lies in them now. @returns whether they are all still there */
  again(): boolean {
    this.beside.clear();
    for (const [name, disk] of this.byAsset) {
      const asset = this.world.store.get('Asset', '', name);
      if (!asset) return false;
      disk.asset = asset;
      disk.data = untouched;
    }
    return true;
  }

  /** Volumes behind a member's claims: its pod's, or, where it has no pod just now, those that its set made for it. Asked for once in a call. */
  of(id: string, pod: Pod | undefined): readonly Disk[] {
    return (pod ? assetsOf(this.world.store, pod) : this.waiting(id)).map((asset) => this.diskOf(asset));
  }

  /** A volume that several members mount is one. */
  private diskOf(asset: Asset): Disk {
    let disk = this.byAsset.get(asset.metadata.name);
    if (!disk) this.byAsset.set(asset.metadata.name, (disk = { asset, data: untouched }));
    return disk;
  }

  private waiting(id: string): Asset[] {
    const { store } = this.world;
    const found: Asset[] = [];
    for (const template of setAskingFor(store, this.namespace, id)?.spec.volumeClaimTemplates ?? []) {
      const claim = store.get('PersistentVolumeClaim', this.namespace, `${template.metadata.name}-${id}`);
      const volume = claim?.spec.volumeName ? store.get('PersistentVolume', '', claim.spec.volumeName) : undefined;
      const asset = volume?.spec.csi && store.get('Asset', '', volume.spec.csi.volumeHandle);
      if (asset) found.push(asset);
    }
    return found;
  }

  /** What lies in a member's volume; without volumes, what its program keeps beside itself. */
  read(disks: readonly Disk[], id: string, pod: Pod | undefined, nth: number): unknown {
    const disk = disks[nth];
    // Shared files lie in the volume as they are: whoever mounts it writes there too.
    if (disk)
      return disk.data !== untouched
        ? disk.data
        : this.engineId === 'shared-files'
          ? disk.asset.status?.store?.rows
          : disk.asset.status?.engine;
    if (nth > 0 || disks.length) return undefined;
    const kept = this.beside.get(id);
    if (kept) return kept.data;
    const uid = pod?.metadata.uid;
    return uid === undefined ? undefined : this.world.memory<unknown>('beside').get(uid);
  }

  keep(disks: readonly Disk[], id: string, pod: Pod | undefined, data: unknown, nth: number): void {
    const disk = disks[nth];
    if (disk) disk.data = data;
    else this.beside.set(id, { uid: pod?.metadata.uid, data });
  }

  /** Writes what has changed. */
  flush(): void {
    for (const { asset, data } of this.byAsset.values()) if (data !== untouched) this.write(asset.metadata.name, data);
    for (const { uid, data } of this.beside.values()) if (uid !== undefined) this.world.memory<unknown>('beside').set(uid, data);
  }

  /** The rows of a volume, sealed; as they were where they are the same ones. */
  private stored({ status }: Asset, data: unknown): NonNullable<Asset['status']>['store'] {
    const content = contentIn(this.engineId, data);
    if (content)
      return content === contentIn(this.engineId, status?.engine)
        ? status?.store
        : sealedOver(status?.store, () => rowsIn(this.engineId, data) ?? []);
    // Rows are made when somebody looks; most are written over before that.
    if (status?.store) return sealedOver(status.store, () => rowsIn(this.engineId, data) ?? []);
    const before = rowsIn(this.engineId, status?.engine);
    const rows = rowsIn(this.engineId, data);
    return rows && !(before && same(before, rows)) ? sealedOver(status?.store, () => rows) : status?.store;
  }

  private write(name: string, data: unknown): void {
    const asset = this.world.store.get('Asset', '', name);
    if (!asset || asset.status?.engine === data) return;
    if (this.engineId === 'shared-files') {
      const rows = data as [string, string][];
      if (asset.status?.store?.rows !== rows)
        this.world.put({ ...asset, status: { attachedTo: [], ...asset.status, store: sealedOver(asset.status?.store, () => rows) } });
      return;
    }
    const store = this.stored(asset, data);
    this.world.put({ ...asset, status: { attachedTo: [], ...asset.status, engine: data, ...(store ? { store } : {}) } });
  }
}
