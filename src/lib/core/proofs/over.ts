import type { Facts, Pod } from '../model';
import { podsIn, type Workload } from './workload';
import { overOf } from '../standin';

/** One of the clusters that a workload stands in. */
export interface Seat {
  /** Its name; '' for a workload that stands in one cluster. */
  readonly cluster: string;
  readonly facts: Facts;
}

/** The clusters that a workload has members in, as far as they are known, the one that is looked at first. */
export function seatsOf(facts: Facts, { sets }: Pick<Workload, 'sets'>): readonly Seat[] {
  const clusters = sets.map(overOf).find((one) => one !== undefined);
  const { elsewhere } = facts;
  if (!clusters || !elsewhere) return [{ cluster: '', facts }];
  const others = clusters.filter((one) => one !== elsewhere.here);
  return [
    { cluster: elsewhere.here, facts },
    ...others.flatMap((cluster) => {
      const there = elsewhere.facts(cluster);
      return there ? [{ cluster, facts: there }] : [];
    })
  ];
}

/** Pods of a workload in all its clusters, each with what is known of its cluster. */
export const podsOver = (facts: Facts, workload: Workload): { readonly pod: Pod; readonly seat: Seat }[] =>
  seatsOf(facts, workload).flatMap((seat) => podsIn(seat.facts, workload).map((pod) => ({ pod, seat })));
