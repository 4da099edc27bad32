import { plural } from '../shared';
import type { Facts } from '../model';
import { lackingThere, operatorOf, operatorPods, overFault, reachOf, type OverFault } from '../standin';
import { clustersOf } from './linked';

/** What an operator may do in one namespace of one cluster. */
export interface RightsSquare {
  readonly cluster: string;
  readonly namespace: string;
  readonly state: 'holds' | 'broken' | 'unseen';
  readonly says: string;
  /** Where it is to be mended. */
  readonly mendIn?: string;
  readonly fault?: OverFault['reason'];
}

/** The rights of one operator over clusters: which clusters and namespaces it has to look after, and whether it may. */
export interface RightsTable {
  readonly operator: string;
  readonly cluster: string;
  readonly squares: readonly RightsSquare[];
}

/** For each operator that looks after workloads in several clusters: clusters by namespaces. */
export function rightsTables(facts: Facts): RightsTable[] {
  const card = operatorOf('DocumentSet')!;
  return clustersOf(facts).flatMap(({ cluster: home, facts: its }) => {
    const asked = new Map<string, { cluster: string; namespace: string }>();
    for (const { metadata, spec } of its.list('DocumentSet'))
      for (const { cluster } of spec.clusters ?? [])
        if (cluster !== home) asked.set(`${cluster}/${metadata.namespace}`, { cluster, namespace: metadata.namespace ?? '' });
    if (!asked.size && !operatorPods(its, card).length) return [];
    const squares = [...asked.values()].map(({ cluster, namespace }): RightsSquare => {
      const fault = overFault(its, card, cluster, namespace);
      if (!fault) return { cluster, namespace, state: 'holds', says: 'may make and alter all that it has to' };
      const there = its.elsewhere?.facts(cluster);
      const account = reachOf(its, card, cluster)?.account;
      const lacking = there && account ? lackingThere(there, card, account, namespace).length : 0;
      return {
        cluster,
        namespace,
        state: fault.reason === 'NotLinked' && !there ? 'unseen' : 'broken',
        says: fault.reason === 'ForbiddenThere' ? `${plural(lacking, 'right')} lack` : fault.message.replace(/\.$/, ''),
        mendIn: fault.mendIn,
        fault: fault.reason
      };
    });
    return asked.size ? [{ operator: card.name, cluster: home, squares }] : [];
  });
}
