import { refOf, type ApiObject } from '../../../model';
import { filled } from '../../admit/defaults';
import { itself, splitKey, type Loop } from '../loop';

/**
 * Puts a claim in the place of one that goes: it is made at once when the old one has gone (sets wait for that), then what was stopped
 * for it starts again.
 */
export const restoring: Loop = {
  id: 'restoring',
  watches: {
    Restoring: itself,
    PersistentVolumeClaim: (now, before, store) => {
      const { namespace = '', name } = before?.metadata ?? { name: '' };
      return !now && store.get('Restoring', namespace, name) ? [`${namespace}/${name}`] : [];
    }
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const one = world.store.get('Restoring', namespace, name);
    const there = world.store.get('PersistentVolumeClaim', namespace, name);
    if (!one || there?.metadata.deletionTimestamp) return;
    world.drop(refOf(one));
    const { claim, starts, replicas, from } = one.spec;
    if (!there) {
      const made = world.put(filled(claim as unknown as ApiObject, world.store));
      world.event(made, 'PutInPlace', `Made from ${from} in the place of the claim that was here.`);
    }
    // Somebody may have made another claim of the name meanwhile; what was stopped comes back all the same.
    for (const pod of starts) world.put(filled(pod as unknown as ApiObject, world.store));
    for (const { name: owner, count } of replicas) {
      const deployment = world.store.get('Deployment', namespace, owner);
      if (deployment) world.put({ ...deployment, spec: { ...deployment.spec, replicas: count } });
    }
  }
};
