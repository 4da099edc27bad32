import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, hit } from '../rule';

export default rule({
  id: 'mount-path-twice',
  level: 'error',
  title: 'Two mounts at one path',
  why: 'A container can have one mount at a path. The cluster refuses the second.',
  bad: pod({
    spec: 'volumes: [{name: a, emptyDir: {}}, {name: b, emptyDir: {}}]',
    container: 'volumeMounts: [{name: a, mountPath: /work}, {name: b, mountPath: /work}]'
  }),
  good: pod({
    spec: 'volumes: [{name: a, emptyDir: {}}, {name: b, emptyDir: {}}]',
    container: 'volumeMounts: [{name: a, mountPath: /work}, {name: b, mountPath: /spare}]'
  }),
  check: (context) =>
    containerPlaces(context).flatMap(({ on, container, at }) =>
      (container.volumeMounts ?? []).flatMap((one, i, list) =>
        list.findIndex((two) => two.mountPath === one.mountPath) === i
          ? []
          : [
              hit(
                on,
                [...at, 'volumeMounts', i, 'mountPath'],
                `${one.mountPath} is taken by the mount "${list.find((two) => two.mountPath === one.mountPath)!.name}".`,
                'Give it a path of its own.'
              )
            ]
      )
    )
});
