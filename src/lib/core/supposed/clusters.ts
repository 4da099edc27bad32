import type { ApiObject } from '../model';

/** What of a document set over several clusters comes to one of them; anything else as it is, undefined where nothing does. */
export function inCluster(one: ApiObject, cluster: string | undefined): ApiObject | undefined {
  if (one.kind !== 'DocumentSet' || !one.spec.clusters) return one;
  const mine = one.spec.clusters.find((each) => each.cluster === cluster);
  if (!mine) return undefined;
  const { clusters: _, ...spec } = one.spec;
  const storageClassName = mine.storageClassName ?? spec.volume.storageClassName;
  return { ...one, spec: { ...spec, members: mine.members, volume: { ...spec.volume, storageClassName } } };
}
