import { clockOf } from '../shared';
import { isReady, memberClaim, memberName, ordinalsOf, type Facts, type Pod, type StatefulSet } from '../model';
import { assetOf, View, type Change, type World } from '../standin';
import { proofOf, type Check, type Proof, type ProofRule } from './types';

/** What must be the same, and what must not, when a member comes back. */
interface Traits {
  readonly name: string;
  readonly uid: string;
  readonly claims: string;
  readonly handle: string;
  readonly address: string;
  readonly checksum: string;
}

function traitsOf(facts: Facts, set: StatefulSet, name: string): Traits | undefined {
  const namespace = set.metadata.namespace ?? '';
  const pod = facts.get('Pod', namespace, name);
  if (!pod || !isReady(pod)) return undefined;
  const ordinal = Number(name.slice(set.metadata.name.length + 1));
  const asset = assetOf(facts, pod);
  return {
    name,
    uid: pod.metadata.uid ?? '',
    claims: (set.spec.volumeClaimTemplates ?? []).map((one) => memberClaim(one.metadata.name, set, ordinal)).join(', ') || 'none',
    handle: asset?.metadata.name ?? 'none',
    address: pod.status?.podIP ?? 'none',
    checksum: asset?.status?.store?.checksum ?? 'none'
  };
}

/** The last time a ready member was taken away and has come back since: the moment before, and its name. */
function lastReturn(set: StatefulSet, changes: readonly Change[], facts: Facts): { name: string; beforeMs: number } | undefined {
  const wanted = new Set(ordinalsOf(set).map((one) => memberName(set, one)));
  for (let i = changes.length - 1; i >= 0; i -= 1) {
    const { before, after, atMs } = changes[i]!;
    if (before?.kind !== 'Pod' || after?.kind !== 'Pod' || before.metadata.namespace !== set.metadata.namespace) continue;
    if (before.metadata.deletionTimestamp || !after.metadata.deletionTimestamp || !isReady(before) || !wanted.has(before.metadata.name))
      continue;
    const now = facts.get('Pod', set.metadata.namespace ?? '', before.metadata.name);
    if (now && isReady(now) && now.metadata.uid !== before.metadata.uid) return { name: before.metadata.name, beforeMs: atMs - 1 };
  }
  return undefined;
}

function compare(before: Traits, after: Traits | undefined): Check[] {
  const keep = (asked: keyof Traits, words: string): Check => ({
    asked: words,
    expected: before[asked],
    got: after?.[asked] ?? 'it has not come back',
    ok: after?.[asked] === before[asked]
  });
  const change = (asked: keyof Traits, words: string): Check => ({
    asked: words,
    expected: `another than ${before[asked]}`,
    got: after?.[asked] ?? 'it has not come back',
    ok: after !== undefined && after[asked] !== before[asked]
  });
  return [
    keep('name', 'the same name'),
    change('uid', 'a new pod'),
    keep('claims', 'the same claims'),
    keep('handle', 'the same volume handle'),
    change('address', 'another address'),
    keep('checksum', 'the same data, by checksum')
  ];
}

function onFork(world: World, set: StatefulSet, pod: Pod): { after: Traits | undefined; tookMs: number } {
  const fromMs = world.nowMs;
  world.act({ type: 'remove', ref: { kind: 'Pod', namespace: set.metadata.namespace ?? '', name: pod.metadata.name } });
  world.runSettled();
  return { after: traitsOf(world.store, set, pod.metadata.name), tookMs: world.nowMs - fromMs };
}

/** A member that is taken away comes back with its name, claims and data, and another address. */
export const returns: ProofRule = {
  id: 'returns',
  title: 'Comes back',
  run({ facts, set, changes, fork }): Proof {
    const seen = lastReturn(set, changes, facts);
    if (seen) {
      const view = new View({ changes, countAt: (atMs) => countUpTo(changes, atMs) });
      const before = traitsOf(view.at(seen.beforeMs), set, seen.name);
      const after = traitsOf(facts, set, seen.name);
      if (before) {
        const checks = compare(before, after);
        return proofOf(
          returns,
          facts,
          checks,
          (ok) => `${seen.name} came back: ${ok} of ${checks.length} as expected`,
          `Taken away at ${clockOf(seen.beforeMs)} in this rehearsal.`
        );
      }
    }
    const name = memberName(set, ordinalsOf(set)[0] ?? 0);
    const pod = facts.get('Pod', set.metadata.namespace ?? '', name);
    const before = traitsOf(facts, set, name);
    if (!pod || !before) {
      return {
        id: 'returns',
        title: returns.title,
        state: 'waiting',
        says: `${name} is not ready, so it can't be taken away yet`,
        atMs: facts.nowMs,
        checks: []
      };
    }
    const { after, tookMs } = onFork(fork(), set, pod);
    const checks = compare(before, after);
    return proofOf(
      returns,
      facts,
      checks,
      (ok) => `${name} comes back within ${Math.round(tookMs / 1000)} s: ${ok} of ${checks.length} as expected`,
      'Tried on a fork of this moment; this rehearsal itself was not touched.'
    );
  }
};

function countUpTo(changes: readonly Change[], atMs: number): number {
  let count = changes.length;
  while (count > 0 && changes[count - 1]!.atMs > atMs) count -= 1;
  return count;
}
