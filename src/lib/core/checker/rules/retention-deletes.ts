import { join, service, set } from '../examples';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'retention-deletes',
  level: 'warning',
  title: "The set takes its members' claims along",
  why: 'Under the retention policy Delete, scaling down or taking the set away deletes the claims, and with a class that deletes, the data.',
  bad: join(service(), set({ spec: 'persistentVolumeClaimRetentionPolicy: {whenDeleted: Delete}' })),
  good: join(service(), set({ spec: 'persistentVolumeClaimRetentionPolicy: {whenDeleted: Retain, whenScaled: Retain}' })),
  check: ({ written }) =>
    written('StatefulSet').flatMap((on) =>
      (['whenDeleted', 'whenScaled'] as const).flatMap((key) => {
        if (on.object.spec.persistentVolumeClaimRetentionPolicy?.[key] !== 'Delete') return [];
        const path = ['spec', 'persistentVolumeClaimRetentionPolicy', key];
        const when = key === 'whenDeleted' ? 'is taken away' : 'is scaled down';
        return [
          hit(
            on,
            path,
            `When ${on.object.metadata.name} ${when}, the claims of its members go with it.`,
            'Write Retain, and take claims away by hand.',
            change('Write Retain', on, { set: path, value: 'Retain' })
          )
        ];
      })
    )
});
