import { join, service, set } from '../examples';
import { sizeOf } from '../pods';
import { rule, change, hit } from '../rule';

const quorumKinds = new Set(['multi-primary-sql', 'document-replica-set', 'log-broker']);

export default rule({
  id: 'even-quorum',
  level: 'warning',
  title: 'An even number of members in a quorum',
  why: 'A majority of 4 is 3, so 4 members survive the loss of one, as 3 do, and a split down the middle leaves nobody with a majority. Odd numbers only. (Lamport, Paxos; Ongaro and Ousterhout, Raft 2014.)',
  bad: join(service(), set({ meta: 'name: store, labels: {standin.example/blueprint: multi-primary-sql}', spec: 'replicas: 4' })),
  good: join(service(), set({ meta: 'name: store, labels: {standin.example/blueprint: multi-primary-sql}', spec: 'replicas: 3' })),
  check: ({ written }) =>
    written('StatefulSet').flatMap((on) => {
      const size = sizeOf(on.object);
      const kind = on.object.metadata.labels?.['standin.example/blueprint'];
      const engine = on.object.spec.template.spec.containers.some((one) =>
        /(multi-primary-sql|document-set|log-coordinator)(:|$)/.test(one.image)
      );
      if (size < 2 || size % 2 || !(engine || (kind && quorumKinds.has(kind)))) return [];
      return [
        hit(
          on,
          ['spec', 'replicas'],
          `${size} members form a majority of ${size / 2 + 1} and survive the loss of ${size / 2 - 1}, as ${size - 1} do.`,
          `Ask for ${size - 1} or ${size + 1}.`,
          change(`Write ${size + 1}`, on, { set: ['spec', 'replicas'], value: size + 1 })
        )
      ];
    })
});
