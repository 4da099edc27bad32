import { driverCard, fsTypeOf } from '../../standin';
import { storageClass } from '../examples';
import { rule, change, hit, listed } from '../rule';

export default rule({
  id: 'file-system-unmade',
  level: 'error',
  title: 'The driver makes no such file system',
  why: 'The file system of a class must be one that the driver makes. xfs also needs 300 MiB at the least.',
  bad: storageClass(
    'parameters: {csi.storage.k8s.io/fstype: btrfs}, volumeBindingMode: WaitForFirstConsumer, reclaimPolicy: Retain, allowVolumeExpansion: true'
  ),
  good: storageClass(
    'parameters: {csi.storage.k8s.io/fstype: xfs}, volumeBindingMode: WaitForFirstConsumer, reclaimPolicy: Retain, allowVolumeExpansion: true'
  ),
  check: ({ written }) =>
    written('StorageClass').flatMap((on) => {
      const card = driverCard(on.object.provisioner);
      const asked = fsTypeOf(on.object);
      const path = ['parameters', 'csi.storage.k8s.io/fstype'];
      return !card || card.fsTypes.includes(asked)
        ? []
        : [
            hit(
              on,
              path,
              `${card.driver} makes no ${asked}; it makes ${listed(card.fsTypes)}.`,
              `Write ${card.fsTypes[0]}.`,
              change(`Write ${card.fsTypes[0]}`, on, { set: path, value: card.fsTypes[0] })
            )
          ];
    })
});
