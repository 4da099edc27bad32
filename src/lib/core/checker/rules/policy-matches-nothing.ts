import { deployment, join } from '../examples';
import { selectorMatches } from '../../model';
import { labelsIn } from '../pods';
import { hit, rule } from '../rule';

const policy = (labels: string): string =>
  `apiVersion: networking.k8s.io/v1\nkind: NetworkPolicy\nmetadata: {name: quiet}\nspec: {podSelector: {matchLabels: {${labels}}}, policyTypes: [Ingress]}\n`;

export default rule({
  id: 'policy-matches-nothing',
  level: 'warning',
  title: 'A network policy that chooses nobody',
  why: 'A policy rules the pods that its selector chooses. One that chooses none keeps nobody out: what it was meant to guard stays open.',
  absent: ['Pod'],
  bad: join(deployment(), policy('app: dest')),
  good: join(deployment(), policy('app: desk')),
  check: (context) =>
    context.written('NetworkPolicy').flatMap((on) => {
      const space = on.object.metadata.namespace ?? 'default';
      const selector = on.object.spec?.podSelector;
      const labels = labelsIn(context, space);
      if (!selector || !labels.length || labels.some((one) => selectorMatches(selector, one))) return [];
      return [
        hit(
          on,
          ['spec', 'podSelector'],
          `No pod of ${space} answers to the selector of ${on.object.metadata.name}.`,
          'Select labels that pods carry; {} chooses all of them.'
        )
      ];
    })
});
