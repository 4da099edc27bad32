import { isReady, isVirtualNode, zoneLabel, type CSINode } from '../../../model';
import { same } from '../../../shared';
import { backendOf, topologyOf } from '../../provider/backend';
import { isStoodIn } from '../../provider/driver';
import { driverCard, driverCards } from '../../provider/drivers';
import { driverPartOf } from '../../provider/images';
import type { Loop } from '../loop';

/** Attach slots of a node where the backend names no limit (common practice, no source). */
export const ordinaryAttachLimit = 25;

/** Registers node plugins: what is ready on a node stands in its CSINode. */
export const driverParts: Loop = {
  id: 'driver-parts',
  watches: {
    Node: (now, before) => (now && now.metadata.labels !== before?.metadata.labels ? [now.metadata.name] : []),
    CSIDriver: (_now, _before, store) =>
      store
        .list('Node')
        .filter(isVirtualNode)
        .map((one) => one.metadata.name),
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
    if (isVirtualNode(node))
      for (const { driver, onVirtualNodes } of driverCards)
        if (onVirtualNodes && world.store.get('CSIDriver', '', driver))
          drivers.push({ name: driver, nodeID: key, topologyKeys: [zoneLabel] });
    for (const pod of world.store.podsOn(key)) {
      const part = driverPartOf(pod.spec);
      if (part?.part !== 'node' || !isReady(pod)) continue;
      const backend = backendOf(world.store, part.driver);
      const card = driverCard(part.driver);
      const topologyKeys = [(backend && topologyOf(backend)) || card?.topologyKey || zoneLabel];
      const limit = card?.attach === false ? {} : { allocatable: { count: backend?.spec.attachLimit ?? ordinaryAttachLimit } };
      drivers.push({ name: part.driver, nodeID: key, topologyKeys, ...limit });
    }
    const old = world.store.get('CSINode', '', key);
    for (const one of old?.spec.drivers ?? [])
      if (isStoodIn(world.store, one.name) && !drivers.some((two) => two.name === one.name)) drivers.push(one);
    if (old && same(old.spec.drivers, drivers)) return;
    world.put({
      apiVersion: 'storage.k8s.io/v1',
      kind: 'CSINode',
      metadata: { name: key, ownerReferences: [{ apiVersion: 'v1', kind: 'Node', name: key, uid: node.metadata.uid ?? '' }] },
      spec: { drivers }
    });
  }
};
