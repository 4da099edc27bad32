import type { Answers } from '$server/api/types';

type Cluster = Answers['Fits']['clusters'][number];

/** How many needs a cluster lacks; undefined where it can't be looked at. */
export const lacksOf = ({ fit }: Cluster): number | undefined =>
  fit ? fit.squares.filter((one) => one.state === 'broken').length + Math.min(1, fit.sheet?.refused.length ?? 0) : undefined;

/** Whether a draft may be sent there as it is mended: nothing lacks, and nothing is refused. */
export const fits = (one: Cluster): boolean => one.kind !== 'dump' && lacksOf(one) === 0 && one.fit!.problems.length === 0;

/** Values that would be altered for a cluster. */
export const changesOf = (one: Cluster): number =>
  new Set(one.fit?.squares.flatMap((two) => (two.mends ?? []).map((each) => `${each.row} ${each.value}`))).size;

const list = (names: readonly string[]): string =>
  names.length < 2 ? (names[0] ?? '') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;

/** The sentence at the top: where it fits, and what the nearest of the others lack. */
export function fitSentence(draft: string, clusters: readonly Cluster[]): string {
  const good = clusters.filter(fits);
  const changed = good.reduce((sum, one) => sum + changesOf(one), 0);
  const others = clusters.filter((one) => !fits(one) && one.fit);
  const lacking = others.slice(0, 2).map((one) => `${one.cluster} lacks ${lacksOf(one) === 1 ? 'one thing' : `${lacksOf(one)} things`}`);
  const where = good.length
    ? `${draft} fits ${list(good.map((one) => one.cluster))}${changed ? ` with ${changed === 1 ? 'one value' : `${changed} values`} changed` : ''}.`
    : `${draft} fits none of the clusters.`;
  return lacking.length ? `${where.replace(/\.$/, '')}; ${list(lacking)}.` : where;
}
