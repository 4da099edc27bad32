import type { Loop } from '../loop';

/** Each namespace has a service account called "default". */
export const accounts: Loop = {
  id: 'accounts',
  watches: { Namespace: (now) => (now && !now.metadata.deletionTimestamp ? [now.metadata.name] : []) },
  reconcile(world, key) {
    const space = world.store.get('Namespace', '', key);
    if (!space || space.metadata.deletionTimestamp || world.store.get('ServiceAccount', key, 'default')) return;
    world.put({ apiVersion: 'v1', kind: 'ServiceAccount', metadata: { name: 'default', namespace: key } });
  }
};
