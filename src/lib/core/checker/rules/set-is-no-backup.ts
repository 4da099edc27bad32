import type { ApiObject } from '../../model';
import { driverCard } from '../../standin';
import { join, service, set } from '../examples';
import { claimPlaces, classFor } from '../pods';
import { rule, hit } from '../rule';

export default rule({
  id: 'set-is-no-backup',
  level: 'note',
  title: 'Copies are no backup',
  why: 'Replicas carry a deletion or a broken write on at once. A snapshot class that answers to the driver lets you keep moments to go back to.',
  against: 'south-quay',
  absent: ['VolumeSnapshotClass'],
  bad: join(
    service(),
    set({
      spec: 'replicas: 3',
      image: 'shelf.standin.example/engines/image-shelf:r4',
      claim: 'accessModes: [ReadWriteOnce]\nstorageClassName: steady-block\nresources: {requests: {storage: 40Gi}}'
    }),
    'apiVersion: storage.k8s.io/v1\nkind: CSIDriver\nmetadata: {name: block.standin.example}\nspec: {attachRequired: true}\n'
  ),
  good: join(
    service(),
    set({
      spec: 'replicas: 3',
      image: 'shelf.standin.example/engines/image-shelf:r4',
      claim: 'accessModes: [ReadWriteOnce]\nstorageClassName: steady-block\nresources: {requests: {storage: 40Gi}}'
    }),
    'apiVersion: storage.k8s.io/v1\nkind: CSIDriver\nmetadata: {name: block.standin.example}\nspec: {attachRequired: true}\n',
    'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshotClass\nmetadata: {name: moments}\ndriver: block.standin.example\ndeletionPolicy: Retain\n'
  ),
  check: (context) =>
    claimPlaces(context).flatMap(({ on, spec, path, set }) => {
      const one = classFor(context, spec);
      if (!set || !one || !context.target) return [];
      const card = driverCard(one.provisioner);
      if (!card?.snapshots || context.all('VolumeSnapshotClass').some((two) => two.driver === one.provisioner)) return [];
      const made: ApiObject = {
        apiVersion: 'snapshot.storage.k8s.io/v1',
        kind: 'VolumeSnapshotClass',
        metadata: { name: `${card.short}-moments` },
        driver: one.provisioner,
        deletionPolicy: 'Retain'
      };
      return [
        hit(
          on,
          path,
          `No snapshot class answers to ${one.provisioner}, so no moment of ${set.metadata.name} can be kept.`,
          'Send a VolumeSnapshotClass for the driver.',
          { says: 'Add a snapshot class', add: [made] }
        )
      ];
    })
});
