import { join } from '../examples';
import { change, hit, rule } from '../rule';

const high = (name: string, value: number, usual: boolean): string =>
  `apiVersion: scheduling.k8s.io/v1\nkind: PriorityClass\nmetadata: {name: ${name}}\nvalue: ${value}\nglobalDefault: ${usual}\n`;

export default rule({
  id: 'two-usual-priorities',
  level: 'warning',
  title: 'Two priority classes for everybody',
  why: 'One class may be the default for pods that name none. Of two the one with the lower value counts, and who reads the other one is misled.',
  bad: join(high('plain', 10, true), high('stores', 1_000, true)),
  good: join(high('plain', 10, true), high('stores', 1_000, false)),
  check: (context) => {
    const usual = context.all('PriorityClass').filter((one) => one.globalDefault);
    if (usual.length < 2) return [];
    const lowest = [...usual].sort((a, b) => a.value - b.value)[0]!;
    return context
      .written('PriorityClass')
      .flatMap((on) =>
        on.object.globalDefault && on.object.metadata.name !== lowest.metadata.name
          ? [
              hit(
                on,
                ['globalDefault'],
                `${on.object.metadata.name} and ${lowest.metadata.name} are both the default; ${lowest.metadata.name} counts.`,
                'Let one of them be it.',
                change('Leave it out here', on, { drop: ['globalDefault'] })
              )
            ]
          : []
      );
  }
});
