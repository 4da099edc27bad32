import { join, service, set } from '../examples';
import { sizeOf, zonesOf } from '../pods';
import { rule, hit } from '../rule';

export default rule({
  id: 'two-zones-only',
  level: 'note',
  title: 'Two zones cannot outlive the loss of either',
  why: 'With one majority and two zones, the zone that holds the majority takes it along. A third place is needed for the last member.',
  against: 'south-quay',
  bad: join(
    service(),
    set({
      meta: 'name: store, labels: {standin.example/blueprint: multi-primary-sql}',
      spec: 'replicas: 3',
      claim: null,
      image: 'shelf.standin.example/engines/image-shelf:r4'
    })
  ),
  good: join(service(), set({ spec: 'replicas: 1', claim: null, image: 'shelf.standin.example/engines/image-shelf:r4' })),
  check: (context) => {
    const zones = zonesOf(context);
    if (zones.length !== 2) return [];
    return context
      .written('StatefulSet')
      .filter((on) => sizeOf(on.object) >= 3 && on.object.metadata.labels?.['standin.example/blueprint'])
      .map((on) =>
        hit(
          on,
          ['spec', 'replicas'],
          `${sizeOf(on.object)} members over the zones ${zones.join(' and ')}: the zone with ${Math.ceil(sizeOf(on.object) / 2)} of them takes the majority along.`,
          'Put one member into a third zone, or accept that one zone matters more.'
        )
      );
  }
});
