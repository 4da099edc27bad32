import { join, service, set, storageClass } from '../examples';
import { claimPlaces, classFor } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'class-deletes-data',
  level: 'warning',
  title: 'A set on a class that deletes',
  why: 'Under the reclaim policy Delete (the default), a claim that goes takes volume, asset and data along. For a database take a class that retains.',
  bad: join(
    service(),
    storageClass('volumeBindingMode: WaitForFirstConsumer, reclaimPolicy: Delete, allowVolumeExpansion: true'),
    set({ claim: 'accessModes: [ReadWriteOnce]\nstorageClassName: even\nresources: {requests: {storage: 40Gi}}' })
  ),
  good: join(
    service(),
    storageClass(),
    set({ claim: 'accessModes: [ReadWriteOnce]\nstorageClassName: even\nresources: {requests: {storage: 40Gi}}' })
  ),
  check: (context) =>
    claimPlaces(context).flatMap(({ on, spec, path, set }) => {
      const one = classFor(context, spec);
      if (!set || !one || (one.reclaimPolicy ?? 'Delete') !== 'Delete') return [];
      const better = context.all('StorageClass').find((two) => two.reclaimPolicy === 'Retain' && two.provisioner === one.provisioner);
      return [
        hit(
          on,
          [...path, 'storageClassName'],
          `The class ${one.metadata.name} deletes: with a claim of ${set.metadata.name} goes its data.`,
          better ? `Write ${better.metadata.name}, which retains.` : 'Make a class with reclaimPolicy: Retain.',
          better
            ? change(`Write ${better.metadata.name}`, on, { set: [...path, 'storageClassName'], value: better.metadata.name })
            : undefined
        )
      ];
    })
});
