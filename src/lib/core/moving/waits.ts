import { factsIn, type Facts } from '../model';
import { workloadNamed } from '../proofs';
import type { Move, MoveWait } from './plan';

/** How long something that was sent is given before it is looked at; made up. */
const settlesMs = 3_000;

/** Whether what a step waits for has come, and why it never will. */
export function came(
  home: Facts,
  { namespace, workload }: Pick<Move, 'namespace' | 'workload'>,
  wait: MoveWait,
  sentMs: number
): boolean | string {
  const facts = factsIn(home, wait.cluster);
  if (!facts) return `${wait.cluster} is not known`;
  const readyIn = (one: Facts | undefined) =>
    one?.list('Process', namespace).filter(({ spec, status }) => spec.workload === workload && status?.ready).length ?? 0;
  const broken = (status: { readonly phase: string; readonly says?: string | undefined } | undefined) =>
    status?.phase === 'Failed' ? (status.says ?? 'it failed') : false;
  switch (wait.is) {
    case 'ready': {
      const one = workloadNamed(facts, namespace, workload);
      const wanted = one?.sets.reduce((sum, set) => sum + (set.spec.replicas ?? 1), 0);
      return wanted !== undefined && readyIn(facts) >= wanted;
    }
    case 'operated': {
      const set = facts.get('DocumentSet', namespace, workload);
      if (!set) return false;
      const [ready] = set.status?.conditions ?? [];
      // What its operator says may be of before: it hasn't looked at what was sent a moment ago.
      const seated = (set.spec.clusters ?? [{ cluster: wait.cluster, members: set.spec.members }]).every(
        (one) => readyIn(factsIn(home, one.cluster)) >= one.members
      );
      const gone = (home.elsewhere?.clusters ?? []).every(
        (one) =>
          wait.clusters.includes(one) ||
          !factsIn(home, one)
            ?.list('Process', namespace)
            .some(({ spec }) => spec.workload === workload)
      );
      return facts.nowMs - sentMs > settlesMs && ready?.status === 'True' && seated && gone;
    }
    case 'follows':
      return facts.get('Mirror', namespace, wait.mirror)?.status?.phase === 'Follows';
    case 'caught-up': {
      const { phase, momentMs = 0 } = facts.get('Mirror', namespace, wait.mirror)?.status ?? {};
      return phase === 'Follows' && momentMs > sentMs;
    }
    case 'promoted':
      return facts.get('Mirror', namespace, wait.mirror)?.status?.phase === 'Promoted';
    case 'copied': {
      const status = facts.get('BackupRun', namespace, wait.run)?.status;
      return status?.phase === 'Done' || broken(status);
    }
    case 'returned': {
      const status = facts.get('BackupReturn', namespace, wait.name)?.status;
      return status?.phase === 'Done' || broken(status);
    }
  }
}
