import { deployment } from '../examples';
import { podPlaces } from '../pods';
import { rule, hit } from '../rule';

const dataPath = /(^|\/)(data|db|lib|store|storage|registry|pgdata|log)(\/|$)/i;

export default rule({
  id: 'data-ephemeral',
  level: 'warning',
  title: 'Data in an ephemeral directory',
  why: 'An ephemeral directory lives and dies with its pod. A program that keeps data there loses it at every rollout, and when its node goes. The draft offers the move to a claim.',
  bad: deployment({
    spec: 'volumes: [{name: store, emptyDir: {}}]',
    container: 'volumeMounts: [{name: store, mountPath: /var/lib/registry}]'
  }),
  good: deployment({
    top: 'strategy: {type: Recreate}',
    spec: 'volumes: [{name: store, persistentVolumeClaim: {claimName: registry}}]',
    container: 'volumeMounts: [{name: store, mountPath: /var/lib/registry}]'
  }),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path }) =>
      on.object.kind === 'DaemonSet' || on.object.kind === 'Job'
        ? []
        : (spec.volumes ?? []).flatMap((one, i) => {
            const mount =
              one.emptyDir &&
              spec.containers.flatMap((two) => two.volumeMounts ?? []).find((two) => two.name === one.name && dataPath.test(two.mountPath));
            return mount
              ? [
                  hit(
                    on,
                    [...path, 'volumes', i],
                    `${mount.mountPath} is an ephemeral directory: what lies there is lost with the pod.`,
                    'Move it to a claim.'
                  )
                ]
              : [];
          })
    )
});
