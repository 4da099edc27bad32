import { join, service, set } from '../examples';
import { podPlaces, keepsData } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'grace-too-short',
  level: 'warning',
  title: 'Too little time to end in',
  threshold: { usual: 30, unit: 's', range: [1, 3_600] },
  why: 'A store that is killed before it has written out starts with a recovery, or with less than it had. 30 s is the default; a store is better given a minute. (Common practice, no source.)',
  bad: join(service(), set({ pod: 'terminationGracePeriodSeconds: 5' })),
  good: join(service(), set({ pod: 'terminationGracePeriodSeconds: 60' })),
  check: (context, bound) =>
    podPlaces(context).flatMap(({ on, spec, path }) => {
      const seconds = spec.terminationGracePeriodSeconds;
      if (seconds === undefined || seconds >= bound || !keepsData(spec, on.object.kind === 'StatefulSet' ? on.object : undefined))
        return [];
      return [
        hit(
          on,
          [...path, 'terminationGracePeriodSeconds'],
          `${seconds} s to end in, with data on a volume.`,
          `Write ${Math.max(60, bound)}.`,
          change(`Write ${Math.max(60, bound)}`, on, { set: [...path, 'terminationGracePeriodSeconds'], value: Math.max(60, bound) })
        )
      ];
    })
});
