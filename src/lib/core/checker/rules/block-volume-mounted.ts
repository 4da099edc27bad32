import { join, service, set } from '../examples';
import { claimPlaces } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'block-volume-mounted',
  level: 'error',
  title: 'A raw block volume is mounted like files',
  why: 'A claim of volumeMode Block gives a device, which a container names under volumeDevices. It can not be mounted.',
  bad: join(service(), set({ claim: 'accessModes: [ReadWriteOnce]\nvolumeMode: Block\nresources: {requests: {storage: 40Gi}}' })),
  good: join(service(), set()),
  check: (context) =>
    claimPlaces(context).flatMap(({ on, spec, path, name }) => {
      if (spec.volumeMode !== 'Block' || on.object.kind !== 'StatefulSet') return [];
      const mounted = on.object.spec.template.spec.containers.some((one) => one.volumeMounts?.some((mount) => mount.name === name));
      return mounted
        ? [
            hit(
              on,
              [...path, 'volumeMode'],
              `"${name}" is a raw device, and a container mounts it.`,
              'Leave volumeMode out, or name it under volumeDevices.',
              change('Leave volumeMode out', on, { drop: [...path, 'volumeMode'] })
            )
          ]
        : [];
    })
});
