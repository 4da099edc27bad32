import { defaultClassMark } from '../../model';
import { claim } from '../examples';
import { claimPlaces } from '../pods';
import { rule, change, hit, nearest, listed } from '../rule';

export default rule({
  id: 'class-unknown',
  level: 'error',
  title: 'The class does not exist on the target',
  why: 'A claim that names a class which is not there stays Pending, until somebody makes the class. Classes are called differently from cluster to cluster.',
  against: 'north-quay',
  absent: ['StorageClass'],
  bad: claim('accessModes: [ReadWriteOnce], storageClassName: stedy-block, resources: {requests: {storage: 40Gi}}'),
  good: claim('accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 40Gi}}'),
  check: (context) => {
    if (!context.target) return [];
    const names = context.all('StorageClass').map((one) => one.metadata.name);
    const volumes = context.all('PersistentVolume');
    return claimPlaces(context).flatMap(({ on, spec, path }) => {
      const name = spec.storageClassName;
      if (!name || names.includes(name) || volumes.some((one) => one.spec.storageClassName === name)) return [];
      const near =
        nearest(name, names) ??
        context.all('StorageClass').find((one) => one.metadata.annotations?.[defaultClassMark] === 'true')?.metadata.name ??
        names[0];
      return [
        hit(
          on,
          [...path, 'storageClassName'],
          `There is no class "${name}"; there are ${listed(names)}.`,
          near ? `Write ${near}.` : 'Make the class first.',
          near ? change(`Write ${near}`, on, { set: [...path, 'storageClassName'], value: near }) : undefined
        )
      ];
    });
  }
});
