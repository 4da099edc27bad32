import { join, service, set } from '../examples';
import { sizeOf } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'partition-holds-all',
  level: 'warning',
  title: 'A partition that no member is beyond',
  why: 'Members below the partition keep the old template. At or above the number of members a new template reaches nobody: the set says that it is up to date with itself, and nothing changes.',
  bad: join(service(), set({ spec: 'replicas: 3\nupdateStrategy: {rollingUpdate: {partition: 3}}' })),
  good: join(service(), set({ spec: 'replicas: 3\nupdateStrategy: {rollingUpdate: {partition: 2}}' })),
  check: ({ written }) =>
    written('StatefulSet').flatMap((on) => {
      const partition = on.object.spec.updateStrategy?.rollingUpdate?.partition ?? 0;
      const end = (on.object.spec.ordinals?.start ?? 0) + sizeOf(on.object);
      if (partition === 0 || partition < end) return [];
      const path = ['spec', 'updateStrategy', 'rollingUpdate', 'partition'];
      return [
        hit(
          on,
          path,
          `The partition ${partition} leaves all ${sizeOf(on.object)} members of ${on.object.metadata.name} as they are.`,
          `Write ${end - 1} for the last member alone, or 0 for all.`,
          change('Write 0', on, { set: path, value: 0 })
        )
      ];
    })
});
