import { selectorMatches } from '../../model';
import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

const budget = (labels: string): string =>
  `apiVersion: policy/v1\nkind: PodDisruptionBudget\nmetadata: {name: store}\nspec: {maxUnavailable: 1, selector: {matchLabels: {${labels}}}}\n`;

export default rule({
  id: 'budget-matches-nothing',
  level: 'warning',
  title: 'The budget means nobody',
  why: 'A budget whose selector no pod answers to holds nobody back: all members of what it was meant for may be sent away at once.',
  absent: ['Pod'],
  bad: join(service(), set(), budget('app: stores')),
  good: join(service(), set(), budget('app: store')),
  check: (context) =>
    context.written('PodDisruptionBudget').flatMap((on) => {
      const space = on.object.metadata.namespace ?? 'default';
      const { selector } = on.object.spec;
      const makers = [...context.all('StatefulSet', space), ...context.all('Deployment', space)];
      if (!makers.length && !context.target) return [];
      if (
        makers.some((one) => selectorMatches(selector, one.spec.template.metadata?.labels)) ||
        context.all('Pod', space).some((one) => selectorMatches(selector, one.metadata.labels))
      )
        return [];
      const own = makers.find((one) => one.metadata.name === on.object.metadata.name) ?? (makers.length === 1 ? makers[0] : undefined);
      return [
        hit(
          on,
          ['spec', 'selector'],
          `No pod of ${space} answers to the selector of ${on.object.metadata.name}.`,
          own ? `Select the pods of ${own.metadata.name}.` : 'Select labels that pods carry.',
          own
            ? change(`Select ${own.metadata.name}`, on, {
                set: ['spec', 'selector', 'matchLabels'],
                value: own.spec.selector.matchLabels ?? {}
              })
            : undefined
        )
      ];
    })
});
