import { driverCard } from '../../standin';
import { storageClass } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'binds-at-once-zonal',
  level: 'warning',
  title: 'Zonal volumes bound before the pod is placed',
  why: 'With binding mode Immediate (the default) the volume is made in a zone that the driver picks. The pod must then stand in that zone, whether there is room or not. WaitForFirstConsumer makes it where the pod is.',
  bad: storageClass('reclaimPolicy: Retain, allowVolumeExpansion: true'),
  good: storageClass(),
  check: ({ written }) =>
    written('StorageClass').flatMap((on) => {
      const card = driverCard(on.object.provisioner);
      if (!card || card.topologyKey === '' || on.object.volumeBindingMode === 'WaitForFirstConsumer') return [];
      return [
        hit(
          on,
          ['provisioner'],
          `${on.object.metadata.name} makes its volumes before their pods are placed, and they can't leave their ${card.topologyKey.endsWith('zone') ? 'zone' : 'node'}.`,
          'Write volumeBindingMode: WaitForFirstConsumer.',
          change('Write WaitForFirstConsumer', on, { set: ['volumeBindingMode'], value: 'WaitForFirstConsumer' })
        )
      ];
    })
});
