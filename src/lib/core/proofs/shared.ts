import { claimsOf, isReady, memberClaim, memberName, ordinalsOf, type StatefulSet } from '../model';
import { assetOf, type World } from '../standin';
import { proofOf, type Check, type ProofRule } from './types';

/** The claim that all members of a set mount together; undefined when each has its own. */
function sharedClaim(set: StatefulSet): string | undefined {
  const own = new Set((set.spec.volumeClaimTemplates ?? []).map((one) => memberClaim(one.metadata.name, set, 0)));
  return claimsOf(set.spec.template.spec).find((name) => !own.has(name));
}

/** One member writes, then every member reads: a row of the matrix. */
function rowOf(world: World, set: StatefulSet, writer: string, members: readonly string[]): Check[] {
  const namespace = set.metadata.namespace ?? '';
  const key = `proof/${writer}`;
  const value = `written by ${writer}`;
  const refusals = world.act({ type: 'write', namespace, pod: writer, key, value });
  return members.map((reader): Check => {
    const pod = world.store.get('Pod', namespace, reader);
    const reads = pod && isReady(pod) ? assetOf(world.store, pod)?.status?.store?.rows.find(([one]) => one === key)?.[1] : undefined;
    const why = refusals[0]?.message ?? (pod && isReady(pod) ? 'nothing there' : `${reader} is not ready`);
    return { asked: `${writer} writes, ${reader} reads`, expected: value, got: reads ?? why, ok: reads === value };
  });
}

/**
 * What one member of a shared volume writes, every other reads: tried on a fork, all pairs. Close-to-open: a reader that opens after
 * the writer's close sees the data. Source: RFC 8881, section 10.3.
 */
export const shared: ProofRule = {
  id: 'shared',
  title: 'Shared',
  applies: (set) => sharedClaim(set) !== undefined,
  run({ facts, set, fork }) {
    const members = ordinalsOf(set).map((one) => memberName(set, one));
    const world = fork();
    const checks = members.flatMap((writer) => rowOf(world, set, writer, members));
    return proofOf(
      shared,
      facts,
      checks,
      (ok) => `${ok} of ${checks.length} pairs: what one writes, the other reads`,
      'Written on a fork of this moment.'
    );
  }
};
