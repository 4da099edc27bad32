import { defaultClassMark } from '../../model';
import { claim } from '../examples';
import { claimPlaces } from '../pods';
import { rule, change, hit, listed } from '../rule';

export default rule({
  id: 'no-default-class',
  level: 'error',
  title: 'The claim names no class, and no class is the default',
  why: 'A claim without a class waits until a class is marked as the default. It says nothing while it waits.',
  against: 'pilot-house',
  absent: ['StorageClass'],
  bad: claim(),
  good: claim('accessModes: [ReadWriteOnce], storageClassName: "", volumeName: kept, resources: {requests: {storage: 40Gi}}'),
  check: (context) => {
    if (!context.target || context.all('StorageClass').some((one) => one.metadata.annotations?.[defaultClassMark] === 'true')) return [];
    const names = context.all('StorageClass').map((one) => one.metadata.name);
    return claimPlaces(context).flatMap(({ on, spec, path }) =>
      spec.storageClassName === undefined && !spec.volumeName
        ? [
            hit(
              on,
              path,
              `The claim names no class, and none is the default; there are ${listed(names)}.`,
              names[0] ? `Write storageClassName: ${names[0]}.` : 'Make a class first.',
              names[0] ? change(`Write ${names[0]}`, on, { set: [...path, 'storageClassName'], value: names[0] }) : undefined
            )
          ]
        : []
    );
  }
});
