import { selectorMatches } from '../../model';
import { join, service, set } from '../examples';
import { podPlaces } from '../pods';
import { rule, hit, listed } from '../rule';

const budget = (name: string, labels: string): string =>
  `apiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: ${name}}\nspec: {maxUnavailable: 1, selector: {matchLabels: {${labels}}}}\n`;

export default rule({
  id: 'budgets-overlap',
  level: 'error',
  title: 'Two budgets for the same pods',
  why: 'A pod that two budgets mean is let go by neither: asking to send it away is refused, so that its node can never be emptied.',
  bad: join(service(), set(), budget('store', 'app: store'), budget('all', 'app: store')),
  good: join(service(), set(), budget('store', 'app: store')),
  check: (context) =>
    podPlaces(context).flatMap(({ on, labels, namespace }) => {
      const names = context
        .all('PodDisruptionBudget', namespace)
        .filter((one) => selectorMatches(one.spec.selector, labels))
        .map((one) => one.metadata.name);
      return names.length > 1
        ? [
            hit(
              on,
              ['metadata', 'name'],
              `The budgets ${listed(names)} both mean the pods of ${on.object.metadata.name}.`,
              'Keep one of them.'
            )
          ]
        : [];
    })
});
