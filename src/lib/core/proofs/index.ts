import { memberClaim, ordinalIn, ordinalsOf, type StatefulSet } from '../model';
import type { Change } from '../standin';
import { claims } from './claims';
import { data } from './data';
import { names } from './names';
import { order } from './order';
import { returns } from './returns';
import { shared } from './shared';
import type { Bench, Proof, ProofRule } from './types';

export { tryClass, type Trial } from './trial';
export type { Bench, Check, Proof, ProofId } from './types';

/** The proof pack for a set. Packs for kinds of workloads come with their engines. */
export const setPack: readonly ProofRule[] = [claims, order, names, data, shared, returns];

/** Runs the whole pack on a set at the present moment. */
export const prove = (bench: Bench): Proof[] => setPack.filter((rule) => rule.applies?.(bench.set) ?? true).map((rule) => rule.run(bench));

/**
 * When what a set's proofs speak of last changed (virtual ms): the set's own wish, its members made or ended, its claims, the services
 * of its namespace. A proof older than this is stale.
 */
export function lastTouchedMs(set: StatefulSet, changes: readonly Change[]): number {
  const namespace = set.metadata.namespace ?? '';
  const names = new Set(
    ordinalsOf(set).flatMap((ordinal) => (set.spec.volumeClaimTemplates ?? []).map((one) => memberClaim(one.metadata.name, set, ordinal)))
  );
  for (let i = changes.length - 1; i >= 0; i -= 1) {
    const { before, after, atMs } = changes[i]!;
    const object = after ?? before!;
    if (object.metadata.namespace !== namespace) continue;
    if (
      object.kind === 'StatefulSet' &&
      object.metadata.name === set.metadata.name &&
      before?.metadata.generation !== after?.metadata.generation
    )
      return atMs;
    if (object.kind === 'Pod' && ordinalIn(set, object.metadata.name) !== undefined && (!before || !after)) return atMs;
    if (object.kind === 'PersistentVolumeClaim' && names.has(object.metadata.name) && (!before || !after || before.status !== after.status))
      return atMs;
    if (object.kind === 'Service' && (!before || !after || before.spec !== after.spec)) return atMs;
  }
  return 0;
}
