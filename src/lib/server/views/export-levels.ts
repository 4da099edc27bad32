import { isReady } from '$core/model';
import { scopeIn } from '$core/exports';
import { plural } from '$core/shared';
import { whatIsWrong, type JointId, type State, type Wrong, type WrongView } from '$core/rootline';
import type { Store } from '$core/standin';
import type { Level, Stack } from './levels';

const kept = new WeakMap<object, WrongView>();

/** What is wrong in an export; looked for once, as an export doesn't change until its reach is corrected. */
export function wrongIn(facts: Store): WrongView {
  const scope = scopeIn(facts);
  let view = kept.get(scope);
  if (!view) kept.set(scope, (view = whatIsWrong(facts)));
  return view;
}

const parts: Record<'ground' | 'supply' | 'claims', readonly JointId[]> = {
  ground: ['node'],
  supply: ['storage-nodes', 'operator', 'disks', 'keepers', 'backend', 'target', 'rights', 'driver', 'class'],
  claims: ['volume', 'claim', 'snapshot']
};

/** The level in which a cause lies. */
function levelOf({ joint }: Wrong): Level['id'] {
  const found = (Object.keys(parts) as (keyof typeof parts)[]).find((one) => parts[one].includes(joint));
  return found ?? 'members';
}

const brief = (text: string): string => (text.length > 60 ? `${text.slice(0, 58)}…` : text);

/** Looks an export over, from the ground up: what isn't in it is unseen, and nothing of it settles. */
export function exportStack(facts: Store): Stack {
  const { items } = wrongIn(facts);
  const scope = scopeIn(facts);
  const at = (id: Level['id']) => items.filter((one) => levelOf(one) === id);
  const make = (id: Level['id'], title: string, count: string, seen: boolean, missing: string, fine: string, whole = true): Level => {
    const [first] = at(id);
    const state: State = first?.state === 'broken' ? 'broken' : !seen || first ? 'unseen' : whole ? 'holds' : 'waiting';
    return {
      id,
      title,
      state,
      count,
      says: first ? brief(first.says) : seen ? fine : missing,
      ...(state === 'broken' ? { partial: true } : {})
    };
  };
  const nodes = facts.list('Node').length;
  const classes = facts.list('StorageClass').length;
  const drivers = facts.list('CSIDriver').length;
  const claims = facts.list('PersistentVolumeClaim');
  const bound = claims.filter((one) => one.status?.phase === 'Bound').length;
  const pods = facts.list('Pod').filter((one) => one.status?.phase !== 'Succeeded' && one.status?.phase !== 'Failed');
  const ready = pods.filter(isReady).length;
  const levels: Level[] = [
    make('ground', 'Ground', String(nodes), scope.of('Node') === 'contained', 'nodes not exported', ''),
    make(
      'supply',
      'Supply',
      String(classes),
      scope.of('StorageClass') === 'contained',
      'classes not exported',
      `${plural(drivers, 'driver')}, ${plural(classes, 'class', 'classes')}`
    ),
    make(
      'claims',
      'Claims',
      claims.length ? `${bound}/${claims.length}` : '–',
      claims.length > 0,
      'no claims in it',
      '',
      bound === claims.length
    ),
    make(
      'members',
      'Members',
      pods.length ? `${ready}/${pods.length}` : '–',
      pods.length > 0,
      'no pods in it',
      ready === pods.length ? 'all ready' : '',
      ready === pods.length
    ),
    { id: 'proofs', title: 'Proofs', state: 'waiting', count: '–', says: '' }
  ];
  const [worst] = items;
  const trace = worst?.waits[0] ?? null;
  const sentence = !worst
    ? 'Nothing in the export is seen to be broken.'
    : worst.state === 'broken'
      ? `${items.length === 1 ? 'One thing is' : `${items.length} things are`} wrong; ${worst.count} ${worst.count === 1 ? 'waits' : 'wait'}: ${worst.says}.`
      : `${worst.count} ${worst.count === 1 ? 'is' : 'are'} overdue, and why is unseen.`;
  return {
    levels,
    sentence,
    trace,
    broken: worst?.state === 'broken',
    proof: null,
    claims: { bound, wanted: claims.length },
    members: { ready, wanted: pods.length }
  };
}
