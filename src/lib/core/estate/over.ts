import { isReady, memberNames, type DocumentSet, type Facts, type StatefulSet } from '../model';
import { certificateInSecret, membersOver, namesOver, overOf } from '../standin';
import { apartFault } from '../rootline';
import { clustersOf } from './linked';
import { survival, type Loss } from './survival';

/** How a workload over several clusters stands in one of them. */
export interface OverPart {
  readonly cluster: string;
  readonly members: readonly { readonly name: string; readonly role: string; readonly ready: boolean; readonly says: string }[];
  readonly wanted: number;
  readonly ready: number;
}

/** A workload that has members in several clusters. */
export interface OverWorkload {
  readonly namespace: string;
  readonly name: string;
  /** The resource that it comes from and the cluster where that stands; undefined for one made by hand. */
  readonly from?: { readonly cluster: string; readonly kind: 'DocumentSet' };
  /** The cluster whose member leads; undefined while none does. */
  readonly leads?: string;
  readonly parts: readonly OverPart[];
  /** Names that its certificate has to carry, how many it carries, and those that lack; undefined without certificates. */
  readonly names?: { readonly wanted: number; readonly carried: number; readonly missing: readonly string[] };
  readonly survives: readonly Loss[];
}

function partOf(cluster: string, facts: Facts | undefined, namespace: string, name: string, wanted: readonly string[]): OverPart {
  const members = wanted.map((member) => {
    const pod = facts?.get('Pod', namespace, member);
    const { status } = facts?.get('Process', namespace, member) ?? {};
    return {
      name: member,
      role: status?.role ?? '',
      ready: pod !== undefined && isReady(pod),
      says: status?.says || (facts === undefined ? 'its cluster is not linked' : pod ? '' : 'is not made yet')
    };
  });
  return { cluster, members, wanted: wanted.length, ready: members.filter((one) => one.ready).length };
}

function namesIn(home: Facts, one: DocumentSet): OverWorkload['names'] {
  if (!one.spec.tls) return undefined;
  const wanted = namesOver(home, one);
  const text = home.get('Secret', one.metadata.namespace ?? '', `${one.metadata.name}-tls`)?.data?.['tls.crt'];
  const carried = new Set(text === undefined ? [] : (certificateInSecret(text)?.names ?? []));
  const missing = wanted.filter((name) => !carried.has(name));
  return { wanted: wanted.length, carried: wanted.length - missing.length, missing };
}

/** Workloads with members in several of the clusters that have one clock. */
export function overWorkloads(facts: Facts): OverWorkload[] {
  const all = clustersOf(facts);
  const there = new Map(all.map((one) => [one.cluster, one.facts]));
  const found: OverWorkload[] = [];
  const put = (
    namespace: string,
    name: string,
    wanted: readonly { cluster: string; members: readonly string[] }[],
    home?: { cluster: string; facts: Facts; one: DocumentSet }
  ) => {
    if (found.some((one) => one.namespace === namespace && one.name === name)) return;
    const parts = wanted.map(({ cluster, members }) => partOf(cluster, there.get(cluster), namespace, name, members));
    const leads = parts.find((part) => part.members.some((one) => one.ready && one.role === 'primary'))?.cluster;
    const apart = parts.flatMap((x, i) =>
      parts.slice(i + 1).flatMap((y): [string, string][] => {
        const mine = there.get(x.cluster);
        return !mine || apartFault(mine, y.cluster) ? [[x.cluster, y.cluster]] : [];
      })
    );
    const names = home && namesIn(home.facts, home.one);
    found.push({
      namespace,
      name,
      ...(home ? { from: { cluster: home.cluster, kind: 'DocumentSet' as const } } : {}),
      ...(leads === undefined ? {} : { leads }),
      parts,
      ...(names ? { names } : {}),
      survives: survival({
        clusters: parts.map((one) => ({ cluster: one.cluster, members: one.wanted })),
        leads: leads ?? parts[0]?.cluster ?? '',
        apart,
        ...(home ? { operator: home.cluster } : {})
      })
    });
  };
  for (const { cluster, facts: home } of all)
    for (const one of home.list('DocumentSet'))
      if (one.spec.clusters)
        put(
          one.metadata.namespace ?? '',
          one.metadata.name,
          membersOver(home, one).map(({ entry, members }) => ({ cluster: entry.cluster, members })),
          { cluster, facts: home, one }
        );
  for (const { facts: mine } of all)
    for (const set of mine.list('StatefulSet')) {
      const clusters = overOf(set);
      if (!clusters) continue;
      const { name, namespace = '' } = set.metadata;
      const setIn = (cluster: string): StatefulSet | undefined => there.get(cluster)?.get('StatefulSet', namespace, name);
      put(
        namespace,
        name,
        clusters.map((cluster) => {
          const its = setIn(cluster);
          return { cluster, members: its ? memberNames(its) : [] };
        })
      );
    }
  return found.sort((a, b) => (`${a.namespace}/${a.name}` < `${b.namespace}/${b.name}` ? -1 : 1));
}
