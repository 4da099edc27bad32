import { driverCard } from '../../standin';
import { storageClass } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'class-no-growth',
  level: 'warning',
  title: 'The class does not let claims grow',
  why: 'It is noticed at 95 % full. allowVolumeExpansion is the one field of a class that can be changed later, so there is no reason to leave it out where the driver can grow.',
  bad: storageClass('volumeBindingMode: WaitForFirstConsumer, reclaimPolicy: Retain'),
  good: storageClass(),
  check: ({ written }) =>
    written('StorageClass').flatMap((on) =>
      on.object.allowVolumeExpansion === true ||
      driverCard(on.object.provisioner)?.grows === 'never' ||
      driverCard(on.object.provisioner)?.grows === 'elastic'
        ? []
        : [
            hit(
              on,
              ['provisioner'],
              `Claims of ${on.object.metadata.name} can't grow.`,
              'Write allowVolumeExpansion: true.',
              change('Write allowVolumeExpansion: true', on, { set: ['allowVolumeExpansion'], value: true })
            )
          ]
    )
});
