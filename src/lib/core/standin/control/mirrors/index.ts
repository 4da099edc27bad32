import type { Mirror } from '../../../model';
import { askedFor, askedFrom, dropAsks } from '../backup/asking';
import { engineRunning } from '../backup/facts';
import { splitKey, type ClusterAccess, type Loop } from '../loop';
import { followed, forgetMirror, mirrorKey } from './facts';
import type { Following } from './following';
import { FollowingObjects } from './objects';
import { FollowingTables } from './tables';
import { FollowingTopics } from './topics';

export { followed, isOver, mirrorOf, takesNoWrites } from './facts';

const kinds = { tables: FollowingTables, topics: FollowingTopics, objects: FollowingObjects } as const;

/** How a mirror's workload follows; one that doesn't run is said to be so by any of them. */
function following(world: ClusterAccess, one: Mirror): Following {
  const engine = engineRunning(world.store, one.metadata.namespace ?? '', one.spec.workload);
  return new kinds[(engine && followed[engine]) ?? 'tables'](world, one);
}

const ours = (key: string): boolean => key.startsWith('Mirror ');

/** Workloads that follow others over links. The stand-in's own. */
export const mirrors: Loop = {
  id: 'mirrors',
  watches: {
    Mirror: (now, before) => (now?.spec === before?.spec ? [] : [mirrorKey((now ?? before)!)]),
    Ask: (now) => askedFor(now).filter(ours)
  },
  abroad: { Ask: (now) => askedFrom(now).filter(({ key }) => ours(key)) },
  reconcile(world, key) {
    const id = key.slice('Mirror '.length);
    const one = world.store.get('Mirror', ...splitKey(id));
    if (one) return following(world, one).goOn();
    forgetMirror(world, key);
    dropAsks(world, key);
  }
};
