import { join, claim, storageClass } from '../examples';
import { claimPlaces } from '../pods';
import { rule, hit } from '../rule';

export default rule({
  id: 'read-only-without-source',
  level: 'warning',
  title: 'Read-only, and nothing to read',
  why: 'A claim that can only be read needs something to be filled from: a snapshot, another claim, or a pre-made volume. A new volume is empty and stays so.',
  bad: join(
    storageClass(undefined, 'name: even', 'files.standin.example'),
    claim('accessModes: [ReadOnlyMany], storageClassName: even, resources: {requests: {storage: 40Gi}}')
  ),
  good: join(
    storageClass(undefined, 'name: even', 'files.standin.example'),
    claim('accessModes: [ReadWriteMany], storageClassName: even, resources: {requests: {storage: 40Gi}}')
  ),
  check: (context) =>
    claimPlaces(context).flatMap(({ on, spec, path }) =>
      spec.accessModes.every((mode) => mode === 'ReadOnlyMany') &&
      !spec.dataSource &&
      !spec.volumeName &&
      !spec.selector &&
      spec.storageClassName !== ''
        ? [
            hit(
              on,
              [...path, 'accessModes'],
              'The new volume is empty, and nobody may write to it.',
              'Name a snapshot or a claim as its dataSource, or let somebody write.'
            )
          ]
        : []
    )
});
