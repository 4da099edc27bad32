import { driverCard } from '../../standin';
import { join, claim, storageClass } from '../examples';
import { claimPlaces, classFor } from '../pods';
import { rule, change, hit, listed } from '../rule';

export default rule({
  id: 'mode-lacking',
  level: 'error',
  title: 'The driver does not hand out this access mode',
  why: 'Each driver hands out certain access modes. A claim for another is refused (INVALID_ARGUMENT) and stays Pending.',
  bad: join(
    storageClass(undefined, 'name: even', 'files.standin.example'),
    claim('accessModes: [ReadWriteOncePod], storageClassName: even, resources: {requests: {storage: 40Gi}}')
  ),
  good: join(
    storageClass(undefined, 'name: even', 'files.standin.example'),
    claim('accessModes: [ReadWriteMany], storageClassName: even, resources: {requests: {storage: 40Gi}}')
  ),
  check: (context) =>
    claimPlaces(context).flatMap(({ on, spec, path }) => {
      const card = driverCard(classFor(context, spec)?.provisioner ?? '');
      if (!card) return [];
      const many = (mode: string) => mode === 'ReadWriteMany' || mode === 'ReadOnlyMany';
      const blockOnly = !card.modes.some(many);
      return spec.accessModes.flatMap((mode, i) =>
        card.modes.includes(mode) || (blockOnly && many(mode))
          ? []
          : [
              hit(
                on,
                [...path, 'accessModes', i],
                `${card.driver} does not hand out ${mode}; it hands out ${listed(card.modes)}.`,
                `Write ${card.modes[0]}.`,
                change(`Write ${card.modes[0]}`, on, { set: [...path, 'accessModes', i], value: card.modes[0] })
              )
            ]
      );
    })
});
