import { bytesOf, plainText } from '../../shared';
import { claim } from '../examples';
import { containerPlaces, claimPlaces } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'size-decimal',
  level: 'warning',
  title: 'A size with a decimal suffix',
  why: '100G is 100,000,000,000 bytes, 100Gi is 107,374,182,400: 7.37 % more. Nearly always Gi was meant, and nearly always it is noticed when the volume is full.',
  bad: claim('accessModes: [ReadWriteOnce], resources: {requests: {storage: 100G}}'),
  good: claim('accessModes: [ReadWriteOnce], resources: {requests: {storage: 100Gi}}'),
  check: (context) => {
    const places = [
      ...claimPlaces(context).map(({ on, spec, path }) => ({
        on,
        value: spec.resources.requests.storage,
        path: [...path, 'resources', 'requests', 'storage']
      })),
      ...context
        .written('PersistentVolume')
        .map((on) => ({ on, value: on.object.spec.capacity.storage, path: ['spec', 'capacity', 'storage'] })),
      ...containerPlaces(context).flatMap(({ on, container, at }) =>
        (['requests', 'limits'] as const).flatMap((key) => {
          const value = container.resources?.[key]?.memory;
          return value === undefined ? [] : [{ on, value, path: [...at, 'resources', key, 'memory'] }];
        })
      )
    ];
    return places.flatMap(({ on, value, path }) => {
      const found = /^(\d+(?:\.\d+)?)([kMGTPE])$/.exec(plainText(value));
      if (!found) return [];
      const better = `${found[1]}${found[2] === 'k' ? 'K' : found[2]}i`;
      const less = Math.round((1 - bytesOf(value) / bytesOf(better)) * 1000) / 10;
      return [
        hit(
          on,
          path,
          `${value} is ${less} % less than ${better}.`,
          `Write ${better}, unless you mean powers of ten.`,
          change(`Write ${better}`, on, { set: path, value: better })
        )
      ];
    });
  }
});
