import { refOf, type Asset, type Facts, type Pod } from '../../model';
import type { ClusterAccess } from '../control/loop';
import { isDark, isUnheard } from '../provider/outages';
import { stopWriting } from './little-store';
import { assetsOf, closeProcess } from './processes';

/** A program that nobody has ended: its pod was taken away by force, and its node hears nothing of it. */
interface LeftBehind {
  readonly node: string;
  readonly pod: string;
}

/** By asset (a volume's handle). */
const leftBehind = (world: Pick<ClusterAccess, 'memory'>) => world.memory<LeftBehind>('leftBehind');

/** Whether a node has power and isn't heard of: what runs there goes on. */
export const runsUnheard = (facts: Facts, node: string): boolean => isUnheard(facts, node) && !isDark(facts, node);

/**
 * A pod goes without its node having ended it. Source: the cluster API's "Pod Lifecycle", forced termination; "Force Delete StatefulSet
 * Pods". A node that is heard ends the program at once; one that is cut off lets it run on.
 */
export function forceAway(world: ClusterAccess, pod: Pod): void {
  const node = pod.spec.nodeName ?? '';
  if (pod.status?.phase === 'Running' && runsUnheard(world.store, node))
    for (const asset of assetsOf(world.store, pod)) leftBehind(world).set(asset.metadata.name, { node, pod: pod.metadata.name });
  stopWriting(world, pod);
  closeProcess(world, pod);
  if (pod.metadata.finalizers?.length) {
    world.remove(refOf(pod));
    // Once its finalizers are off it goes, whether or not its node is heard of.
    const marked = world.store.get('Pod', pod.metadata.namespace ?? '', pod.metadata.name);
    if (marked) world.put({ ...marked, metadata: { ...marked.metadata, deletionGracePeriodSeconds: 0 } });
  } else world.drop(refOf(pod));
}

/** A node is heard of again, or has lost its power: what was left behind there has ended. */
export function endLeftBehind(world: ClusterAccess, node: string): void {
  const all = leftBehind(world);
  for (const [asset, one] of all) if (one.node === node) all.delete(asset);
}

/** Who else still writes into an asset: a program that was left behind on a node that reaches it. */
export function otherWriter(world: ClusterAccess, asset: Asset, pod: Pod): LeftBehind | undefined {
  const other = leftBehind(world).get(asset.metadata.name);
  if (!other || other.node === pod.spec.nodeName || !runsUnheard(world.store, other.node)) return undefined;
  const { attachedTo = [] } = asset.status ?? {};
  const bound = world.store.by<'PersistentVolume'>('volumesOfHandle', asset.metadata.name)[0];
  const attaches = world.store.get('CSIDriver', '', bound?.spec.csi?.driver ?? '')?.spec.attachRequired !== false;
  return !attaches || attachedTo.includes(other.node) ? other : undefined;
}
