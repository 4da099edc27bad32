import { claimBehind, ownerOf, refOf, type Asset, type Pod, type Process } from '../../model';
import type { ClusterAccess } from '../control/loop';

import { cardFor } from '../provider/cards';
import { enginePartOf, workloadOf } from '../provider/images';
import { hasEngine } from './registry';
import { optionsOf } from './options';

/** The program that runs in a pod, where it is an engine's. */
export const processOf = (world: Pick<ClusterAccess['store'], 'get'>, pod: Pod): Process | undefined =>
  world.get('Process', pod.metadata.namespace ?? '', pod.metadata.name);

/** An engine's program begins to run. */
export function openProcess(world: Pick<ClusterAccess, 'store' | 'put'>, pod: Pod, adopted = false): void {
  const part = enginePartOf(pod);
  if (!part || !hasEngine(part.engine) || processOf(world.store, pod)) return;
  world.put({
    apiVersion: 'standin.example/v1',
    kind: 'Process',
    metadata: { name: pod.metadata.name, namespace: pod.metadata.namespace ?? '', ownerReferences: [ownerOf(pod)] },
    spec: {
      ...part,
      workload: workloadOf(pod),
      pod: pod.metadata.uid ?? '',
      options: { ...cardFor(world.store.list('EngineCard'), pod.spec)?.spec.settings, ...optionsOf(world.store, pod) },
      ...(adopted ? { adopted } : {})
    },
    ...(adopted ? { status: { role: '', ready: true, says: '', position: 0 } } : {})
  });
}

/** It has ended, whatever the reason. */
export function closeProcess(world: ClusterAccess, pod: Pod): void {
  const process = processOf(world.store, pod);
  if (process) world.drop(refOf(process));
}

/** Whether a member may be shown as ready: an engine's says so itself. */
export const programReady = (world: Pick<ClusterAccess['store'], 'get'>, pod: Pod): boolean =>
  !hasEngine(enginePartOf(pod)?.engine ?? '') || (processOf(world, pod)?.status?.ready ?? false);

/** All assets behind a pod's claims, in the order in which it mounts them. */
export function assetsOf(world: Pick<ClusterAccess['store'], 'get'>, pod: Pod): Asset[] {
  const found: Asset[] = [];
  for (const one of pod.spec.volumes ?? []) {
    const name = claimBehind(one, pod.metadata.name);
    const claim = name === undefined ? undefined : world.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
    const volume = claim?.spec.volumeName ? world.get('PersistentVolume', '', claim.spec.volumeName) : undefined;
    const asset = volume?.spec.csi && world.get('Asset', '', volume.spec.csi.volumeHandle);
    if (asset) found.push(asset);
  }
  return found;
}
