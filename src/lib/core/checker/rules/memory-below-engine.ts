import { bytesOf, quantityOf } from '../../shared';
import { imageCard } from '../../standin';
import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'memory-below-engine',
  level: 'error',
  title: 'Too little memory for the engine',
  why: 'Below a certain limit an engine is killed as it starts, again and again. The figure is the image card of the stand-in, made up as it is.',
  bad: pod({
    image: 'shelf.standin.example/engines/multi-primary-sql:r4',
    container: 'resources: {requests: {memory: 128Mi}, limits: {memory: 128Mi}}'
  }),
  good: pod({
    image: 'shelf.standin.example/engines/multi-primary-sql:r4',
    container: 'resources: {requests: {memory: 1Gi}, limits: {memory: 1Gi}}'
  }),
  check: (context) =>
    containerPlaces(context, false).flatMap(({ on, container, at }) => {
      const least = imageCard(container.image).leastMemoryBytes;
      const limit = container.resources?.limits?.memory;
      if (least === undefined || limit === undefined || bytesOf(limit) >= least) return [];
      const better = quantityOf(least);
      return [
        hit(
          on,
          [...at, 'resources', 'limits', 'memory'],
          `${container.name} is killed as it starts: it needs ${better} and may take ${limit}.`,
          `Write ${better} or more.`,
          change(`Write ${better}`, on, { set: [...at, 'resources', 'limits', 'memory'], value: better })
        )
      ];
    })
});
