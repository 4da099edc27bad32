import { deployment } from '../examples';
import { imageCard, isKnownImage } from '../../standin';
import { change, hit, rule } from '../rule';

const image = 'shelf.standin.example/engines/multi-primary-sql:r4';

export default rule({
  id: 'deadline-before-ready',
  level: 'warning',
  title: 'A deadline that a healthy rollout misses',
  why: 'A rollout that gets on with nothing for as long as its deadline is reported as failed. Where one pod alone normally takes longer to become ready, every rollout is.',
  bad: deployment({ image, top: 'progressDeadlineSeconds: 30' }),
  good: deployment({ image, top: 'progressDeadlineSeconds: 600' }),
  check: (context) =>
    context.written('Deployment').flatMap((on) => {
      const { progressDeadlineSeconds: deadline, minReadySeconds = 0, template } = on.object.spec;
      if (deadline === undefined) return [];
      const slowest = Math.max(
        0,
        ...template.spec.containers.map(({ image: one }) => (isKnownImage(one) ? imageCard(one).normalMs[1] / 1_000 : 0))
      );
      if (!slowest || deadline > slowest + minReadySeconds) return [];
      const at = ['spec', 'progressDeadlineSeconds'];
      return [
        hit(
          on,
          at,
          `A pod of ${on.object.metadata.name} may take ${slowest + minReadySeconds} s, and the deadline is ${deadline} s.`,
          'Give it several times that.',
          change('Write 600', on, { set: at, value: 600 })
        )
      ];
    })
});
