import { isReady, zoneLabel, type CSINode } from '../../model';
import { same } from '../../shared';
import { backendOf } from '../provider/backend';
import { driverPartOf } from '../provider/images';
import type { Loop } from './loop';

/** Attach slots of a node where the backend names no limit (common practice, no source). */
export const ordinaryAttachLimit = 25;

/** Registers node plugins: what is ready on a node stands in its CSINode. */
export const driverParts: Loop = {
  id: 'driver-parts',
  watches: {
    Node: (now) => (now ? [now.metadata.name] : []),
    Pod: (now, before) => {
      const pod = (now ?? before)!;
      if (!pod.spec.nodeName || (now && before && isReady(now) === isReady(before))) return [];
      return driverPartOf(pod.spec)?.part === 'node' ? [pod.spec.nodeName] : [];
    }
  },
  reconcile(world, key) {
    const node = world.store.get('Node', '', key);
    if (!node) return;
    const drivers: CSINode['spec']['drivers'] = [];
    for (const pod of world.store.podsOn(key)) {
      const part = driverPartOf(pod.spec);
      if (part?.part !== 'node' || !isReady(pod)) continue;
      const count = backendOf(world.store, part.driver)?.spec.attachLimit ?? ordinaryAttachLimit;
      drivers.push({ name: part.driver, nodeID: key, topologyKeys: [zoneLabel], allocatable: { count } });
    }
    const old = world.store.get('CSINode', '', key);
    if (old && same(old.spec.drivers, drivers)) return;
    world.put({
      apiVersion: 'storage.k8s.io/v1',
      kind: 'CSINode',
      metadata: { name: key, ownerReferences: [{ apiVersion: 'v1', kind: 'Node', name: key, uid: node.metadata.uid ?? '' }] },
      spec: { drivers }
    });
  }
};
