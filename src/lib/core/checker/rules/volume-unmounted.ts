import { pod } from '../examples';
import { podPlaces } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'volume-unmounted',
  level: 'note',
  title: 'A volume that no container mounts',
  why: 'The pod waits for the volume before it starts, though nobody uses it.',
  bad: pod({ spec: 'volumes: [{name: scratch, emptyDir: {}}]' }),
  good: pod({ spec: 'volumes: [{name: scratch, emptyDir: {}}]', container: 'volumeMounts: [{name: scratch, mountPath: /tmp}]' }),
  check: (context) =>
    podPlaces(context).flatMap(({ on, spec, path }) => {
      const used = new Set(
        [...spec.containers, ...(spec.initContainers ?? [])].flatMap((one) => [
          ...(one.volumeMounts ?? []).map((mount) => mount.name),
          ...((one.volumeDevices as { name: string }[] | undefined) ?? []).map((device) => device.name)
        ])
      );
      return (spec.volumes ?? []).flatMap((one, i) =>
        used.has(one.name)
          ? []
          : [
              hit(
                on,
                [...path, 'volumes', i],
                `No container mounts "${one.name}".`,
                'Mount it, or leave it out.',
                change('Leave it out', on, { drop: [...path, 'volumes', i] })
              )
            ]
      );
    })
});
