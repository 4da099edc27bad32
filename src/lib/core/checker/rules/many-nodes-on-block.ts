import { driverCard } from '../../standin';
import { join, claim, storageClass } from '../examples';
import { claimPlaces, classFor } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'many-nodes-on-block',
  level: 'error',
  title: 'A block volume for many nodes',
  why: 'A block volume hangs on one node like a disk. For many nodes at once take a class of shared files.',
  bad: join(storageClass(), claim('accessModes: [ReadWriteMany], storageClassName: even, resources: {requests: {storage: 40Gi}}')),
  good: join(storageClass(), claim('accessModes: [ReadWriteOnce], storageClassName: even, resources: {requests: {storage: 40Gi}}')),
  check: (context) =>
    claimPlaces(context).flatMap(({ on, spec, path }) => {
      const one = classFor(context, spec);
      const card = driverCard(one?.provisioner ?? '');
      const many = (mode: string) => mode === 'ReadWriteMany' || mode === 'ReadOnlyMany';
      if (!one || !card || card.modes.some(many)) return [];
      const shared = context.all('StorageClass').find((two) => driverCard(two.provisioner)?.modes.includes('ReadWriteMany'));
      return spec.accessModes.flatMap((mode, i) =>
        many(mode)
          ? [
              hit(
                on,
                [...path, 'accessModes', i],
                `The class ${one.metadata.name} hands out ${card.kind}, which ${mode} can't have.`,
                shared
                  ? `Write storageClassName: ${shared.metadata.name}, whose driver shares files.`
                  : 'Write ReadWriteOnce, or use a class of shared files.',
                shared
                  ? change(`Use ${shared.metadata.name}`, on, { set: [...path, 'storageClassName'], value: shared.metadata.name })
                  : change('Write ReadWriteOnce', on, { set: [...path, 'accessModes', i], value: 'ReadWriteOnce' })
              )
            ]
          : []
      );
    })
});
