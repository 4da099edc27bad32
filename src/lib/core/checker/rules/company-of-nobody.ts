import { deployment, join } from '../examples';
import { selectorMatches, type LabelSelector } from '../../model';
import { labelsIn, podPlaces } from '../pods';
import { hit, rule } from '../rule';

interface Term {
  readonly labelSelector?: LabelSelector;
  readonly namespaces?: readonly string[];
  readonly namespaceSelector?: LabelSelector;
  readonly topologyKey: string;
}
const near = (labels: string): string =>
  `affinity: {podAffinity: {requiredDuringSchedulingIgnoredDuringExecution: [{topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {${labels}}}}]}}`;

export default rule({
  id: 'company-of-nobody',
  level: 'warning',
  title: 'Company that nobody keeps',
  why: 'A pod that has to stand beside others waits until one of them stands. Where no pod answers to the selector, it waits for ever.',
  absent: ['Pod'],
  bad: join(deployment({ spec: near('app: stores') })),
  good: join(deployment({ spec: near('app: desk') })),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path, labels, namespace }) => {
      const affinity = spec.affinity as { podAffinity?: { requiredDuringSchedulingIgnoredDuringExecution?: readonly Term[] } } | undefined;
      return (affinity?.podAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? []).flatMap((one, i) => {
        if (!one.labelSelector || one.namespaceSelector || selectorMatches(one.labelSelector, labels)) return [];
        const spaces = one.namespaces ?? [namespace];
        const all = spaces.flatMap((space) => labelsIn(context, space));
        if (all.some((two) => selectorMatches(one.labelSelector, two))) return [];
        return [
          hit(
            on,
            [...path, 'affinity', 'podAffinity', 'requiredDuringSchedulingIgnoredDuringExecution', i, 'labelSelector'],
            `No pod of ${spaces.join(', ')} answers to the company that ${on.object.metadata.name} asks for.`,
            'Select labels that pods carry, or only wish for it (preferred).'
          )
        ];
      });
    })
});
