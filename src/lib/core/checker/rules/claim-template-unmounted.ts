import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'claim-template-unmounted',
  level: 'warning',
  title: 'A claim template that no container mounts',
  why: 'Each member gets the claim and pays for it, but its data goes elsewhere, most often into the container itself, where it is lost at the next start.',
  bad: join(service(), set({ mounts: '[]' })),
  good: join(service(), set()),
  check: ({ written }) =>
    written('StatefulSet').flatMap((on) => {
      const { spec } = on.object.spec.template;
      const used = new Set(
        [...spec.containers, ...(spec.initContainers ?? [])].flatMap((one) => [
          ...(one.volumeMounts ?? []).map((mount) => mount.name),
          ...((one.volumeDevices as { name: string }[] | undefined) ?? []).map((device) => device.name)
        ])
      );
      return (on.object.spec.volumeClaimTemplates ?? []).flatMap((one, i) =>
        used.has(one.metadata.name)
          ? []
          : [
              hit(
                on,
                ['spec', 'volumeClaimTemplates', i, 'metadata', 'name'],
                `No container mounts "${one.metadata.name}".`,
                'Mount it where the program keeps its data, or leave it out.',
                change(`Mount it at /var/lib/${one.metadata.name}`, on, {
                  set: ['spec', 'template', 'spec', 'containers', 0, 'volumeMounts'],
                  value: [
                    ...(spec.containers[0]?.volumeMounts ?? []),
                    { name: one.metadata.name, mountPath: `/var/lib/${one.metadata.name}` }
                  ]
                })
              )
            ]
      );
    })
});
