import type { Generated } from 'kysely';

/** A cluster of the estate: its flag and the ground its rehearsals start from. */
export interface ClusterRow {
  name: string;
  place: number;
  note: string;
  /** JSON: {hue, weave} */
  flag: string;
  seed: number;
  /** JSON: objects that stand at T+0 */
  ground: string;
}

/** A rehearsal: the trunk of a cluster, or a fork of it. Times are virtual ms. */
export interface RehearsalRow {
  id: string;
  cluster: string;
  fork: string | null;
  parent: string | null;
  forked_at_ms: number | null;
  head_ms: number;
  frontier_ms: number;
  revision: number;
}

/** What somebody did; only ever added to. A taken-back action stays, marked. */
export interface ActionRow {
  id: Generated<number>;
  rehearsal: string;
  sequence: number;
  at_ms: number;
  /** JSON: the action */
  body: string;
  withdrawn: number;
  created_at: string;
}

/** A world at a moment, as a cache: may be thrown away at any time. */
export interface SnapshotRow {
  rehearsal: string;
  actions: number;
  at_ms: number;
  engine: string;
  bytes: Buffer;
}

/** A proof that was run, with its evidence. */
export interface ProofRow {
  id: Generated<number>;
  rehearsal: string;
  namespace: string;
  set_name: string;
  at_ms: number;
  /** JSON: the proof */
  body: string;
  created_at: string;
}

/** A class that was tried, with the evidence. */
export interface TrialRow {
  id: Generated<number>;
  rehearsal: string;
  class_name: string;
  at_ms: number;
  /** JSON: the trial without its actions, and where it was made */
  body: string;
  created_at: string;
}

export interface DraftRow {
  id: Generated<number>;
  cluster: string;
  name: string;
  text: string;
  updated_at: string;
}

export interface Schema {
  cluster: ClusterRow;
  rehearsal: RehearsalRow;
  action: ActionRow;
  snapshot: SnapshotRow;
  proof: ProofRow;
  trial: TrialRow;
  draft: DraftRow;
}
