import { driverCard } from '../../standin';
import { storageClass } from '../examples';
import { rule, change, hit, nearest, listed } from '../rule';

export default rule({
  id: 'parameter-unknown',
  level: 'error',
  title: 'The driver knows no such parameter',
  why: "A class's parameters are its driver's own. One that the driver does not know makes it refuse every claim.",
  bad: storageClass(
    'parameters: {encrypt: "true"}, volumeBindingMode: WaitForFirstConsumer, reclaimPolicy: Retain, allowVolumeExpansion: true'
  ),
  good: storageClass(
    'parameters: {encrypted: "true"}, volumeBindingMode: WaitForFirstConsumer, reclaimPolicy: Retain, allowVolumeExpansion: true'
  ),
  check: ({ written }) =>
    written('StorageClass').flatMap((on) => {
      const card = driverCard(on.object.provisioner);
      if (!card) return [];
      return Object.keys(on.object.parameters ?? {}).flatMap((key) => {
        if (key.startsWith('csi.storage.k8s.io/') || card.parameters.includes(key)) return [];
        const near = nearest(key, card.parameters);
        return [
          hit(
            on,
            ['parameters', key],
            `${card.driver} knows no parameter ${key}; it knows ${card.parameters.length ? listed(card.parameters) : 'none of its own'}.`,
            near ? `Write ${near}.` : 'Leave it out.',
            near
              ? change(`Write ${near}`, on, { rename: ['parameters', key], to: near })
              : change('Leave it out', on, { drop: ['parameters', key] })
          )
        ];
      });
    })
});
