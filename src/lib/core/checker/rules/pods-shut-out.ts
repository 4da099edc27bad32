import { deployment, join } from '../examples';
import { podPlaces } from '../pods';
import { hit, rule } from '../rule';
import { fieldIn, meeting, podOf } from '../shut';
import { securityShut } from '../../standin';

const space = (level: string): string =>
  `apiVersion: v1\nkind: Namespace\nmetadata: {name: default, labels: {pod-security.kubernetes.io/enforce: ${level}}}\n`;

export default rule({
  id: 'pods-shut-out',
  level: 'error',
  title: 'Pods that their namespace does not let in',
  why: 'A namespace may say how much its pods may do. The workload is taken, and each of its pods is refused as it is made: the set stands there with no member, and only its events say why.',
  bad: join(space('baseline'), deployment({ spec: 'hostNetwork: true' })),
  good: join(space('baseline'), deployment()),
  check: (context) =>
    podPlaces(context).flatMap((place) => {
      // What is sent as a pod is refused at once; the reader says so.
      const shut = securityShut(meeting(context), podOf(context, place));
      return shut ? [hit(place.on, fieldIn(place, shut.field), `${place.on.object.metadata.name}: ${shut.message}.`, shut.remedy)] : [];
    })
});
