import { askOf, roomOf } from '../../model';
import { pod } from '../examples';
import { podPlaces } from '../pods';
import { rule, hit } from '../rule';

export default rule({
  id: 'cpu-over-node',
  level: 'error',
  title: 'More CPU than any node has',
  why: 'A pod that requests more CPU than the largest node can give is never placed.',
  against: 'south-quay',
  bad: pod({ image: 'shelf.standin.example/engines/image-shelf:r4', container: 'resources: {requests: {cpu: 16, memory: 1Gi}}' }),
  good: pod({ image: 'shelf.standin.example/engines/image-shelf:r4', container: 'resources: {requests: {cpu: 500m, memory: 1Gi}}' }),
  check: (context) => {
    const nodes = context.target?.list('Node') ?? [];
    if (!nodes.length) return [];
    const most = nodes.reduce((best, node) => (roomOf(node).milliCpu > roomOf(best).milliCpu ? node : best));
    return podPlaces(context).flatMap(({ on, spec, path }) => {
      const ask = askOf(spec).milliCpu;
      const room = roomOf(most).milliCpu;
      if (ask <= room) return [];
      return [
        hit(
          on,
          [...path, 'containers', 0, 'resources'],
          `It requests ${ask / 1000} CPU; the largest node, ${most.metadata.name}, gives ${room / 1000}.`,
          'Request less, or bring larger nodes.'
        )
      ];
    });
  }
});
