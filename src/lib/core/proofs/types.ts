import type { Facts, StatefulSet } from '../model';
import type { Change, EngineId, World } from '../standin';
import type { Workload } from './workload';

/** What can be proved. */
export type ProofId =
  | 'claims'
  | 'order'
  | 'names'
  | 'data'
  | 'shared'
  | 'returns'
  | 'places'
  | 'reach'
  | 'credentials'
  | 'encryption'
  | 'certificate'
  | 'sizes'
  | 'matrix'
  | 'refuses'
  | 'produced'
  | 'broker-lost'
  | 'objects'
  | 'files'
  | 'series'
  | 'tunnel'
  | 'shards'
  | 'images';

/** One thing that was asked, what should come back, and what did. */
export interface Check {
  readonly asked: string;
  readonly expected: string;
  readonly got: string;
  readonly ok: boolean;
  /** The claim, as namespace/name, whose volume is to blame, where that is known. */
  readonly claim?: string;
}

/** The outcome of one proof, with its evidence. */
export interface Proof {
  readonly id: ProofId;
  readonly title: string;
  readonly state: 'holds' | 'broken' | 'waiting';
  readonly says: string;
  readonly atMs: number;
  readonly checks: readonly Check[];
  /** Print of what it speaks of: another one, and it is stale. */
  readonly stands?: string;
  /** How it was come by, where that isn't plain. */
  readonly note?: string;
  /** Writers by readers: how long what one wrote took to be seen by the other; null where it wasn't. */
  readonly matrix?: Matrix;
}

/** Who read what whom wrote: members by members. */
export interface Matrix {
  readonly members: readonly string[];
  readonly cells: readonly { readonly writer: string; readonly reader: string; readonly lagMs: number | null; readonly says: string }[];
}

/** What proofs are run on. */
export interface SetUnderProof {
  readonly facts: Facts;
  readonly set: StatefulSet;
  /** Changes up to the present moment, oldest first. */
  readonly changes: readonly Change[];
  /** A copy of the world as it stands, to try something on. */
  fork(): World;
}

/** One proof: whom it is for, and how it is run. */
export interface ProofRule {
  readonly id: ProofId;
  readonly title: string;
  /** Whether it suits a set; without it every set. */
  applies?(set: StatefulSet): boolean;
  run(subject: SetUnderProof): Proof;
}

/** Sums checks up into a proof. */
export function proofOf(
  rule: Pick<ProofRule, 'id' | 'title'>,
  facts: Facts,
  checks: readonly Check[],
  says: (ok: number) => string,
  note?: string
): Proof {
  const ok = checks.filter((one) => one.ok).length;
  const { id, title } = rule;
  return {
    id,
    title,
    state: ok === checks.length ? 'holds' : 'broken',
    says: says(ok),
    atMs: facts.nowMs,
    checks,
    ...(note ? { note } : {})
  };
}

/** What proofs of a whole workload are run on. */
export interface WorkloadUnderProof {
  readonly facts: Facts;
  readonly workload: Workload;
  fork(): World;
  /** How many messages are produced, where that is proved. */
  readonly messages?: number;
}

/** A proof through the engine's own interface. */
export interface EngineRule {
  readonly id: ProofId;
  readonly title: string;
  /** It writes into tables: where nobody can, it waits. */
  readonly writes?: true;
  /** Engines that it suits; all without it. */
  readonly engines?: readonly EngineId[];
  applies?(subject: WorkloadUnderProof): boolean;
  checks(subject: WorkloadUnderProof): { readonly checks: readonly Check[]; says(ok: number): string; readonly matrix?: Matrix };
}
