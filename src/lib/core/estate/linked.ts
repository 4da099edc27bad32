import { factsIn, type Facts, type Link } from '../model';
import { linkFault, linkNamesFault, type LinkFault } from '../standin';

/** What is known of each cluster that has one clock with the one that is looked at, that one first of all in the order of names. */
export function clustersOf(facts: Facts): { readonly cluster: string; readonly facts: Facts }[] {
  const { elsewhere } = facts;
  if (!elsewhere) return [];
  return elsewhere.clusters.flatMap((cluster) => {
    const found = factsIn(facts, cluster);
    return found ? [{ cluster, facts: found }] : [];
  });
}

/** One link between two clusters, with both its ends. */
export interface LinkedPair {
  readonly name: string;
  readonly a: string;
  readonly b: string;
  /** The ends, as far as they stand: in `a`, and in `b`. */
  readonly ends: { readonly a?: Link; readonly b?: Link };
  /** Why nothing comes through; undefined where it does. */
  readonly fault?: LinkFault;
  /** Why names aren't found: in `a` those of `b`, and the other way round. */
  readonly nameless: { readonly a?: LinkFault; readonly b?: LinkFault };
}

/** All links between clusters of one clock, by name. */
export function linkedPairs(facts: Facts): LinkedPair[] {
  const found = new Map<string, LinkedPair>();
  const all = clustersOf(facts);
  const there = new Map(all.map((one) => [one.cluster, one.facts]));
  for (const { cluster, facts: mine } of all)
    for (const end of mine.list('Link')) {
      const [a, b] = [cluster, end.spec.to].sort() as [string, string];
      const key = `${end.metadata.name}|${a}|${b}`;
      if (found.has(key)) continue;
      const endIn = (one: string) => there.get(one)?.get('Link', '', end.metadata.name);
      const [endA, endB] = [endIn(a), endIn(b)];
      const [at, bt] = [there.get(a), there.get(b)];
      const fault = (at && linkFault(at, b)) ?? (bt && linkFault(bt, a));
      const [namesA, namesB] = fault ? [undefined, undefined] : [at && linkNamesFault(at, b), bt && linkNamesFault(bt, a)];
      found.set(key, {
        name: end.metadata.name,
        a,
        b,
        ends: { ...(endA ? { a: endA } : {}), ...(endB ? { b: endB } : {}) },
        ...(fault ? { fault } : {}),
        nameless: { ...(namesA ? { a: namesA } : {}), ...(namesB ? { b: namesB } : {}) }
      });
    }
  return [...found.values()].sort((x, y) => (x.name < y.name ? -1 : 1));
}
