import { join, service, set } from '../examples';
import { podPlaces } from '../pods';
import { rule, change, hit, nearest } from '../rule';

const spread = (key: string): string =>
  `topologySpreadConstraints: [{maxSkew: 1, topologyKey: ${key}, whenUnsatisfiable: DoNotSchedule, labelSelector: {matchLabels: {app: store}}}]`;

interface Keyed {
  readonly topologyKey: string;
}

export default rule({
  id: 'topology-key-unknown',
  level: 'error',
  title: 'A topology that no node knows',
  why: 'Pods are spread, kept apart or brought together by a label of nodes. Where no node carries it, a strict spread places nobody, and keeping apart keeps nobody apart.',
  against: 'north-quay',
  absent: ['Node'],
  bad: join(service(), set({ pod: spread('topology.kubernetes.io/zones') })),
  good: join(service(), set({ pod: spread('topology.kubernetes.io/zone') })),
  check: (context) => {
    const nodes = context.target?.list('Node') ?? [];
    const known = new Set(nodes.flatMap((one) => Object.keys(one.metadata.labels ?? {})));
    if (!known.size) return [];
    return podPlaces(context).flatMap(({ on, spec, path }) => {
      const affinity = (spec.affinity ?? {}) as Record<
        string,
        { requiredDuringSchedulingIgnoredDuringExecution?: readonly Keyed[] } | undefined
      >;
      const rules = (spec.topologySpreadConstraints ?? []) as readonly Keyed[];
      const places = [
        ...rules.map((one, i) => ({ one, at: [...path, 'topologySpreadConstraints', i] })),
        ...['podAffinity', 'podAntiAffinity'].flatMap((kind) =>
          (affinity[kind]?.requiredDuringSchedulingIgnoredDuringExecution ?? []).map((one, i) => ({
            one,
            at: [...path, 'affinity', kind, 'requiredDuringSchedulingIgnoredDuringExecution', i]
          }))
        )
      ];
      return places.flatMap(({ one, at }) => {
        if (known.has(one.topologyKey)) return [];
        const near = nearest(one.topologyKey, [...known]);
        return [
          hit(
            on,
            [...at, 'topologyKey'],
            `No node carries the label ${one.topologyKey}.`,
            near ? `Write ${near}.` : 'Use a label that nodes carry, or give it to them.',
            near ? change(`Write ${near}`, on, { set: [...at, 'topologyKey'], value: near }) : undefined
          )
        ];
      });
    });
  }
});
