import type { Facts, Link } from '../../model';
import type { Action } from '../action';
import type { ClusterAccess } from '../control/loop';
import { linkTo } from '../provider/links';
import type { Refusal } from './plan';

/** The name of the link between two clusters: both names, in their order. */
export const linkName = (a: string, b: string): string => [a, b].sort().join('.');

/** Why a cluster can't be joined to another one; undefined where it can. */
export function joinFault(facts: Facts, cluster: string): Refusal | undefined {
  const at = { object: `Link ${cluster}` };
  const { elsewhere } = facts;
  if (elsewhere?.here === cluster)
    return { code: 'cannot-join', message: `${cluster} can't be linked with itself.`, remedy: 'Choose another cluster.', at };
  const there = elsewhere?.facts(cluster);
  if (!elsewhere || !there)
    return {
      code: 'cannot-join',
      message: `There is no cluster ${cluster} whose clock could go with this one's.`,
      remedy: 'Choose a cluster of the estate that is a stand-in.',
      at
    };
  const known = linkTo(facts, cluster) ?? linkTo(there, elsewhere.here);
  if (!known) return undefined;
  return {
    code: 'cannot-join',
    message: `The link ${known.metadata.name} between ${elsewhere.here} and ${cluster} is there already.`,
    remedy: 'Alter its ends, or take them away first.',
    at
  };
}

/** Makes both ends of a link. */
export function join(world: ClusterAccess, { with: cluster, link }: Action & { type: 'join' }): void {
  const { here } = world.store.elsewhere!;
  const end = (to: string): Link => ({
    apiVersion: 'standin.example/v1',
    kind: 'Link',
    metadata: { name: linkName(here, cluster) },
    spec: { ...link, to } as Link['spec']
  });
  world.put(end(cluster));
  world.abroad(cluster)!.put(end(here));
}
