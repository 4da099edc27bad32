import { bytesOf } from '../../../shared';
import type { Asset, Claim, Facts } from '../../../model';
import { snapshotAsset } from './snapshots';

/** Where a new volume's content comes from: nothing, another claim's volume, or a snapshot. */
export type Source = { readonly asset?: Asset; readonly wait?: string; readonly refused?: readonly [code: string, message: string] };

/** Looks up what a claim is to be filled with. Source: the cluster API's "Volume Snapshots" and "CSI Volume Cloning". */
export function sourceOf(facts: Facts, claim: Claim, driver: string): Source {
  const { dataSource, dataSourceRef } = claim.spec;
  if (!dataSource) return dataSourceRef ? { wait: foreign(dataSourceRef) } : {};
  const namespace = claim.metadata.namespace ?? '';
  const found =
    dataSource.kind === 'VolumeSnapshot' ? fromSnapshot(facts, namespace, dataSource.name) : fromClaim(facts, namespace, dataSource);
  const { asset } = found;
  if (!asset) return found;
  if (asset.spec.driver !== driver)
    return { refused: ['INVALID_ARGUMENT', `${dataSource.name} belongs to ${asset.spec.driver}, the class to ${driver}.`] };
  if (bytesOf(claim.spec.resources.requests.storage) < bytesOf(asset.spec.size))
    return { refused: ['OUT_OF_RANGE', `${dataSource.name} has ${asset.spec.size}; ask for that much or more.`] };
  return found;
}

/** What nobody here fills a volume from. Source: the cluster API's "Volume populators and data sources". */
const foreign = ({ kind, name, namespace }: { kind: string; name: string; namespace?: string | undefined }): string =>
  namespace === undefined
    ? `nobody here fills volumes from a ${kind}`
    : `${kind} ${namespace}/${name} lies in another namespace, and nothing is handed over between namespaces`;

function fromSnapshot(facts: Facts, namespace: string, name: string): Source {
  const snapshot = facts.get('VolumeSnapshot', namespace, name);
  if (!snapshot) return { wait: `the snapshot ${namespace}/${name} doesn't exist` };
  if (!snapshot.status?.readyToUse) return { wait: `the snapshot ${namespace}/${name} is not ready to use` };
  const asset = snapshotAsset(facts, snapshot);
  return asset ? { asset } : { refused: ['NOT_FOUND', `The snapshot ${name} is gone from its backend.`] };
}

function fromClaim(facts: Facts, namespace: string, { kind, name }: { kind: string; name: string }): Source {
  if (kind !== 'PersistentVolumeClaim') return { refused: ['INVALID_ARGUMENT', `A volume can't be made from a ${kind}.`] };
  const claim = facts.get('PersistentVolumeClaim', namespace, name);
  if (claim?.status?.phase !== 'Bound') return { wait: `the claim ${namespace}/${name} is missing or not bound` };
  const volume = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '');
  const asset = facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
  return asset ? { asset } : { refused: ['NOT_FOUND', `The volume of ${name} is gone from its backend.`] };
}
