import { pod } from '../examples';
import { deadPort, listensAt } from '../../standin';
import { containerPlaces } from '../pods';
import { change, hit, rule } from '../rule';

const image = 'shelf.standin.example/engines/multi-primary-sql:r4';

export default rule({
  id: 'probe-unheard',
  level: 'error',
  title: 'A probe at a port where nobody listens',
  why: 'A readiness probe that nobody answers keeps the member out of its service for ever; a liveness probe ends its program again and again.',
  bad: pod({ image, container: 'readinessProbe: {tcpSocket: {port: 7101}}' }),
  good: pod({ image, container: 'readinessProbe: {tcpSocket: {port: 7110}}' }),
  check: (context) =>
    containerPlaces(context, false).flatMap(({ on, container, at }) => {
      const listens = listensAt(container);
      if (!listens?.length) return [];
      return (['readinessProbe', 'livenessProbe', 'startupProbe'] as const).flatMap((field) => {
        const asked = deadPort(container, container[field]);
        if (asked === undefined) return [];
        const how = container[field]?.tcpSocket ? 'tcpSocket' : 'httpGet';
        const path = [...at, field, how, 'port'];
        return [
          hit(
            on,
            path,
            `${container.name} listens at ${listens.join(', ')}, and its ${field} asks at ${asked}.`,
            `Ask at ${listens[0]}.`,
            change(`Ask at ${listens[0]}`, on, { set: path, value: listens[0]! })
          )
        ];
      });
    })
});
