import { heldBack } from '../../standin';
import { pod } from '../examples';
import { podPlaces } from '../pods';
import { change, hit, rule } from '../rule';

export default rule({
  id: 'held-back',
  level: 'warning',
  title: 'Pods that nobody looks for a place for',
  why: 'Gates hold a pod until somebody takes them out, and a scheduler of another name has to be there: until then it is Pending without a word about nodes.',
  against: 'south-quay',
  bad: pod({ spec: 'schedulerName: own-scheduler' }),
  good: pod({ spec: 'schedulerName: default-scheduler' }),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path }) => {
      const held = spec.nodeName ? undefined : heldBack({ apiVersion: 'v1', kind: 'Pod', metadata: { name: '' }, spec });
      // Which schedulers a real cluster has isn't told.
      if (!held || (held.reason === 'Unschedulable' && !context.target?.knowsProvider)) return [];
      const field = held.reason === 'Unschedulable' ? 'schedulerName' : 'schedulingGates';
      return [
        hit(
          on,
          [...path, field],
          `${on.object.metadata.name}: ${held.says}.`,
          held.remedy,
          field === 'schedulerName' ? change('Leave it out', on, { drop: [...path, field] }) : undefined
        )
      ];
    })
});
