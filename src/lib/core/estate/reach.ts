import { isReady, type ApiObject, type Facts } from '../model';
import { lineSentence, rootLine } from '../rootline';
import { domainOver, linkDelayMs, linkFault, linkTo, resolve, type World } from '../standin';

/** Whether a pod of one cluster finds and reaches one of another by its name. */
export interface ReachSquare {
  readonly from: string;
  readonly to: string;
  readonly state: 'holds' | 'broken' | 'unseen';
  readonly found: boolean;
  readonly reached: boolean;
  /** How long a call and its answer take, in ms, where it is reached. */
  readonly tookMs?: number;
  readonly says: string;
}

const space = 'reach';
const image = 'shelf.standin.example/tools/reach:1';

/** A pod that answers by name, and goes again: in its own namespace, with the headless service that gives it its name. */
const probe = (): ApiObject[] =>
  [
    { apiVersion: 'v1', kind: 'Namespace', metadata: { name: space } },
    {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: 'probe', namespace: space },
      spec: { clusterIP: 'None', selector: { app: 'probe' }, ports: [{ name: 'call', port: 7400 }] }
    },
    {
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: { name: 'probe', namespace: space, labels: { app: 'probe' } },
      spec: {
        hostname: 'probe',
        subdomain: 'probe',
        containers: [
          { name: 'probe', image, ports: [{ name: 'call', containerPort: 7400 }], resources: { requests: { cpu: '10m', memory: '16Mi' } } }
        ]
      }
    }
  ] as ApiObject[];

/** No longer than this is waited for the pods to answer, in ms. */
const patienceMs = 180_000;

const nameOf = (cluster: string): string => `probe.probe.${space}.svc.${domainOver(cluster)}.`;

function square(from: string, mine: Facts, to: string, theirs: Facts): ReachSquare {
  const [one, two] = [mine.get('Pod', space, 'probe'), theirs.get('Pod', space, 'probe')];
  const unseen = (cluster: string, facts: Facts): ReachSquare => {
    const line = rootLine(facts, { kind: 'Pod', namespace: space, name: 'probe' });
    return {
      from,
      to,
      state: 'unseen',
      found: false,
      reached: false,
      says: `no pod could be tried in ${cluster}: ${line ? lineSentence(line) : 'it was not taken'}`
    };
  };
  if (!one || !isReady(one)) return unseen(from, mine);
  if (!two || !isReady(two)) return unseen(to, theirs);
  const looked = resolve(mine, space, nameOf(to));
  const found = looked.addresses.length > 0;
  const link = linkFault(mine, to);
  const reached = !link;
  const state = found && reached ? 'holds' : 'broken';
  const tookMs = reached ? 2 * linkDelayMs(mine, to) + 1 : undefined;
  const loss = linkTo(mine, to)?.spec.lossPercent ?? 0;
  const says = link
    ? link.says
    : !found
      ? `reached by its address, and not found by its name: ${looked.reason ?? 'nothing answers'}`
      : `found and reached in ${tookMs} ms${loss ? `; ${loss} of a hundred messages are sent again` : ''}`;
  return { from, to, state, found, reached, ...(tookMs === undefined ? {} : { tookMs }), says };
}

/**
 * Has a pod in each cluster call the one in each other cluster by name. To be given a copy of the worlds: the pods stay in it.
 * @param world any of the worlds of the estate
 */
export function tryReach(world: World): { readonly squares: ReachSquare[]; readonly tookMs: number } {
  const clusters = world.store.elsewhere?.clusters ?? [];
  const worlds = new Map(clusters.map((cluster) => [cluster, world.abroad(cluster)!]));
  const fromMs = world.nowMs;
  for (const one of worlds.values()) one.act({ type: 'send', objects: probe() });
  const all = () => [...worlds.values()].every((one) => isReady(one.store.get('Pod', space, 'probe') ?? ({ status: {} } as never)));
  while (!all() && world.nextMs !== undefined && world.nextMs <= fromMs + patienceMs) world.runUntil(world.nextMs);
  const squares = clusters.flatMap((from) =>
    clusters.filter((to) => to !== from).map((to) => square(from, worlds.get(from)!.store, to, worlds.get(to)!.store))
  );
  return { squares, tookMs: world.nowMs - fromMs };
}
