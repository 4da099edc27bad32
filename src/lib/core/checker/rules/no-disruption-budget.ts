import { selectorMatches, type ApiObject } from '../../model';
import { join, service, set } from '../examples';
import { sizeOf } from '../pods';
import { rule, hit } from '../rule';

export default rule({
  id: 'no-disruption-budget',
  level: 'note',
  title: 'No disruption budget',
  why: 'Whoever empties nodes, for an upgrade say, may take several members at once unless a budget says how many may be away.',
  absent: ['PodDisruptionBudget'],
  bad: join(service(), set({ spec: 'replicas: 3' })),
  good: join(
    service(),
    set({ spec: 'replicas: 3' }),
    'apiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: store}\nspec: {maxUnavailable: 1, selector: {matchLabels: {app: store}}}\n'
  ),
  check: ({ written, all }) =>
    written('StatefulSet').flatMap((on) => {
      const space = on.object.metadata.namespace ?? 'default';
      const labels = on.object.spec.template.metadata?.labels;
      if (sizeOf(on.object) < 2 || all('PodDisruptionBudget', space).some((one) => selectorMatches(one.spec.selector, labels))) return [];
      const made: ApiObject = {
        apiVersion: 'policy/v1',
        kind: 'PodDisruptionBudget',
        metadata: { name: on.object.metadata.name, namespace: space },
        spec: { maxUnavailable: 1, selector: on.object.spec.selector }
      };
      return [
        hit(
          on,
          ['spec', 'replicas'],
          `No budget says how many of the ${sizeOf(on.object)} members may be away at once.`,
          'Send a PodDisruptionBudget that allows one.',
          { says: 'Add a budget of one', add: [made] }
        )
      ];
    })
});
