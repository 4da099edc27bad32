import { majorityOf, plural } from '../shared';

/** Members of a workload that decides by majority, by cluster, and the links between those. */
export interface SurvivalAsk {
  readonly clusters: readonly { readonly cluster: string; readonly members: number }[];
  /** The cluster whose member leads, or is favoured. */
  readonly leads: string;
  /** Pairs of clusters that nothing comes through between, before anything is lost. */
  readonly apart?: readonly (readonly [string, string])[];
  /** The cluster that its operator runs in, where there is one. */
  readonly operator?: string;
}

/** What remains once something is lost. */
export interface Loss {
  readonly id: string;
  readonly is: 'cluster' | 'link' | 'operator';
  /** What is lost, as it stands in a sentence. */
  readonly label: string;
  /** How many members go on together, and where the leading one then stands; undefined where too few do. */
  readonly stay: number;
  readonly leads?: string;
  /** Members that run and follow nobody meanwhile. */
  readonly waiting: number;
  /** `holds`: writes go on; `partial`: they do, and something is missing; `broken`: nobody writes. */
  readonly state: 'holds' | 'partial' | 'broken';
  readonly says: string;
}

interface Standing {
  readonly leads?: string;
  readonly stay: number;
  readonly waiting: number;
}

/** Who leads and whom it reaches: the favoured one while it reaches a majority, else whichever cluster's member does. */
function standing(ask: SurvivalAsk, gone: string | undefined, cut: readonly (readonly [string, string])[]): Standing {
  const all = ask.clusters.reduce((sum, one) => sum + one.members, 0);
  const alive = ask.clusters.filter((one) => one.cluster !== gone && one.members > 0);
  const apart = (a: string, b: string) => cut.some(([x, y]) => (x === a && y === b) || (x === b && y === a));
  const reached = (from: string) =>
    alive.reduce((sum, one) => sum + (one.cluster === from || !apart(from, one.cluster) ? one.members : 0), 0);
  const inOrder = [...alive].sort((a, b) => Number(b.cluster === ask.leads) - Number(a.cluster === ask.leads));
  const leads = inOrder.find((one) => reached(one.cluster) >= majorityOf(all))?.cluster;
  const running = alive.reduce((sum, one) => sum + one.members, 0);
  const stay = leads === undefined ? 0 : reached(leads);
  return { ...(leads === undefined ? {} : { leads }), stay, waiting: running - stay };
}

/**
 * What a workload over several clusters survives: for each cluster, each link between two of them, and the operator's own cluster.
 * A majority of all members decides, so that two parts never both believe themselves the rest. Source: Ongaro and Ousterhout, "In Search of
 * an Understandable Consensus Algorithm" (2014), section 5.2: at most one leader a term, elected by a majority.
 */
export function survival(ask: SurvivalAsk): Loss[] {
  const all = ask.clusters.reduce((sum, one) => sum + one.members, 0);
  const apart = ask.apart ?? [];
  const loss = (id: string, is: Loss['is'], label: string, { leads, stay, waiting }: Standing, left: number): Loss => {
    const moved = leads !== undefined && leads !== ask.leads ? `, one in ${leads} leads` : '';
    const says =
      leads === undefined
        ? `${plural(left, 'member')} of ${all} ${left === 1 ? 'runs' : 'run'}, a majority is ${majorityOf(all)}: nobody writes until it is over`
        : `${stay} stay${moved}${waiting ? `; ${waiting} ${waiting === 1 ? 'waits' : 'wait'}, and ${waiting === 1 ? 'catches' : 'catch'} up afterwards` : ''}`;
    return {
      id,
      is,
      label,
      stay,
      waiting,
      ...(leads === undefined ? {} : { leads }),
      state: leads === undefined ? 'broken' : waiting ? 'partial' : 'holds',
      says
    };
  };
  const clusters = ask.clusters.map((one) =>
    loss(`cluster ${one.cluster}`, 'cluster', `${one.cluster} lost`, standing(ask, one.cluster, apart), all - one.members)
  );
  const links = ask.clusters.flatMap((one, i) =>
    ask.clusters.slice(i + 1).map((two) => {
      const cut: readonly [string, string] = [one.cluster, two.cluster];
      return loss(
        `link ${cut.join(' ')}`,
        'link',
        `${cut[0]} and ${cut[1]} cut off from each other`,
        standing(ask, undefined, [...apart, cut]),
        all
      );
    })
  );
  const { operator } = ask;
  const holds = operator !== undefined && ask.clusters.some((one) => one.cluster === operator && one.members > 0);
  const own: Loss[] =
    operator === undefined || holds
      ? []
      : [
          {
            id: 'operator',
            is: 'operator',
            label: `${operator} lost`,
            stay: all,
            leads: ask.leads,
            waiting: 0,
            state: 'partial',
            says: `all ${all} stay, and nobody mends: the operator runs there`
          }
        ];
  return [...clusters, ...links, ...own];
}
