import { selectorMatches } from '../../model';
import { join, service, set } from '../examples';
import { labelsIn, podPlaces } from '../pods';
import { rule, change, hit } from '../rule';

const apart = (label: string): string =>
  `affinity: {podAntiAffinity: {requiredDuringSchedulingIgnoredDuringExecution: [{topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: ${label}}}}]}}`;

export default rule({
  id: 'apart-from-nobody',
  level: 'warning',
  title: 'Kept apart from nobody',
  why: 'A rule that keeps pods apart acts on those that its selector means. Where it means nobody, not even their own kind, all members may stand on one node.',
  absent: ['Pod'],
  bad: join(service(), set({ pod: apart('stores') })),
  good: join(service(), set({ pod: apart('store') })),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path, labels, namespace }) =>
      (spec.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? []).flatMap((term, i) => {
        // Whom a term of other namespaces means isn't known from the draft.
        if (term.namespaces?.length || term.namespaceSelector !== undefined || selectorMatches(term.labelSelector, labels)) return [];
        const others = labelsIn(context, namespace);
        if (others.some((one) => selectorMatches(term.labelSelector, one))) return [];
        const at = [...path, 'affinity', 'podAntiAffinity', 'requiredDuringSchedulingIgnoredDuringExecution', i, 'labelSelector'];
        const own =
          on.object.kind === 'Pod' || on.object.kind === 'Job' || on.object.kind === 'CronJob'
            ? undefined
            : on.object.spec.selector.matchLabels;
        return [
          hit(
            on,
            at,
            `No pod of ${namespace} answers to the selector that ${on.object.metadata.name} keeps apart from.`,
            'Select the labels of its own template, or those of whom it should keep apart from.',
            own ? change('Select its own members', on, { set: [...at, 'matchLabels'], value: own }) : undefined
          )
        ];
      })
    )
});
