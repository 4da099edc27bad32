import { bytesOf } from '../../shared';
import { join, claim } from '../examples';
import { rule, change, hit, listed } from '../rule';

export default rule({
  id: 'pinned-pair-apart',
  level: 'error',
  title: 'The claim and the volume it is pinned to do not fit',
  why: 'A claim that names its volume binds it only when class, access modes, volume mode and size agree. Otherwise both wait for ever.',
  bad: join(
    'apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: kept}\nspec: {capacity: {storage: 20Gi}, accessModes: [ReadWriteOnce], csi: {driver: block.standin.example, volumeHandle: blk-1}}\n',
    claim('accessModes: [ReadWriteOnce], storageClassName: "", volumeName: kept, resources: {requests: {storage: 40Gi}}')
  ),
  good: join(
    'apiVersion: v1\nkind: PersistentVolume\nmetadata: {name: kept}\nspec: {capacity: {storage: 40Gi}, accessModes: [ReadWriteOnce], csi: {driver: block.standin.example, volumeHandle: blk-1}}\n',
    claim('accessModes: [ReadWriteOnce], storageClassName: "", volumeName: kept, resources: {requests: {storage: 40Gi}}')
  ),
  check: (context) =>
    context.written('PersistentVolumeClaim').flatMap((on) => {
      const { spec } = on.object;
      const one = spec.volumeName ? context.find('PersistentVolume', '', spec.volumeName) : undefined;
      if (!one || context.target?.get('PersistentVolumeClaim', on.object.metadata.namespace ?? '', on.object.metadata.name)) return [];
      const asked = spec.resources.requests.storage;
      const path = ['spec', 'volumeName'];
      if (bytesOf(one.spec.capacity.storage) < bytesOf(asked))
        return [
          hit(
            on,
            ['spec', 'resources', 'requests', 'storage'],
            `${spec.volumeName} has ${one.spec.capacity.storage}; the claim asks for ${asked}.`,
            `Ask for ${one.spec.capacity.storage}.`,
            change(`Write ${one.spec.capacity.storage}`, on, {
              set: ['spec', 'resources', 'requests', 'storage'],
              value: one.spec.capacity.storage
            })
          )
        ];
      const lacks = spec.accessModes.find((mode) => !one.spec.accessModes.includes(mode));
      if (lacks)
        return [
          hit(
            on,
            ['spec', 'accessModes'],
            `${spec.volumeName} offers ${listed(one.spec.accessModes)}, not ${lacks}.`,
            'Ask for a mode that it offers.',
            change(`Write ${one.spec.accessModes[0]}`, on, { set: ['spec', 'accessModes'], value: one.spec.accessModes })
          )
        ];
      const wanted = one.spec.storageClassName ?? '';
      if (spec.storageClassName !== wanted)
        return [
          hit(
            on,
            path,
            `${spec.volumeName} has the class "${wanted}", the claim "${spec.storageClassName ?? '(the default)'}".`,
            `Write storageClassName: "${wanted}".`,
            change(`Write "${wanted}"`, on, { set: ['spec', 'storageClassName'], value: wanted })
          )
        ];
      if ((spec.volumeMode ?? 'Filesystem') !== (one.spec.volumeMode ?? 'Filesystem'))
        return [
          hit(
            on,
            path,
            `${spec.volumeName} is a ${one.spec.volumeMode ?? 'Filesystem'} volume.`,
            `Write volumeMode: ${one.spec.volumeMode ?? 'Filesystem'}.`
          )
        ];
      return [];
    })
});
