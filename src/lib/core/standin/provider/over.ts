import type { StatefulSet } from '../../model';

/** Annotation (invented) of a set whose workload has members in other clusters, too: all its clusters, the leading one first. */
export const overMark = 'standin.example/over';
/** Members of the second cluster are numbered from this on, those of the third from twice this, so that each cluster can grow by itself. */
export const membersApart = 10;

/** The clusters that a set's workload has members in; undefined for one that stands in a single cluster. */
export function overOf({ metadata }: StatefulSet): readonly string[] | undefined {
  const text = metadata.annotations?.[overMark];
  if (text === undefined) return undefined;
  const names = text.split(',').flatMap((one) => one.trim() || []);
  return names.length ? names : undefined;
}
