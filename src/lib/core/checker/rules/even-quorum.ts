import { majorityOf } from '../../shared';
import { decidesByMajority, engineCards, enginePartOf, workloadOfTemplate, type EngineId } from '../../standin';
import type { StatefulSet } from '../../model';
import { join, service, set } from '../examples';
import { sizeOf } from '../pods';
import { rule, change, hit } from '../rule';

const isEngine = (id: string | undefined): id is EngineId => id !== undefined && id in engineCards;

/** Whether members of a set decide by a majority of them: by what runs in it; where its image isn't known, by what it is called, if that is clear. */
function decides(one: StatefulSet, others: readonly StatefulSet[]): boolean {
  const part = enginePartOf(one.spec.template);
  if (part?.part === 'broker')
    // Brokers keep the metadata themselves where no coordinators do.
    return !others.some((other) => {
      const its = enginePartOf(other.spec.template);
      return its?.part === 'coordinator' && its.engine === part.engine && workloadOfTemplate(other) === workloadOfTemplate(one);
    });
  if (part) return decidesByMajority(part);
  const label = one.metadata.labels?.['standin.example/blueprint'];
  const parts = isEngine(label) ? engineCards[label].parts : [];
  return parts.length === 1 && parts[0]!.byMajority === true;
}

export default rule({
  id: 'even-quorum',
  level: 'warning',
  title: 'An even number of members in a quorum',
  why: 'A majority of 4 is 3, so 4 members survive the loss of one, as 3 do, and a split down the middle leaves nobody with a majority. Odd numbers only. (Lamport, Paxos; Ongaro and Ousterhout, Raft 2014.)',
  bad: join(service(), set({ meta: 'name: store, labels: {standin.example/blueprint: multi-primary-sql}', spec: 'replicas: 4' })),
  good: join(service(), set({ meta: 'name: store, labels: {standin.example/blueprint: multi-primary-sql}', spec: 'replicas: 3' })),
  check: ({ written, all }) =>
    written('StatefulSet').flatMap((on) => {
      const size = sizeOf(on.object);
      if (size < 2 || size % 2 || !decides(on.object, all('StatefulSet', on.object.metadata.namespace))) return [];
      return [
        hit(
          on,
          ['spec', 'replicas'],
          `${size} members form a majority of ${majorityOf(size)} and survive the loss of ${size / 2 - 1}, as ${size - 1} do.`,
          `Ask for ${size - 1} or ${size + 1}.`,
          change(`Write ${size + 1}`, on, { set: ['spec', 'replicas'], value: size + 1 })
        )
      ];
    })
});
