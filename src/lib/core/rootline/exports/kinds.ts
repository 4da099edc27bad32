import { waitsForConsumer, type Claim, type Facts, type StorageClass, type Volume } from '../../model';
import type { ClaimPlace } from '../types';

/** What a volume is to the node that mounts it. */
export interface VolumeSort {
  /** `csi`, or the field that says where it lies: `nfs`, `local`, `hostPath`, ... */
  readonly sort: string;
  /** The CSI driver that serves it, if one does; of in-tree volumes that were handed over to a driver, that one. */
  readonly driver: string | undefined;
  /** Where it lies, in words, e.g. `10.0.0.4:/srv/data`. */
  readonly place: string;
}

/** Fields of a volume's spec that are no source. */
const noSource = new Set([
  'capacity',
  'accessModes',
  'storageClassName',
  'persistentVolumeReclaimPolicy',
  'volumeMode',
  'claimRef',
  'nodeAffinity',
  'mountOptions',
  'volumeAttributesClassName'
]);
const migrated = 'pv.kubernetes.io/migrated-to';
const provisioners = ['volume.kubernetes.io/storage-provisioner', 'volume.beta.kubernetes.io/storage-provisioner'];
/** The provisioner of classes whose volumes people make (storage.k8s.io, published). */
export const noProvisioner = 'kubernetes.io/no-provisioner';
/** The annotation that named a claim's class before there was a field for it (published). */
export const oldClassMark = 'volume.beta.kubernetes.io/storage-class';

/** What a volume is made of, by the source that its spec names. */
export function sortOf(volume: Volume): VolumeSort {
  const { csi } = volume.spec;
  if (csi) return { sort: 'csi', driver: csi.driver, place: csi.volumeHandle };
  const [sort = 'unknown'] = Object.keys(volume.spec).filter((one) => !noSource.has(one));
  const source = (volume.spec as Record<string, unknown>)[sort] as Record<string, unknown> | undefined;
  const { server, path } = source ?? {};
  return {
    sort,
    driver: volume.metadata.annotations?.[migrated],
    place: [server, path].filter((one) => typeof one === 'string').join(':') || sort
  };
}

/** The volume of a claim, also where only the claim names it. */
export const volumeOf = (facts: Facts, place: ClaimPlace): Volume | undefined =>
  place.volume ?? (place.claim?.spec.volumeName ? facts.get('PersistentVolume', '', place.claim.spec.volumeName) : undefined);

/** Name of the class that a claim goes by; '' for none, undefined where it names none. */
export const classNameOf = ({ claim, spec }: ClaimPlace): string | undefined =>
  spec?.storageClassName ?? claim?.metadata.annotations?.[oldClassMark];

const told = (claim: Claim | undefined): string | undefined =>
  provisioners.map((one) => claim?.metadata.annotations?.[one]).find((one) => one !== undefined);

/** The driver that serves a claim, or that would make its volume; undefined where none does, or none can be told. */
export function driverIn(facts: Facts, place: ClaimPlace, one: StorageClass | undefined): string | undefined {
  const volume = volumeOf(facts, place);
  if (volume) return sortOf(volume).driver;
  const driver = one?.provisioner ?? told(place.claim);
  return driver === noProvisioner ? undefined : driver;
}

/** Whether no driver makes volumes for the claim: only one that was made by hand will do. */
export const byHand = (place: ClaimPlace, one: StorageClass | undefined): boolean =>
  one?.provisioner === noProvisioner || classNameOf(place) === '';

/** Whether the claim is to wait for a member before its volume is made. */
export const waitsForMember = (one: StorageClass | undefined): boolean => waitsForConsumer(one);
