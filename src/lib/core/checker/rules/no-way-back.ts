import { deployment } from '../examples';
import { change, hit, rule } from '../rule';

export default rule({
  id: 'no-way-back',
  level: 'note',
  title: 'No old revision is kept',
  why: 'Old revisions are what a rollout goes back to. With a history limit of 0 none is kept: what ran an hour ago has to be found elsewhere, while the new one fails.',
  bad: deployment({ top: 'revisionHistoryLimit: 0' }),
  good: deployment({ top: 'revisionHistoryLimit: 3' }),
  check: (context) =>
    context.written('StatefulSet', 'Deployment', 'DaemonSet').flatMap((on) => {
      if ((on.object.spec as { revisionHistoryLimit?: number }).revisionHistoryLimit !== 0) return [];
      const at = ['spec', 'revisionHistoryLimit'];
      return [
        hit(
          on,
          at,
          `${on.object.metadata.name} keeps no old revision.`,
          'Keep a few, or leave the field out.',
          change('Leave it out', on, { drop: at })
        )
      ];
    })
});
