import { quantityOf } from '../../shared';
import { imageCard } from '../../standin';
import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, change, hit, listed } from '../rule';

export default rule({
  id: 'no-requests',
  level: 'warning',
  title: 'A container asks for nothing',
  why: 'Pods are placed by what they request. One that requests nothing is put anywhere, and is the first to be ended when memory runs short.',
  bad: pod(),
  good: pod({ container: 'resources: {requests: {cpu: 100m, memory: 256Mi}}' }),
  check: (context) =>
    containerPlaces(context, false).flatMap(({ on, container, at }) => {
      const { requests, limits } = container.resources ?? {};
      const lacks = (['cpu', 'memory'] as const).filter((key) => requests?.[key] === undefined && limits?.[key] === undefined);
      if (!lacks.length) return [];
      const card = imageCard(container.image);
      const memory = card.leastMemoryBytes ? quantityOf(card.leastMemoryBytes * 2) : '256Mi';
      const value = { cpu: '100m', memory, ...requests };
      return [
        hit(
          on,
          [...at, 'name'],
          `${container.name} requests no ${listed(lacks)}.`,
          `Request what it needs, e.g. cpu: 100m, memory: ${memory}.`,
          change(`Request 100m and ${memory}`, on, { set: [...at, 'resources', 'requests'], value })
        )
      ];
    })
});
