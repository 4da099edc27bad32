import { deployment, join } from '../examples';
import { podPlaces } from '../pods';
import { hit, nearest, change, rule } from '../rule';
import { meeting } from '../shut';
import { priorityOf } from '../../standin';

const high = 'apiVersion: scheduling.k8s.io/v1\nkind: PriorityClass\nmetadata: {name: stores-first}\nvalue: 1000\n';

export default rule({
  id: 'priority-unknown',
  level: 'error',
  title: 'A priority class that is not there',
  why: 'A pod that names a priority class which does not exist is refused as it is made. The workload stands there without pods.',
  absent: ['PriorityClass'],
  bad: join(high, deployment({ spec: 'priorityClassName: store-first' })),
  good: join(high, deployment({ spec: 'priorityClassName: stores-first' })),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path }) => {
      if (!context.target && !context.kinds.includes('PriorityClass')) return [];
      if (!spec.priorityClassName || priorityOf(meeting(context), spec) !== 'unknown') return [];
      const near = nearest(
        spec.priorityClassName,
        context.all('PriorityClass').map((one) => one.metadata.name)
      );
      const at = [...path, 'priorityClassName'];
      return [
        hit(
          on,
          at,
          `There is no PriorityClass ${spec.priorityClassName}.`,
          near ? `Did you mean ${near}?` : 'Send the class too, or leave the field out.',
          near ? change(`Write ${near}`, on, { set: at, value: near }) : undefined
        )
      ];
    })
});
