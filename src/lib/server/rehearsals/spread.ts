import { availableParallelism } from 'node:os';
import { startHost, type StartedHost } from './client';
import type { Tell } from './host';

/** More workers than this wait for each other at the database anyway. */
const mostWorkers = 2;

/** The cluster that a rehearsal (`cluster~fork`), or a dump (`cluster#number`), belongs to. */
const clusterOf = (id: string): string => id.split(/[~#]/)[0]!;

type Calls = Readonly<Record<string, (...args: unknown[]) => Promise<unknown>>>;
type Stats = Awaited<ReturnType<StartedHost['stats']>>;

/** Calls that name no rehearsal first: where the text, or the cluster, stands among what they are given. */
const namedAt: Readonly<Record<string, (args: readonly unknown[]) => string | undefined>> = {
  open: ([opening]) => (opening as { id: string }).id,
  check: ([, id]) => id as string | undefined,
  readFiles: ([, cluster]) => cluster as string,
  bundle: ([, cluster]) => cluster as string,
  read: () => undefined,
  copy: ([pairs]) => (pairs as [string, string][])[0]![0]
};

/**
 * Hosts of rehearsals over the machine's cores: all rehearsals of a cluster stand in one worker, so that forks share what they have in common,
 * and clusters are dealt out to the worker that has the fewest of them; those that have one clock stand together.
 * @param lost called when a worker has ended, with what tells whether a rehearsal stood in it
 */
export function startHosts(
  path: string | undefined,
  tell: Tell,
  lost: (stood: (id: string) => boolean) => void = () => {},
  options: { mostBytes?: number | undefined; workers?: number } = {}
): StartedHost {
  const count = path === undefined ? 1 : Math.max(1, Math.min(options.workers ?? mostWorkers, availableParallelism()));
  const dealt = new Map<string, number>();
  const hosts = Array.from({ length: count }, (_, i) =>
    startHost(path, tell, () => lost((id) => dealt.get(clusterOf(id)) === i), { mostBytes: options.mostBytes })
  );
  const [first] = hosts as [StartedHost];
  if (hosts.length === 1) return first;

  function placeOf(cluster: string): number {
    let at = dealt.get(cluster);
    if (at === undefined) {
      const load = hosts.map((_, i) => [...dealt.values()].filter((one) => one === i).length);
      at = load.indexOf(Math.min(...load));
      dealt.set(cluster, at);
    }
    return at;
  }
  const hostOf = (id: string): StartedHost => hosts[placeOf(clusterOf(id))]!;
  /** Workers that hold something; asking one that doesn't would start it. */
  const used = (): StartedHost[] => hosts.filter((_, i) => i === 0 || [...dealt.values()].includes(i));
  const summed = async (): Promise<Stats> => {
    const all = await Promise.all(used().map((one) => one.stats()));
    const sum = (of: (one: Stats) => number) => all.reduce((total, one) => total + of(one), 0);
    return {
      worlds: sum((one) => one.worlds),
      changes: sum((one) => one.changes),
      // What all worlds together take, against what each worker may have: on the safe side.
      heapBytes: sum((one) => one.heapBytes),
      heapLimitBytes: Math.min(...all.map((one) => one.heapLimitBytes)),
      longestSliceMs: Math.max(...all.map((one) => one.longestSliceMs))
    };
  };
  const ofAll: Readonly<Record<string, (...args: never[]) => unknown>> = {
    apart: ([first, ...others]: string[]) => {
      const at = placeOf(first!);
      return others.filter((one) => dealt.has(one) && dealt.get(one) !== at);
    },
    together: ([first, ...others]: string[]) => {
      const at = placeOf(first!);
      for (const one of others) dealt.set(one, at);
    },
    waiting: () => hosts.reduce((sum, one) => sum + one.waiting(), 0),
    end: async () => void (await Promise.all(hosts.map((one) => one.end()))),
    stats: summed,
    unused: async (beforeMs: number) => (await Promise.all(used().map((one) => one.unused(beforeMs)))).flat(),
    haltAll: async () => void (await Promise.all(used().map((one) => one.haltAll())))
  };
  return new Proxy({} as StartedHost, {
    get: (_target, method) => {
      if (typeof method !== 'string' || method === 'then') return undefined;
      if (ofAll[method]) return ofAll[method];
      return (...args: unknown[]) => {
        const id = namedAt[method] ? namedAt[method](args) : (args[0] as string);
        const host = (id === undefined ? first : hostOf(id)) as unknown as Calls;
        return host[method]!(...args);
      };
    }
  });
}
