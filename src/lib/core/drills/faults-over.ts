import type { DocumentSet, Facts } from '../model';
import { linkFault, madeFromMark, overOf } from '../standin';
import { podsIn, type Seat, seatsOf } from '../proofs';
import { outage, over } from './striking';
import type { DrillScene, FaultRule, Target } from './types';

/** How much longer each message takes over a link that is slow. Made up. */
const slowLinkMs = 400;
const single = 'all its members stand in this cluster';

/** The other cluster of a workload over several that matters most: where a member leads, else the one with most of them. */
function other({ facts, workload }: DrillScene): Seat | string {
  const [, ...rest] = seatsOf(facts, workload);
  const leads = leadingSeat(facts, rest, workload.namespace);
  const weight = (seat: Seat) => (seat === leads ? 1_000 : 0) + podsIn(seat.facts, workload).length;
  const [first] = rest.sort((a, b) => weight(b) - weight(a) || (a.cluster < b.cluster ? -1 : 1));
  return first ?? (workload.sets.some((one) => overOf(one)) ? 'none of its other clusters is linked' : single);
}

/** Where somebody leads whom a member of this cluster follows, among others. */
function leadingSeat(facts: Facts, seats: readonly Seat[], namespace: string): Seat | undefined {
  const leader = facts
    .list('Process', namespace)
    .map((one) => one.status?.leader)
    .find((one) => one !== undefined);
  return leader === undefined ? undefined : seats.find((one) => one.facts.get('Process', namespace, leader));
}

const dark = (facts: Facts) => outage({ dark: facts.list('Node').map((one) => one.metadata.name) });
const names = (facts: Facts, { workload }: DrillScene) => podsIn(facts, workload).map((one) => one.metadata.name);

/** Something befalls the link to the cluster that matters most; clients here that have to come to a leading member over it are cut off, too. */
function onLink(scene: DrillScene, is: 'cut' | 'one-way'): Target | string {
  const to = other(scene);
  if (typeof to === 'string') return to;
  const here = scene.facts.elsewhere?.here ?? '';
  const fault = linkFault(scene.facts, to.cluster);
  if (fault) return `nothing comes through to it now: ${fault.says}`;
  const away = leadingSeat(scene.facts, [to], scene.workload.namespace);
  return {
    label: `link to ${to.cluster}`,
    // Whoever is on the other side of the leading member waits.
    members: away ? names(scene.facts, scene) : names(to.facts, scene),
    lasting: true,
    ...(away ? { stops: `clients in ${here} come to the leading member in ${to.cluster} over this link` } : {}),
    begin: [outage({ links: [{ to: to.cluster, is }] })],
    end: [over]
  };
}

/** The resource that a workload over several clusters comes from, and the cluster that runs its operator. */
function homeOf({ facts, workload }: DrillScene): { cluster: string; one: DocumentSet } | string {
  const mark = workload.sets.map((one) => one.metadata.annotations?.[madeFromMark]).find((one) => one !== undefined);
  if (mark === undefined) return workload.sets.some((one) => overOf(one)) ? 'no operator looks after it' : single;
  const [cluster = '', namespace = '', name = ''] = mark.split('/');
  const one = facts.elsewhere?.facts(cluster)?.get('DocumentSet', namespace, name);
  if (cluster === facts.elsewhere?.here) return 'its operator runs in this cluster';
  return one ? { cluster, one } : `what it comes from is not there any more (${mark})`;
}

/** Faults of workloads with members in several clusters. */
export const overFaults: readonly FaultRule[] = [
  {
    id: 'cluster-lost',
    level: 'Ground',
    title: 'cluster lost',
    why: 'All nodes of another cluster that holds members lose their power: the one whose member leads, else the one with most.',
    target(scene) {
      const seat = other(scene);
      if (typeof seat === 'string') return seat;
      return {
        label: `cluster ${seat.cluster}`,
        in: seat.cluster,
        members: names(seat.facts, scene),
        lasting: true,
        begin: [dark(seat.facts)],
        end: [over]
      };
    }
  },
  {
    id: 'link-cut',
    level: 'Ground',
    title: 'link cut',
    why: 'Nothing comes through between this cluster and another one that holds members.',
    target: (scene) => onLink(scene, 'cut')
  },
  {
    id: 'link-one-way',
    level: 'Ground',
    title: 'link one way',
    why: 'What leaves this cluster for another one arrives, and no answer comes back.',
    target: (scene) => onLink(scene, 'one-way')
  },
  {
    id: 'link-slow',
    level: 'Ground',
    title: 'link slow',
    why: `Each message between this cluster and another one takes ${slowLinkMs} ms longer, each way.`,
    target(scene) {
      const to = other(scene);
      if (typeof to === 'string') return to;
      return {
        label: `link to ${to.cluster}`,
        members: [],
        lasting: false,
        begin: [outage({ links: [{ to: to.cluster, is: 'slow', ms: slowLinkMs }] })],
        end: [over]
      };
    }
  },
  {
    id: 'operator-lost',
    level: 'Ground',
    title: "operator's cluster lost",
    why: 'All nodes of the cluster that its operator runs in lose their power: members go on, and nobody mends.',
    target(scene) {
      const home = homeOf(scene);
      if (typeof home === 'string') return home;
      if (home.one.spec.clusters?.some((one) => one.cluster === home.cluster))
        return 'its operator runs where members stand, too: see the loss of that cluster';
      const facts = scene.facts.elsewhere!.facts(home.cluster)!;
      return { label: `cluster ${home.cluster}`, in: home.cluster, members: [], lasting: true, begin: [dark(facts)], end: [over] };
    }
  }
];
