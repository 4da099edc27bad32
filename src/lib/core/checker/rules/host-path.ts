import { pod } from '../examples';
import { podPlaces } from '../pods';
import { rule, hit } from '../rule';

export default rule({
  id: 'host-path',
  level: 'warning',
  title: "A path of the node's own disk",
  why: 'What lies there stays on that node: a member that moves finds it empty, and the pod can reach what is not its own. Take a claim.',
  bad: pod({ spec: 'volumes: [{name: data, hostPath: {path: /srv/data}}]', container: 'volumeMounts: [{name: data, mountPath: /data}]' }),
  good: pod({
    spec: 'volumes: [{name: data, persistentVolumeClaim: {claimName: ledger}}]',
    container: 'volumeMounts: [{name: data, mountPath: /data}]'
  }),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path }) =>
      on.object.kind === 'DaemonSet'
        ? []
        : (spec.volumes ?? []).flatMap((one, i) =>
            one.hostPath
              ? [
                  hit(
                    on,
                    [...path, 'volumes', i, 'hostPath'],
                    `"${one.name}" is ${one.hostPath.path} of whatever node the pod is on.`,
                    'Use a claim.'
                  )
                ]
              : []
          )
    )
});
