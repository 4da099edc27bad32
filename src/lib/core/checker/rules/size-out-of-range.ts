import { bytesOf } from '../../shared';
import { backendOf, sizeShortage } from '../../standin';
import { claim } from '../examples';
import { claimPlaces, classFor } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'size-out-of-range',
  level: 'error',
  title: 'The backend hands out no such size',
  why: 'A backend has a least and a most size. Outside it the driver answers OUT_OF_RANGE and the claim stays Pending.',
  against: 'north-quay',
  bad: claim('accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 64Ti}}'),
  good: claim('accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 40Gi}}'),
  check: (context) =>
    claimPlaces(context).flatMap(({ on, spec, path }) => {
      const one = classFor(context, spec);
      const backend = one && context.target && backendOf(context.target, one.provisioner);
      const asked = spec.resources.requests.storage;
      const short = backend && sizeShortage(backend, bytesOf(asked));
      if (!backend || !short || spec.volumeName) return [];
      const field = short.field.slice(5) as 'leastSize' | 'mostSize';
      const better = backend.spec[field];
      return [
        hit(
          on,
          [...path, 'resources', 'requests', 'storage'],
          `${asked}: ${short.message}`,
          `Write ${better}.`,
          change(`Write ${better}`, on, { set: [...path, 'resources', 'requests', 'storage'], value: better })
        )
      ];
    })
});
