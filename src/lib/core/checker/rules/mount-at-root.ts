import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, hit } from '../rule';

const mount = (path: string): { spec: string; container: string } => ({
  spec: 'volumes: [{name: a, emptyDir: {}}]',
  container: `volumeMounts: [{name: a, mountPath: ${path}}]`
});

export default rule({
  id: 'mount-at-root',
  level: 'error',
  title: 'A volume mounted over everything',
  why: 'Mounted at "/", a volume hides the whole image: the program, its libraries, its settings. Nothing is there that could be started.',
  bad: pod(mount('/')),
  good: pod(mount('/work')),
  check: (context) =>
    containerPlaces(context).flatMap(({ on, container, at }) =>
      (container.volumeMounts ?? []).flatMap((one, i) =>
        /^\/+$/.test(one.mountPath)
          ? [
              hit(
                on,
                [...at, 'volumeMounts', i, 'mountPath'],
                `${one.name} is mounted over the whole image.`,
                'Mount it at a directory of its own, e.g. /data.'
              )
            ]
          : []
      )
    )
});
