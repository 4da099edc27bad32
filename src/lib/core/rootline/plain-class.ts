import type { Claim, Facts, StorageClass } from '../model';
import { driverCard, fitDisks, poolDriver } from '../standin';

/** A class that draws from a driver and leaves everything else as the driver does it best. */
export function plainClass(name: string, driver: string, more: Partial<StorageClass> = {}): StorageClass {
  const card = driverCard(driver);
  return {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name },
    provisioner: driver,
    ...(card?.fsTypes.includes('ext4') ? { parameters: { 'csi.storage.k8s.io/fstype': 'ext4' } } : {}),
    reclaimPolicy: 'Delete',
    volumeBindingMode: card?.attach || card?.topologyKey ? 'WaitForFirstConsumer' : 'Immediate',
    ...(card?.grows === 'online' ? { allowVolumeExpansion: true } : {}),
    ...more
  };
}

/**
 * The driver that a claim's volumes could come from here: one that is installed, else one with a backend of the place, else a pool of the
 * nodes' own disks where they have fit ones. Undefined where nothing fits.
 */
export function driverFor(facts: Facts, spec: Claim['spec']): string | undefined {
  const fits = (driver: string) => spec.accessModes.every((mode) => driverCard(driver)?.modes.includes(mode) ?? true);
  return [
    ...facts.list('CSIDriver').map((one) => one.metadata.name),
    ...facts.list('Backend').map((one) => one.spec.driver),
    ...(fitDisks(facts.list('Disk')).size ? [poolDriver] : [])
  ].find(fits);
}
