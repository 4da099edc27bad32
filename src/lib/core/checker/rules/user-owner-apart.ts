import { join, service, set } from '../examples';
import { podPlaces, keepsData } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'user-owner-apart',
  level: 'warning',
  title: 'A fixed user, and a volume that is not theirs',
  why: 'A new volume belongs to root. A program that runs as another user can not write to it, unless the volume is given to its group: fsGroup.',
  bad: join(service(), set({ pod: 'securityContext: {runAsUser: 1000}' })),
  good: join(service(), set({ pod: 'securityContext: {runAsUser: 1000, fsGroup: 1000}' })),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path }) => {
      const own = spec.containers.map((one) => (one.securityContext as { runAsUser?: number } | undefined)?.runAsUser).find((one) => one);
      const user = own ?? spec.securityContext?.runAsUser;
      if (
        !user ||
        spec.securityContext?.fsGroup !== undefined ||
        !keepsData(spec, on.object.kind === 'StatefulSet' ? on.object : undefined)
      )
        return [];
      return [
        hit(
          on,
          spec.securityContext ? [...path, 'securityContext'] : path,
          `It runs as user ${user}; its volume belongs to root.`,
          `Write fsGroup: ${user}.`,
          change(`Write fsGroup: ${user}`, on, { set: [...path, 'securityContext', 'fsGroup'], value: user })
        )
      ];
    })
});
