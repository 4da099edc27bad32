import { join, service, set } from '../examples';
import { sizeOf, zonesOf, minds } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'no-zone-spread',
  level: 'warning',
  title: 'Nothing spreads the members over the zones',
  why: 'Without a rule all members may stand in one zone, and go with it.',
  against: 'north-quay',
  bad: join(service(), set({ spec: 'replicas: 3', claim: null, image: 'shelf.standin.example/engines/image-shelf:r4' })),
  good: join(
    service(),
    set({
      spec: 'replicas: 3',
      claim: null,
      image: 'shelf.standin.example/engines/image-shelf:r4',
      pod: 'topologySpreadConstraints:\n- {maxSkew: 1, topologyKey: topology.kubernetes.io/zone, whenUnsatisfiable: DoNotSchedule, labelSelector: {matchLabels: {app: store}}}'
    })
  ),
  check: (context) => {
    const zones = zonesOf(context);
    if (zones.length < 2) return [];
    return context.written('StatefulSet').flatMap((on) => {
      const { spec } = on.object.spec.template;
      if (sizeOf(on.object) < 2 || minds(spec)) return [];
      const rule = {
        maxSkew: 1,
        topologyKey: 'topology.kubernetes.io/zone',
        whenUnsatisfiable: 'DoNotSchedule',
        labelSelector: { matchLabels: on.object.spec.selector.matchLabels ?? {} }
      };
      return [
        hit(
          on,
          ['spec', 'template', 'spec'],
          `${sizeOf(on.object)} members may all stand in one of the zones ${zones.join(', ')}.`,
          'Add a topology spread constraint over the zones.',
          change('Spread them over the zones', on, { set: ['spec', 'template', 'spec', 'topologySpreadConstraints'], value: [rule] })
        )
      ];
    });
  }
});
