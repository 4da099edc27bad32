import { quantityOf } from '../../shared';
import { askOf, roomOf } from '../../model';
import { pod } from '../examples';
import { podPlaces } from '../pods';
import { rule, hit } from '../rule';

export default rule({
  id: 'memory-over-node',
  level: 'error',
  title: 'More memory than any node has',
  why: 'A pod that requests more than the largest node can give is never placed: 0 of 1 ready, and its age counts up. Allocatable is less than the machine has.',
  against: 'south-quay',
  bad: pod({ image: 'shelf.standin.example/engines/image-shelf:r4', container: 'resources: {requests: {cpu: 1, memory: 64Gi}}' }),
  good: pod({ image: 'shelf.standin.example/engines/image-shelf:r4', container: 'resources: {requests: {cpu: 1, memory: 4Gi}}' }),
  check: (context) => {
    const nodes = context.target?.list('Node') ?? [];
    if (!nodes.length) return [];
    const most = nodes.reduce((best, node) => (roomOf(node).memoryBytes > roomOf(best).memoryBytes ? node : best));
    const room = roomOf(most).memoryBytes;
    return podPlaces(context).flatMap(({ on, spec, path }) => {
      const ask = askOf(spec).memoryBytes;
      if (ask <= room) return [];
      return [
        hit(
          on,
          [...path, 'containers', 0, 'resources'],
          `It requests ${quantityOf(ask)}; the largest node, ${most.metadata.name}, gives ${quantityOf(room)}.`,
          'Request less, or bring larger nodes.'
        )
      ];
    });
  }
});
