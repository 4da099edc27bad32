import { storageClass } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'no-provisioner-at-once',
  level: 'warning',
  title: 'Local volumes that are bound before the pod has a place',
  why: 'A class without a provisioner hands out volumes that were made before, mostly local ones. Bound at once, a claim takes any of them, and the pod has to stand where that lies, whether there is room or not.',
  bad: storageClass('reclaimPolicy: Retain, volumeBindingMode: Immediate', 'name: shelf', 'kubernetes.io/no-provisioner'),
  good: storageClass('reclaimPolicy: Retain, volumeBindingMode: WaitForFirstConsumer', 'name: shelf', 'kubernetes.io/no-provisioner'),
  check: ({ written }) =>
    written('StorageClass').flatMap((on) =>
      on.object.provisioner === 'kubernetes.io/no-provisioner' && on.object.volumeBindingMode !== 'WaitForFirstConsumer'
        ? [
            hit(
              on,
              ['volumeBindingMode'],
              `${on.object.metadata.name} binds claims before their pods have a place.`,
              'Write WaitForFirstConsumer.',
              change('Write WaitForFirstConsumer', on, { set: ['volumeBindingMode'], value: 'WaitForFirstConsumer' })
            )
          ]
        : []
    )
});
