import { bytesOf } from '../../shared';
import { claim } from '../examples';
import { claimPlaces } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'empty-class',
  level: 'warning',
  title: 'An empty class takes a pre-made volume only',
  why: 'storageClassName: "" is not "the default": such a claim binds only a volume without a class that somebody made by hand. Leave the field out for the default class.',
  absent: ['PersistentVolume'],
  bad: claim('accessModes: [ReadWriteOnce], storageClassName: "", resources: {requests: {storage: 40Gi}}'),
  good: claim(),
  check: (context) =>
    claimPlaces(context).flatMap(({ on, spec, path }) => {
      if (spec.storageClassName !== '' || spec.volumeName) return [];
      const fits = context
        .all('PersistentVolume')
        .some((one) => !one.spec.storageClassName && bytesOf(one.spec.capacity.storage) >= bytesOf(spec.resources.requests.storage));
      return fits
        ? []
        : [
            hit(
              on,
              [...path, 'storageClassName'],
              'No pre-made volume without a class is known that would do.',
              'Leave storageClassName out to use the default class.',
              change('Use the default class', on, { drop: [...path, 'storageClassName'] })
            )
          ];
    })
});
