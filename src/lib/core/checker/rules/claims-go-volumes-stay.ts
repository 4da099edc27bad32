import { join, service, set, storageClass } from '../examples';
import { classFor } from '../pods';
import { hit, rule } from '../rule';

const spec = (when: string): string => `persistentVolumeClaimRetentionPolicy: {whenDeleted: ${when}, whenScaled: Retain}`;
const claim = 'accessModes: [ReadWriteOnce]\nstorageClassName: even\nresources: {requests: {storage: 40Gi}}';

export default rule({
  id: 'claims-go-volumes-stay',
  level: 'note',
  title: 'Claims go, and their volumes stay',
  why: 'The set takes its claims along, the class keeps their volumes. What is left is paid for and belongs to nobody: each volume is Released, and has to be freed or taken away by hand.',
  bad: join(storageClass(), service(), set({ spec: spec('Delete'), claim })),
  good: join(storageClass(), service(), set({ spec: spec('Retain'), claim })),
  check: (context) =>
    context.written('StatefulSet').flatMap((on) => {
      const { persistentVolumeClaimRetentionPolicy: policy, volumeClaimTemplates = [] } = on.object.spec;
      const fields = (['whenDeleted', 'whenScaled'] as const).filter((field) => policy?.[field] === 'Delete');
      const kept = volumeClaimTemplates.map((one) => classFor(context, one.spec)).find((one) => one?.reclaimPolicy === 'Retain');
      if (!fields.length || !kept) return [];
      return [
        hit(
          on,
          ['spec', 'persistentVolumeClaimRetentionPolicy', fields[0]!],
          `${on.object.metadata.name} takes its claims along, and the class ${kept.metadata.name} keeps their volumes.`,
          'Let both keep, or both let go.'
        )
      ];
    })
});
