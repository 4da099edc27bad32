import { join, service, set } from '../examples';
import { change, hit, rule } from '../rule';

export default rule({
  id: 'bears-lost-nodes',
  level: 'warning',
  title: 'Members that stay on a lost node for ever',
  why: 'A node that is no longer heard of gets a taint, and its pods go after five minutes so that others take their place. Who tolerates everything without a time never goes: the member stays lost until somebody takes it away by hand.',
  bad: join(service(), set({ pod: 'tolerations: [{operator: Exists}]' })),
  good: join(service(), set({ pod: 'tolerations: [{key: stores, operator: Exists, effect: NoSchedule}]' })),
  check: (context) =>
    context.written('StatefulSet', 'Deployment').flatMap((on) => {
      const { tolerations = [] } = on.object.spec.template.spec;
      return tolerations.flatMap((one, i) => {
        const all = one.key === undefined || one.key === '' || one.key === 'node.kubernetes.io/unreachable';
        if (
          !all ||
          one.operator !== 'Exists' ||
          (one.effect !== undefined && one.effect !== 'NoExecute') ||
          one.tolerationSeconds !== undefined
        )
          return [];
        const at = ['spec', 'template', 'spec', 'tolerations', i];
        return [
          hit(
            on,
            at,
            `Pods of ${on.object.metadata.name} tolerate a lost node for ever.`,
            'Name the taint that is meant, or how long it is borne (tolerationSeconds).',
            one.effect === 'NoExecute'
              ? change('Bear it for 300 s', on, { set: [...at, 'tolerationSeconds'], value: 300 })
              : change('Bear it only when placing', on, { set: [...at, 'effect'], value: 'NoSchedule' })
          )
        ];
      });
    })
});
