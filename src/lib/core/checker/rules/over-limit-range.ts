import { claim, deployment, join } from '../examples';
import { claimPlaces, podPlaces } from '../pods';
import { hit, rule } from '../rule';
import { fieldIn, meeting, podOf } from '../shut';
import { claimLimitShut, limitShut } from '../../standin';

const range =
  'apiVersion: v1\nkind: LimitRange\nmetadata: {name: bounds}\nspec: {limits: [{type: Container, max: {memory: 1Gi}}, {type: PersistentVolumeClaim, max: {storage: 50Gi}}]}\n';

export default rule({
  id: 'over-limit-range',
  level: 'error',
  title: 'More than its namespace allows one object',
  why: 'A limit range bounds what each container, pod and claim of a namespace may ask for. What is out of its bounds is refused when it is made, for members of a set one by one.',
  bad: join(range, deployment({ container: 'resources: {limits: {memory: 2Gi}}' })),
  good: join(range, deployment({ container: 'resources: {limits: {memory: 1Gi}}' }), claim()),
  check: (context) => [
    ...podPlaces(context).flatMap((place) => {
      const shut = limitShut(meeting(context), podOf(context, place));
      return shut ? [hit(place.on, fieldIn(place, shut.field), `${place.on.object.metadata.name}: ${shut.message}.`, shut.remedy)] : [];
    }),
    ...claimPlaces(context).flatMap(({ on, spec, path, name, namespace }) => {
      const shut = claimLimitShut(meeting(context), {
        apiVersion: 'v1',
        kind: 'PersistentVolumeClaim',
        metadata: { name, namespace },
        spec
      });
      return shut ? [hit(on, [...path, 'resources', 'requests', 'storage'], `${shut.message}.`, shut.remedy)] : [];
    })
  ]
});
