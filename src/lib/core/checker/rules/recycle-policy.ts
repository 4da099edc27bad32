import { rule, change, hit } from '../rule';

export default rule({
  id: 'recycle-policy',
  level: 'warning',
  title: 'The policy Recycle is deprecated',
  why: 'Recycle wiped a volume and handed it on. It is deprecated and no storage driver offers it. Choose Retain or Delete.',
  bad: 'apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: kept}\nspec: {capacity: {storage: 40Gi}, accessModes: [ReadWriteOnce], persistentVolumeReclaimPolicy: Recycle, csi: {driver: block.standin.example, volumeHandle: blk-1}}\n',
  good: 'apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: kept}\nspec: {capacity: {storage: 40Gi}, accessModes: [ReadWriteOnce], persistentVolumeReclaimPolicy: Retain, csi: {driver: block.standin.example, volumeHandle: blk-1}}\n',
  check: ({ written }) => [
    ...written('PersistentVolume').flatMap((on) =>
      on.object.spec.persistentVolumeReclaimPolicy === 'Recycle'
        ? [
            hit(
              on,
              ['spec', 'persistentVolumeReclaimPolicy'],
              'No driver recycles.',
              'Write Retain.',
              change('Write Retain', on, { set: ['spec', 'persistentVolumeReclaimPolicy'], value: 'Retain' })
            )
          ]
        : []
    ),
    ...written('StorageClass').flatMap((on) =>
      on.object.reclaimPolicy === 'Recycle'
        ? [
            hit(
              on,
              ['reclaimPolicy'],
              'No driver recycles.',
              'Write Retain.',
              change('Write Retain', on, { set: ['reclaimPolicy'], value: 'Retain' })
            )
          ]
        : []
    )
  ]
});
