import { CoreError } from '../../../shared';

/** How an object store's members and volumes are laid out, and what that gives. Bytes are of the devices; a file system takes its part of them. */
export interface StoreLayout {
  readonly members: number;
  readonly volumesEach: number;
  readonly volumes: number;
  /** Data and parity shards of every object: one shard to a volume. */
  readonly data: number;
  readonly parity: number;
  readonly rawBytes: number;
  readonly usableBytes: number;
  /** Members, or volumes anywhere, that may be lost while everything can still be read. */
  readonly losableMembers: number;
  readonly losableVolumes: number;
  /** The same while objects can still be written. */
  readonly writableWithoutMembers: number;
  /** Volumes that have to answer. */
  readonly readQuorum: number;
  readonly writeQuorum: number;
}

/** Largest number of shards that an object can be cut into. Source: Reed and Solomon (1960) over a field of 256 elements. */
export const mostVolumes = 255;

/**
 * Every object is cut over all volumes: of n members with d volumes each, p members' worth of shards are parity. Usable is raw times k over
 * k + m; any m of the k + m volumes may be lost. Reading needs k, writing k, or k + 1 when k equals m (common practice).
 * @param members 1 or more; @param volumesEach 1 or more; @param parity members' worth of parity, 0 up to half of the members
 */
export function storeLayout(members: number, volumesEach: number, volumeBytes: number, parity: number): StoreLayout {
  if (members < 1 || volumesEach < 1 || members * volumesEach > mostVolumes)
    throw new CoreError('storeLayout', `between 1 and ${mostVolumes} volumes`, members * volumesEach);
  if (parity < 0 || parity > members / 2) throw new CoreError('storeLayout', 'parity of at most half of the members', parity);
  const volumes = members * volumesEach;
  const m = parity * volumesEach;
  const k = volumes - m;
  const writeQuorum = k === m ? k + 1 : k;
  return {
    members,
    volumesEach,
    volumes,
    data: k,
    parity: m,
    rawBytes: volumes * volumeBytes,
    usableBytes: k * volumeBytes,
    losableMembers: parity,
    losableVolumes: m,
    writableWithoutMembers: Math.floor((volumes - writeQuorum) / volumesEach),
    readQuorum: k,
    writeQuorum
  };
}
