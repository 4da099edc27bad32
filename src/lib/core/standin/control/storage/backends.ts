import type { Loop } from '../loop';

/** A whole shared file system is an asset too: static volumes name it by its handle. */
export const backends: Loop = {
  id: 'backends',
  watches: { Backend: (now) => (now?.spec.fileSystem === undefined ? [] : [now.metadata.name]) },
  reconcile(world, key) {
    const backend = world.store.get('Backend', '', key);
    const handle = backend?.spec.fileSystem;
    if (!backend || handle === undefined || world.store.get('Asset', '', handle)) return;
    world.put({
      apiVersion: 'standin.example/v1',
      kind: 'Asset',
      metadata: { name: handle },
      spec: { backend: key, driver: backend.spec.driver, zone: '', size: '0', fsType: 'nfs4', requestName: handle, owner: 0 },
      status: { attachedTo: [] }
    });
  }
};
