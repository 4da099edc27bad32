import { claim, join, storageClass } from '../examples';
import { classFor } from '../pods';
import { rule, hit } from '../rule';

const snapshots = (driver: string): string =>
  `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: nightly}\ndriver: ${driver}\ndeletionPolicy: Retain\n---\napiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: last}\nspec: {volumeSnapshotClassName: nightly, source: {persistentVolumeClaimName: ledger}}\n`;
const even = claim('accessModes: [ReadWriteOnce], storageClassName: even, resources: {requests: {storage: 40Gi}}');

export default rule({
  id: 'snapshot-class-other-driver',
  level: 'error',
  title: 'Another driver is asked for the snapshot',
  why: 'A snapshot is made by the driver of its volume. A snapshot class of another driver is asked in vain: the snapshot never becomes ready.',
  bad: join(storageClass(), even, snapshots('files.standin.example')),
  good: join(storageClass(), even, snapshots('block.standin.example')),
  check: (context) =>
    context.written('VolumeSnapshot').flatMap((on) => {
      const space = on.object.metadata.namespace ?? 'default';
      const by = context.find('VolumeSnapshotClass', '', on.object.spec.volumeSnapshotClassName ?? '');
      const of = context.find('PersistentVolumeClaim', space, on.object.spec.source.persistentVolumeClaimName ?? '');
      const driver = of && classFor(context, of.spec)?.provisioner;
      if (!by || driver === undefined || by.driver === driver) return [];
      return [
        hit(
          on,
          ['spec', 'volumeSnapshotClassName'],
          `${by.metadata.name} is of ${by.driver}, the volume of ${of!.metadata.name} of ${driver}.`,
          `Use a snapshot class of ${driver}.`
        )
      ];
    })
});
