import { bytesOf, milliCpuOf } from '../../shared';
import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'limit-below-request',
  level: 'error',
  title: 'The limit is below the request',
  why: 'A container may not be promised more than it may take. The cluster refuses the pod.',
  bad: pod({ container: 'resources: {requests: {memory: 2Gi}, limits: {memory: 1Gi}}' }),
  good: pod({ container: 'resources: {requests: {memory: 1Gi}, limits: {memory: 2Gi}}' }),
  check: (context) =>
    containerPlaces(context).flatMap(({ on, container, at }) => {
      const { requests = {}, limits = {} } = container.resources ?? {};
      return Object.keys(limits).flatMap((key) => {
        const of = key === 'cpu' ? milliCpuOf : bytesOf;
        const [least, most] = [requests[key], limits[key]!];
        if (least === undefined || of(most) >= of(least)) return [];
        return [
          hit(
            on,
            [...at, 'resources', 'limits', key],
            `${key}: the limit ${most} is below the request ${least}.`,
            `Write ${least}.`,
            change(`Write ${least}`, on, { set: [...at, 'resources', 'limits', key], value: least })
          )
        ];
      });
    })
});
