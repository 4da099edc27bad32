import { clockOf } from '../shared';
import { isReady, memberName, ordinalIn, ordinalsOf, readySinceMs, type Pod } from '../model';
import { proofOf, type Check, type ProofRule } from './types';

interface Made {
  readonly atMs: number;
  /** Since when the member before was ready; undefined when it wasn't. */
  readonly beforeReadyMs: number | undefined;
}

/** Members started in order, each after the one before was ready; read from the journal. */
export const order: ProofRule = {
  id: 'order',
  title: 'Order',
  run({ facts, set, changes }) {
    const namespace = set.metadata.namespace ?? '';
    const living = new Map<number, Pod>();
    const made = new Map<number, Made>();
    for (const { atMs, before, after } of changes) {
      const pod = after ?? before;
      if (pod?.kind !== 'Pod' || pod.metadata.namespace !== namespace) continue;
      const ordinal = ordinalIn(set, pod.metadata.name);
      if (ordinal === undefined) continue;
      if (!before) made.set(ordinal, { atMs, beforeReadyMs: readySinceMs(living.get(ordinal - 1)) });
      if (after?.kind === 'Pod') living.set(ordinal, after);
      else living.delete(ordinal);
    }
    const ordinals = ordinalsOf(set);
    const parallel = set.spec.podManagementPolicy === 'Parallel';
    const checks = ordinals.map((ordinal, i): Check => {
      const one = made.get(ordinal);
      const ready = isReady(living.get(ordinal));
      const previous = memberName(set, ordinals[i - 1] ?? 0);
      const inOrder = i === 0 || parallel || one?.beforeReadyMs !== undefined;
      const after =
        i === 0
          ? ''
          : one?.beforeReadyMs === undefined
            ? `; ${previous} was not ready then`
            : `; ${previous} had been ready since ${clockOf(one.beforeReadyMs)}`;
      return {
        asked: memberName(set, ordinal),
        expected: i === 0 || parallel ? 'ready' : `made after ${previous} was ready`,
        got: one ? `made at ${clockOf(one.atMs)}${after}${ready ? '' : '; not ready'}` : 'not made',
        ok: one !== undefined && ready && inOrder
      };
    });
    return proofOf(order, facts, checks, (ok) =>
      ok === checks.length
        ? `${ordinals.join(' → ')}, ${parallel ? 'in parallel, as asked' : 'each after the one before was ready'}`
        : `${ok} of ${checks.length} in order and ready`
    );
  }
};
