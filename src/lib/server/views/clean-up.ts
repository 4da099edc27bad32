import { tryCleanUp, type CleanUpKeeps } from '$core/change';
import type { Scene } from './scene';

/** A workload taken away on a fork, in the order that works; null where there is none of the name. */
export const cleanUpView = (
  scene: Scene,
  { namespace, workload, keeps }: { readonly namespace: string; readonly workload: string; readonly keeps: CleanUpKeeps }
) => ({ tried: tryCleanUp(scene.fork(), namespace, workload, keeps) ?? null });
