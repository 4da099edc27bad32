import { join, service, set } from '../examples';
import { containerPlaces } from '../pods';
import { rule, hit } from '../rule';

export default rule({
  id: 'privileged',
  level: 'warning',
  title: 'Privileged, where a file-system group would do',
  why: 'A fixed user inside the image and a volume owned by somebody else is often "solved" by running privileged, which hands the container the whole node. A run-as user and a file-system group hand it the volume alone. Only an agent that mounts for the node needs privileges.',
  bad: join(service(), set({ container: 'securityContext: {privileged: true}' })),
  good: join(service(), set({ pod: 'securityContext: {runAsUser: 1000, fsGroup: 1000}' })),
  check: (context) =>
    containerPlaces(context).flatMap(({ on, container, at, path, spec }) => {
      const mounts = container.volumeMounts?.some((one) => (one as { mountPropagation?: string }).mountPropagation === 'Bidirectional');
      const security = container.securityContext as { privileged?: boolean; runAsUser?: number } | undefined;
      if (security?.privileged !== true || mounts || on.object.kind === 'DaemonSet') return [];
      const user = spec.securityContext?.runAsUser ?? security.runAsUser ?? 1000;
      return [
        hit(
          on,
          [...at, 'securityContext', 'privileged'],
          `${container.name} runs with all powers of its node.`,
          `Run as a user and give the volume to its group: runAsUser: ${user}, fsGroup: ${user}.`,
          {
            says: `Use fsGroup ${user} instead`,
            wishes: [
              { on, wish: { drop: [...at, 'securityContext', 'privileged'] } },
              { on, wish: { set: [...path, 'securityContext'], value: { runAsUser: user, ...spec.securityContext, fsGroup: user } } }
            ]
          }
        )
      ];
    })
});
