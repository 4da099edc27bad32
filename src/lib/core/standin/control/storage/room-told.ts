import { bytesOf, hash32, quantityOf, same } from '../../../shared';
import {
  classOf,
  isReady,
  refOf,
  selectorMatches,
  waitsForConsumer,
  type Claim,
  type Facts,
  type Node,
  type StorageCapacity
} from '../../../model';
import { backendOf, freeIn, topologyOf, volumesIn } from '../../provider/backend';
import { accountFault, driverAnswers } from '../../provider/driver';
import { driverCard } from '../../provider/drivers';
import { driverPartOf } from '../../provider/images';
import type { ClusterAccess, Loop } from '../loop';
import { allowedPlaces } from './provisioning';

/** Marks (a label, invented) what a driver's controller says of its room. */
const toldBy = 'standin.example/told-by';

/**
 * Where a driver says that it has room for a claim; undefined for drivers that say nothing beforehand, which are tried. The volume's own size
 * alone counts, not what others are about to take. Source: the cluster API's "Storage Capacity"; CSIStorageCapacity v1 storage.k8s.io.
 */
export function roomTold(facts: Facts, claim: Claim): ((node: Node) => boolean) | undefined {
  const one = classOf(facts, claim.spec);
  if (!one || facts.get('CSIDriver', '', one.provisioner)?.spec.storageCapacity !== true) return undefined;
  const bytes = bytesOf(claim.spec.resources.requests.storage);
  const roomy = facts.list('CSIStorageCapacity').flatMap(({ storageClassName, nodeTopology, maximumVolumeSize, capacity }) => {
    const most = maximumVolumeSize ?? capacity;
    return storageClassName === one.metadata.name && nodeTopology && most !== undefined && bytesOf(most) >= bytes ? [nodeTopology] : [];
  });
  return (node) => roomy.some((topology) => selectorMatches(topology, node.metadata.labels));
}

function tell(world: ClusterAccess, driver: string): void {
  const backend = backendOf(world.store, driver);
  const wanted = new Map<string, StorageCapacity>();
  const key = backend ? topologyOf(backend) : '';
  const namespace = driverCard(driver)!.namespace;
  const used = world.store.usedOf(backend?.metadata.name ?? '');
  const volumes = volumesIn(used);
  if (backend)
    for (const one of world.store.list('StorageClass')) {
      if (one.provisioner !== driver || !waitsForConsumer(one)) continue;
      for (const place of allowedPlaces(one, backend)) {
        const name = `csisc-${hash32(`${one.metadata.name}|${place}`, world.seed).toString(16).padStart(8, '0')}`;
        const bytes = volumes < backend.spec.quotaVolumes ? Math.max(0, freeIn(backend, place, used) ?? 0) : 0;
        const { mostSize } = backend.spec;
        wanted.set(name, {
          apiVersion: 'storage.k8s.io/v1',
          kind: 'CSIStorageCapacity',
          metadata: { name, namespace, labels: { [toldBy]: driver } },
          storageClassName: one.metadata.name,
          nodeTopology: key ? { matchLabels: { [key]: place } } : {},
          capacity: quantityOf(bytes),
          ...(mostSize === undefined ? {} : { maximumVolumeSize: quantityOf(Math.min(bytes, bytesOf(mostSize))) })
        });
      }
    }
  for (const old of world.store.list('CSIStorageCapacity', namespace))
    if (old.metadata.labels?.[toldBy] === driver && !wanted.has(old.metadata.name)) world.remove(refOf(old));
  for (const one of wanted.values()) {
    const old = world.store.get('CSIStorageCapacity', namespace, one.metadata.name);
    const says = ({ capacity, maximumVolumeSize, nodeTopology }: StorageCapacity) => ({ capacity, maximumVolumeSize, nodeTopology });
    if (!old || !same(says(old), says(one))) world.put(old ? { ...old, ...says(one) } : one);
  }
}

const tells = (facts: Facts, driver: string): boolean =>
  driverCard(driver) !== undefined && facts.get('CSIDriver', '', driver)?.spec.storageCapacity === true;

/** Drivers that say beforehand how much room they have, class by class and place by place. Source: as above. */
export const roomTelling: Loop = {
  id: 'room-telling',
  watches: {
    CSIDriver: (now) => (now ? [now.metadata.name] : []),
    StorageClass: (now, before) => [(now ?? before)!.provisioner],
    Backend: (now, before) => [(now ?? before)!.spec.driver],
    ClusterRole: (_now, _before, store) => store.list('CSIDriver').map((one) => one.metadata.name),
    ClusterRoleBinding: (_now, _before, store) => store.list('CSIDriver').map((one) => one.metadata.name),
    Asset: (now, before, store) => {
      const { driver } = (now ?? before)!.spec;
      return (now && before && now.spec.size === before.spec.size) || !tells(store, driver) ? [] : [driver];
    },
    Pod: (now, before) => {
      const part = now && isReady(now) && !isReady(before) ? driverPartOf(now.spec) : undefined;
      return part?.part === 'controller' ? [part.driver] : [];
    }
  },
  paceMs: 1_000,
  reconcile(world, driver) {
    if (!tells(world.store, driver) || !driverAnswers(world.store, driver)) return;
    const forbidden = accountFault(world.store, driver, 'tell-room');
    if (!forbidden) return tell(world, driver);
    world.event(
      world.store.get('CSIDriver', '', driver)!,
      'CapacityForbidden',
      `Nobody hears how much room it has: ${forbidden}.`,
      'Warning'
    );
  }
};
