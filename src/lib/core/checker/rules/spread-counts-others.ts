import { set, join, service } from '../examples';
import { selectorMatches, type LabelSelector } from '../../model';
import { podPlaces } from '../pods';
import { change, hit, rule } from '../rule';

const spread = (labels: string): string =>
  `topologySpreadConstraints: [{maxSkew: 1, topologyKey: topology.kubernetes.io/zone, whenUnsatisfiable: DoNotSchedule, labelSelector: {matchLabels: {${labels}}}}]`;

export default rule({
  id: 'spread-counts-others',
  level: 'warning',
  title: 'A spread that does not count its own pods',
  why: 'A spread constraint counts the pods that its selector chooses. Where the pod itself is not among them, others are spread out, and all members may still stand in one zone.',
  bad: join(service(), set({ pod: spread('app: stores') })),
  good: join(service(), set({ pod: spread('app: store') })),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path, labels }) =>
      ((spec.topologySpreadConstraints ?? []) as { labelSelector?: LabelSelector; topologyKey: string }[]).flatMap((one, i) => {
        if (!one.labelSelector || selectorMatches(one.labelSelector, labels)) return [];
        const at = [...path, 'topologySpreadConstraints', i, 'labelSelector'];
        return [
          hit(
            on,
            at,
            `The spread over ${one.topologyKey} counts pods that ${on.object.metadata.name} isn't one of.`,
            'Select the labels of the pods themselves.',
            labels ? change('Select its own labels', on, { set: at, value: { matchLabels: labels } }) : undefined
          )
        ];
      })
    )
});
